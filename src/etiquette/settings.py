"""Where this installation keeps its things: read once from the environment."""

import hashlib
import os
import tempfile
from dataclasses import dataclass
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
    )


def _usual_data() -> Path:
    """Beside the sources, or in the user's data directory (XDG Base Directory Specification)."""
    if CHECKOUT:
        return CHECKOUT / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "etiquette"
