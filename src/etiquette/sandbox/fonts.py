"""Fonts from outside, checked and written anew behind the door: shaping meets only what came out of it."""

import tempfile
from pathlib import Path
from typing import Any

from etiquette.core.variable.fonts import Font, checked_font
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=60.0, bytes=2 << 30)


def font_of(content: bytes, name: str) -> Font:
    """`core.variable.fonts.checked_font`. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-font-") as folder:
        (Path(folder) / "font").write_bytes(content)
        said = ask("font", Path(folder), {"name": name}, LIMITS, name)
        return Font(said["name"], (Path(folder) / "font.ttf").read_bytes())


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    font = checked_font((folder / "font").read_bytes(), note["name"])
    (folder / "font.ttf").write_bytes(font.content)
    return {"name": font.name}
