"""Pictures of plates, each drawn in a child of its own: PDFium must not be entered by two threads of one process."""

import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

import pikepdf

from etiquette.core.printing.art_colours import ArtColours, of_designs
from etiquette.core.printing.previews import part, preview
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=60.0, bytes=4 << 30)
"""A plate is our own file, but it holds the customer's art."""
Box = tuple[float, float, float, float]


def preview_of_file(pdf: Path, clear_ground: bool = False) -> tuple[bytes, float]:
    """`core.printing.previews.preview` of a file. Raises JobError."""
    return _drawn("preview", pdf, {"clear_ground": clear_ground})


def preview_of_pdf(pdf: bytes, clear_ground: bool = False) -> tuple[bytes, float]:
    """The same of a PDF that is no file yet. Raises JobError."""
    with tempfile.NamedTemporaryFile(prefix="etq-plate-", suffix=".pdf") as file:
        file.write(pdf)
        file.flush()
        return preview_of_file(Path(file.name), clear_ground)


def part_of_file(pdf: Path, box: Box, dpi: float, clear_ground: bool = False) -> bytes:
    """`core.printing.previews.part` of a file. Raises JobError."""
    return _drawn("part", pdf, {"box": box, "dpi": dpi, "clear_ground": clear_ground})[0]


def colours_of_designs(pdf: bytes) -> dict[str, ArtColours]:
    """`core.printing.art_colours.of_designs` of a plate. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-draw-") as folder:
        (Path(folder) / "plate.pdf").write_bytes(pdf)
        said = ask("art colours", Path(folder), {}, LIMITS, "plate")
        return {name: ArtColours(**{**one, "spaces": set(one["spaces"])}) for name, one in said["designs"].items()}


def _drawn(job: str, pdf: Path, note: dict[str, Any]) -> tuple[bytes, float]:
    with tempfile.TemporaryDirectory(prefix="etq-draw-") as folder:
        said = ask(job, Path(folder), {**note, "pdf": str(pdf)}, LIMITS, "preview", reads=[pdf])
        return (Path(folder) / "picture.png").read_bytes(), said["dpi"]


# --- the child


def draw_preview(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    picture, dpi = preview(Path(note["pdf"]).read_bytes(), note["clear_ground"])
    (folder / "picture.png").write_bytes(picture)
    return {"dpi": dpi}


def draw_part(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    picture = part(Path(note["pdf"]).read_bytes(), tuple(note["box"]), note["dpi"], note["clear_ground"])
    (folder / "picture.png").write_bytes(picture)
    return {"dpi": note["dpi"]}


def find_art_colours(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    with pikepdf.open(folder / "plate.pdf") as document:
        found = of_designs(document)
    return {"designs": {name: {**asdict(one), "spaces": sorted(one.spaces)} for name, one in found.items()}}
