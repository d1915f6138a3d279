"""Codes read back from a plate, or from a picture of a cut sheet, each in a child of its own."""

import tempfile
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from etiquette.core.printing.code_reading import CodeOnPage, texts_in, unread
from etiquette.sandbox.art import PICTURES
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=900.0, bytes=4 << 30)
"""A sample is read in seconds; every one of ten thousand takes minutes."""


def unread_of(pdf: bytes, codes: Sequence[CodeOnPage]) -> list[int]:
    """`core.printing.code_reading.unread` of a PDF. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-codes-") as folder:
        (Path(folder) / "plate.pdf").write_bytes(pdf)
        said = ask("read codes", Path(folder), {"codes": [asdict(one) for one in codes]}, LIMITS, "plate")
        return list(said["unread"])


def codes_in(content: bytes, name: str) -> list[str]:
    """What every code in a photo or scan says. Raises JobError when it is no picture."""
    with tempfile.TemporaryDirectory(prefix="etq-codes-") as folder:
        (Path(folder) / "picture").write_bytes(content)
        return list(ask("codes seen", Path(folder), {"name": name}, PICTURES, name)["texts"])


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    codes = [CodeOnPage(**{**one, "place": tuple(one["place"])}) for one in note["codes"]]
    return {"unread": unread(folder / "plate.pdf", codes)}


def look(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from etiquette.core.artwork.raster import read_picture

    return {"texts": texts_in(read_picture((folder / "picture").read_bytes(), note["name"]).pixels)}
