"""The pair of files of a label web, made, read back and filled from rows in a child of its own: like plates, they take
customers' pages in as they came (plates.py)."""

import pickle
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from etiquette.core.cutting.web_pairs import WebFiles, disagreements, web_files
from etiquette.core.printing.filled import PictureOf
from etiquette.core.printing.filled_repeats import Filled, filled_repeats
from etiquette.core.production.frames import FrameFiles
from etiquette.sandbox.door import ask
from etiquette.sandbox.plates import GIVEN, LIMITS, files_of, pictures_ready, written

CUT_PDF, CUT_DXF, PLATE_DXF = "cut.pdf", "cut.dxf", "plate.dxf"


def pair_of(title: str, **given: Any) -> tuple[WebFiles, list[str]]:
    """`core.cutting.web_pairs.web_files`, and what `disagreements` finds in them. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-web-") as place:
        folder = Path(place)
        said = _asked("web pair", folder, {"title": title, **given}, title)
        plate = folder / PLATE_DXF
        files = WebFiles(
            files_of(folder, said["printed"]),
            (folder / CUT_PDF).read_bytes(),
            (folder / CUT_DXF).read_bytes(),
            plate.read_bytes() if plate.exists() else None,
            tuple(given["station"]),
        )
        return files, [str(one) for one in said["wrong"]]


def filled_of(printed: FrameFiles, pages: Sequence[Filled], title: str, picture_of: PictureOf) -> FrameFiles:
    """The print files of a repeat with as many pages as the rows need (`core.printing.filled_repeats`). Raises
    JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-web-") as place:
        folder = Path(place)
        pictures = pictures_ready((copy for page in pages for _, _, copy in page), picture_of, folder)
        return files_of(folder, _asked("web rows", folder, (printed, pages, title, pictures), title))


def _asked(job: str, folder: Path, given: object, title: str) -> dict[str, Any]:
    with (folder / GIVEN).open("wb") as file:
        pickle.dump(given, file, pickle.HIGHEST_PROTOCOL)
    return ask(job, folder, {}, LIMITS, title)


# --- the child


def make(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    with (folder / GIVEN).open("rb") as file:
        given = pickle.load(file)
    made = web_files(**given)
    (folder / CUT_PDF).write_bytes(made.cut_pdf)
    (folder / CUT_DXF).write_bytes(made.cut_dxf)
    if made.plate_dxf is not None:
        (folder / PLATE_DXF).write_bytes(made.plate_dxf)
    return {"printed": written(folder, made.printed), "wrong": disagreements(made)}


def fill(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    with (folder / GIVEN).open("rb") as file:
        printed, pages, title, picture_of = pickle.load(file)
    empty: list[Filled] = [[] for _ in pages]
    spots = {ink: plate and filled_repeats(plate, empty, title) for ink, plate in printed.spots.items()}
    return written(
        folder, replace(printed, colour=filled_repeats(printed.colour, pages, title, picture_of), spots=spots)
    )
