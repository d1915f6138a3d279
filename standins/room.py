"""The room the devices share: printed sheets on a shelf, each a folder of open files.

sheet.tif      the pixels, uncompressed, so that a device can look at a part of it
sheet.json     name, size in mm, millimetres a pixel (across, along), state
cuts.json      what was cut of it, a line of JSON each
truth.json     what film did to the sheet: kept by the laminator, read by the judge only
"""

import json
import os
import re
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image

from standins.wire import Refused

THUMB_PIXELS = 700
MOST_CUT, MOST_SHEETS = 30, 150
"""So many sheets that were cut stay on the shelf, and so many in all: the oldest are thrown away."""


def chance(seed: int | None) -> np.random.Generator:
    """The chance of a device: its own, or fixed by `seed` or STANDINS_SEED so that a proof can be repeated."""
    fixed = os.environ.get("STANDINS_SEED")
    return np.random.default_rng(seed if seed is not None else int(fixed) if fixed else None)


class Room:
    def __init__(self, directory: Path) -> None:
        self.jobs = directory / "printer"
        self.shelf = directory / "sheets"
        self.jobs.mkdir(parents=True, exist_ok=True)
        self.shelf.mkdir(parents=True, exist_ok=True)

    def folder(self, name: str) -> Path:
        if not re.fullmatch(r"[A-Za-z0-9-]{1,60}", name):
            raise Refused(f"“{name}” is not the name of a sheet.")
        return self.shelf / name

    def note(self, name: str) -> dict[str, Any]:
        file = self.folder(name) / "sheet.json"
        if not file.exists():
            raise Refused(f"There is no sheet {name} on the shelf.")
        note: dict[str, Any] = json.loads(file.read_text())
        return note

    def write_note(self, name: str, note: dict[str, Any]) -> None:
        write_whole(self.folder(name) / "sheet.json", json.dumps(note).encode())

    def clear_away(self) -> None:
        """Throw away the oldest sheets, those that were cut first; one that is cut again is new again."""
        notes = sorted(self.shelf.glob("*/sheet.json"), key=lambda note: note.stat().st_mtime, reverse=True)
        done = [note for note in notes if (note.parent / "cuts.json").exists()]
        for note in {*done[MOST_CUT:], *notes[MOST_SHEETS:]}:
            shutil.rmtree(note.parent)

    def pixels(self, name: str) -> np.ndarray:
        """(height, width, 3) uint8, the far end of the sheet in the first row; a part is read when it is looked at."""
        return tifffile.memmap(self.folder(name) / "sheet.tif", mode="r")

    def write_pixels(self, name: str, pixels: np.ndarray) -> None:
        target = self.folder(name) / "sheet.tif"
        unfinished = target.with_suffix(".unfinished")
        tifffile.imwrite(unfinished, pixels, photometric="rgb")
        os.replace(unfinished, target)
        step = max(1, max(pixels.shape) // THUMB_PIXELS)
        Image.fromarray(np.ascontiguousarray(pixels[::step, ::step])).save(self.folder(name) / "thumb.png")


def write_whole(path: Path, content: bytes) -> None:
    """Write under another name, then rename: nobody ever sees half a file."""
    unfinished = path.with_name(path.name + ".unfinished")
    unfinished.write_bytes(content)
    os.replace(unfinished, path)
