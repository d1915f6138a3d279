"""ICC profiles from outside, read behind the door: a table that is made to hurt its reader hurts a child."""

import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from etiquette.core.printing.icc import read_profile
from etiquette.core.printing.profiles import ProfileFacts
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=10.0, bytes=1 << 30)
"""The largest profiles in use hold a few million bytes and are read in a tenth of a second."""


def facts_of(content: bytes, name: str) -> ProfileFacts:
    """`core.printing.icc.read_profile`. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-icc-") as folder:
        (Path(folder) / "profile").write_bytes(content)
        said = ask("profile", Path(folder), {"name": name}, LIMITS, name)
        return ProfileFacts(**{**said, "white": tuple(said["white"])})


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    return asdict(read_profile((folder / "profile").read_bytes(), note["name"]))
