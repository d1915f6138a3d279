"""Where this installation keeps its things: read once from the environment."""

import contextlib
import hashlib
import ipaddress
import os
import tempfile
from dataclasses import dataclass
from pathlib import Path

LONGEST_TMP = 70
LINK_FILE = "link"
"""Among the data for a moment: the end of the address that a start prints, where it opens a door."""
PACKAGE = Path(__file__).resolve().parent
CHECKOUT = PACKAGE.parents[1] if (PACKAGE.parents[1] / "pyproject.toml").exists() else None
"""Where the sources lie; None: Etiquette was installed from its wheel."""
ROOT = CHECKOUT or PACKAGE.parent
"""From here the stand-ins are imported."""


@dataclass(frozen=True)
class Network:
    """Where it listens, and how it is reached: on this machine alone, or from others by TLS."""

    host: str = "127.0.0.1"
    names: tuple[str, ...] = ()
    """Further names and addresses that it is asked by; a request for any other host is refused."""
    certificate: Path | None = None
    key: Path | None = None
    proxy: str | None = None
    """The address of the one proxy that ends TLS and is believed what it says of who asks."""

    @property
    def off_loopback(self) -> bool:
        """Reached from other machines: by its own address, or through a proxy, wherever that stands."""
        return self.proxy is not None or not is_loopback(self.host)


def is_loopback(host: str) -> bool:
    if host == "localhost":
        return True
    with contextlib.suppress(ValueError):
        return ipaddress.ip_address(host).is_loopback
    return False


@dataclass(frozen=True)
class Settings:
    """Paths and addresses of one installation; everything a run keeps lies under `data`."""

    data: Path
    database_url: str | None
    """A server that exists already (ETIQUETTE_DATABASE_URL); None: start a private one under `data`."""
    network: Network = Network()
    files_url: str | None = None
    """A bucket that several machines share (ETIQUETTE_FILES, s3://…); None: files lie under `data`."""
    broker: str | None = None
    """Where work is told to workers on other machines (ETIQUETTE_BROKER, redis://…); None: this machine does all."""

    @property
    def files(self) -> Path:
        """Content-addressed art and outputs; of a bucket those that were used lately."""
        return self.data / "files"

    @property
    def room(self) -> Path:
        """The folder the simulated machines share: the printed sheets, and where each of them listens."""
        return self.data / "room"

    @property
    def tmp(self) -> Path:
        """What is needed for a moment; swept at every start. Sockets lie in it, whose paths may not be long: of a deep
        data directory it is a folder of its own elsewhere."""
        inside = self.data / "tmp"
        if len(str(inside)) <= LONGEST_TMP:
            return inside
        return Path(tempfile.gettempdir()) / f"etiquette-{hashlib.sha256(str(self.data).encode()).hexdigest()[:12]}"

    @property
    def built_front(self) -> Path:
        return CHECKOUT / "front" / "dist" if CHECKOUT else PACKAGE / "front"


def from_environment() -> Settings:
    return Settings(
        data=Path(os.environ.get("ETIQUETTE_DATA") or _usual_data()).resolve(),
        database_url=os.environ.get("ETIQUETTE_DATABASE_URL"),
        network=_network(),
        files_url=os.environ.get("ETIQUETTE_FILES") or None,
        broker=os.environ.get("ETIQUETTE_BROKER") or None,
    )


def _network() -> Network:
    told = {name: os.environ.get(f"ETIQUETTE_{name.upper()}") or None for name in ("certificate", "key", "proxy")}
    return Network(
        host=os.environ.get("ETIQUETTE_HOST") or "127.0.0.1",
        names=tuple(name.strip() for name in os.environ.get("ETIQUETTE_NAMES", "").split(",") if name.strip()),
        certificate=Path(told["certificate"]) if told["certificate"] else None,
        key=Path(told["key"]) if told["key"] else None,
        proxy=told["proxy"],
    )


def _usual_data() -> Path:
    """Beside the sources, or in the user's data directory (XDG Base Directory Specification)."""
    if CHECKOUT:
        return CHECKOUT / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "etiquette"
