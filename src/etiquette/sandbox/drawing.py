"""Pictures of plates, each drawn in a child of its own: PDFium must not be entered by two threads of one process."""

import tempfile
from pathlib import Path
from typing import Any

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
