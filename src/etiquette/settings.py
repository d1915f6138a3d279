"""Where this installation keeps its things: read once from the environment."""

import os
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


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
    def built_front(self) -> Path:
        return ROOT / "front" / "dist"


def from_environment() -> Settings:
    return Settings(
        data=Path(os.environ.get("ETIQUETTE_DATA", ROOT / "var")).resolve(),
        database_url=os.environ.get("ETIQUETTE_DATABASE_URL"),
    )
