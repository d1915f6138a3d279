"""Where this installation keeps its things: read once from the environment."""

import hashlib
import json
import os
import tempfile
from dataclasses import asdict, dataclass
from pathlib import Path

LONGEST_TMP = 70
PACKAGE = Path(__file__).resolve().parent
CHECKOUT = PACKAGE.parents[1] if (PACKAGE.parents[1] / "pyproject.toml").exists() else None
"""Where the sources lie; None: Etiquette was installed from its wheel."""
ROOT = CHECKOUT or PACKAGE.parent
"""From here the stand-ins are imported."""


@dataclass(frozen=True)
class Settings:
    """Paths and addresses of one installation; everything a run keeps lies under `data`."""

    data: Path
    database_url: str | None
    """A server that exists already (ETIQUETTE_DATABASE_URL); None: start a private one under `data`."""

    @property
    def files(self) -> Path:
        """Content-addressed art and outputs."""
        return self.data / "files"

    @property
    def room(self) -> Path:
        """The folder the simulated devices share: the printer's open directory and the printed sheets."""
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
    )


def _usual_data() -> Path:
    """Beside the sources, or in the user's data directory (XDG Base Directory Specification)."""
    if CHECKOUT:
        return CHECKOUT / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "etiquette"


@dataclass(frozen=True)
class Device:
    """A machine in the room. `kind`: printer, laminator or cutter."""

    kind: str
    name: str
    port: int


def devices_of(settings: Settings) -> dict[str, Device]:
    """The machines that the start-up noted; none when it started none."""
    file = settings.data / "devices.json"
    if not file.exists():
        return {}
    return {entry["kind"]: Device(**entry) for entry in json.loads(file.read_text())}


def note_devices(settings: Settings, devices: list[Device]) -> None:
    settings.data.mkdir(parents=True, exist_ok=True)
    (settings.data / "devices.json").write_text(json.dumps([asdict(device) for device in devices]))
