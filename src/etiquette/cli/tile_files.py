"""Tiles of a graphic from its file alone: art read in the limited child, a PDF and its cut for every tile, and the
picture by which they are put together."""

import base64
import os
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from pathlib import Path
from typing import Any, Literal

import numpy as np
from PIL import Image
from shapely import Polygon

from etiquette.cli.folders import make_folder, write_file
from etiquette.cli.run_designs import from_vectors
from etiquette.core.artwork.detail import detail_of
from etiquette.core.artwork.faces import faces_in
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path as LinePath
from etiquette.core.marking.tile_marks import ROOM_MM
from etiquette.core.planning.tiles import Tile, TileWish, seams_by_content, seams_even, tiles
from etiquette.core.printing.art_forms import Art, PictureArt
from etiquette.core.printing.plates import PlateWish
from etiquette.core.production.assembly import assembly_page, assembly_svg
from etiquette.core.production.tile_files import tile_file, tile_marks
from etiquette.files.lines_svg import LinesFile, write_lines
from etiquette.files.run_design_file import RunDesignFile
from etiquette.sandbox.art import read_art, read_pixels
from etiquette.sandbox.papers import pdf_of

ASSEMBLY_PIXELS = 1600


def make_tiles(
    art: Path,
    out: Path,
    width_mm: float | None,
    media_mm: float,
    overlap_mm: float,
    by: Literal["even", "content"],
    only: list[int],
) -> dict[str, Any]:
    """Write tile-N.pdf and tile-N.lines.svg of every tile, or of `only` those named, and assembly.pdf, into `out`.
    Returns the summary. Raises JobError; nothing is written then."""
    content = art.read_bytes()
    whole, shown = _whole(content, art, width_mm)
    px_mm = whole.width_mm / whole.picture.width_px if isinstance(whole, PictureArt) else None
    wish = TileWish(whole.width_mm, whole.height_mm, media_mm, overlap_mm=overlap_mm, px_mm=px_mm)
    faces = faces_in(shown, (wish.width_mm, wish.height_mm)) if by == "content" else []
    seams = seams_even(wish) if by == "even" else seams_by_content(wish, detail_of(shown), spare=faces)
    made = tiles(wish, seams)
    if unknown := sorted(set(only) - {tile.number for tile in made}):
        raise JobError(f"There is no tile {unknown[0]}; there are {len(made)}.", "--only", "Name some of them.")
    off = {tile.number for tile in made} - set(only) if only else set()
    rows, columns = max(tile.row for tile in made), max(tile.column for tile in made)
    make_folder(out)

    def one(tile: Tile) -> dict[str, Any]:
        marks = tile_marks(tile, art.stem, len(made), rows, columns)
        files = tile_file(whole, tile, marks, f"{art.stem}, tile {tile.number}", "through", PlateWish())
        (width, height), (x, y) = tile.size_mm, tile.printed[:2]
        lines = LinesFile(files.lines, width + 2 * ROOM_MM, height + 2 * ROOM_MM)
        return {
            "number": tile.number, "x_mm": round(x, 4), "y_mm": round(y, 4), "width_mm": round(width, 4),
            "height_mm": round(height, 4), "file": write_file(out / f"tile-{tile.number}.pdf", files.colour),
            "lines": write_file(out / f"tile-{tile.number}.lines.svg", write_lines(lines).encode()),
        }  # fmt: skip

    with ThreadPoolExecutor(max_workers=os.cpu_count()) as threads:  # pixels are squeezed outside Python's lock
        told = list(threads.map(one, (tile for tile in made if tile.number not in off)))
    drawing = assembly_svg(wish, seams, made, off, _picture(shown))
    paper = pdf_of(assembly_page(art.stem, wish, made, off, drawing), "assembly.pdf")
    return {
        "out": str(out),
        "seams": {"across": [round(x, 3) for x in seams.across], "along": [round(y, 3) for y in seams.along]},
        "faces": [[round(one, 1) for one in face] for face in faces],
        "tiles": told,
        "assembly": write_file(out / "assembly.pdf", paper),
    }


def _whole(content: bytes, art: Path, width_mm: float | None) -> tuple[Art, np.ndarray]:
    """The graphic at its real size, and a picture of it (height, width, channels)."""
    if form_of(content) == "picture":
        picture = read_pixels(content, art.name)
        width = width_mm or width_mm_of(picture)
        size = (width, width * picture.height_px / picture.width_px)
        return PictureArt(picture, *size, Polygon()), picture.pixels
    wish = RunDesignFile(id=art.stem[:120] or "art", art=art.name, width_mm=width_mm, ground="auto")
    frame = [FinishLine("through", LinePath.from_points([(0.0, 0.0), (1.0, 0.0), (1.0, 1.0)]))]
    page = read_art(content, art.name)[0]
    made, _, _ = from_vectors(wish, page, art.parent, frame)
    return made, read_picture(page.picture, art.name).pixels


def _picture(pixels: np.ndarray) -> str:
    """A small picture of the graphic, as an address that holds it."""
    step = max(1, max(pixels.shape[:2]) // ASSEMBLY_PIXELS)
    image = Image.fromarray(np.ascontiguousarray(pixels[::step, ::step])).convert("RGB")
    out = BytesIO()
    image.save(out, "JPEG", quality=85)
    return f"data:image/jpeg;base64,{base64.b64encode(out.getvalue()).decode()}"
