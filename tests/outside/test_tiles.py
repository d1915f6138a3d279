"""Tiles put together again from their files, by other programs: pikepdf reads pixels, PDFium the page."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pypdfium2.raw as raw
import pytest
from PIL import Image
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.marking.tile_marks import ROOM_MM
from etiquette.core.printing.images import picture_stream

MM = 25.4 / 72


def told(*arguments: object) -> dict[str, Any]:
    done = CliRunner().invoke(app, [str(one) for one in arguments], catch_exceptions=False)
    assert done.exit_code == 0, done.output
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def graphic(file: Path, size: tuple[int, int] = (1237, 511), mode: str = "RGB") -> np.ndarray:
    """Noise on a gradient: every pixel is another one than its neighbours."""
    rng = np.random.default_rng(7)
    pixels = rng.integers(0, 256, (size[1], size[0], len(mode)), np.uint8)
    Image.fromarray(pixels, mode).save(file)
    return pixels


def pixels_of(file: Path) -> np.ndarray:
    """Of the one picture in a file."""
    with pikepdf.open(file) as pdf:
        (form,) = pdf.pages[0].Resources.XObject.values()
        (picture,) = form.Resources.XObject.values()
        return np.asarray(pikepdf.PdfImage(picture).as_pil_image().convert("RGB"))


@pytest.mark.parametrize("overlap", [0, 12.5])
def test_a_graphic_put_together_again_from_its_tiles_is_the_same_to_the_pixel(tmp_path: Path, overlap: float) -> None:
    art = graphic(tmp_path / "wall.png")
    px = 3000 / 1237
    made = told("tiles", tmp_path / "wall.png", "-o", tmp_path / "out", "--width-mm", 3000, "--media-mm", 1100,
                "--overlap-mm", overlap, "--seams", "content")  # fmt: skip
    again = np.zeros_like(art)
    for tile in made["tiles"]:
        part = pixels_of(tmp_path / "out" / tile["file"])
        left = round(tile["x_mm"] / px)
        assert tile["x_mm"] == pytest.approx(left * px, abs=1e-3)
        assert tile["width_mm"] == pytest.approx(part.shape[1] * px, abs=1e-3) and tile["width_mm"] <= 1100
        again[:, left : left + part.shape[1]] = part
    assert (again == art).all() and len(made["tiles"]) == 3


def test_rendered_tiles_show_the_graphic_where_they_say(tmp_path: Path) -> None:
    """At the pixels of the art: PDFium draws each tile, moved by what the summary says it is the graphic again."""
    art = graphic(tmp_path / "wall.png", (400, 160))
    px = 2.0
    made = told("tiles", tmp_path / "wall.png", "-o", tmp_path / "out", "--width-mm", 800, "--media-mm", 300,
                "--overlap-mm", 10)  # fmt: skip
    for tile in made["tiles"]:
        page = pdfium.PdfDocument(tmp_path / "out" / tile["file"])[0]
        assert np.array(page.get_size()) * MM == pytest.approx(
            [tile["width_mm"] + 2 * ROOM_MM, tile["height_mm"] + 2 * ROOM_MM], abs=0.01
        )
        seen = np.asarray(page.render(scale=MM / px * 4).to_pil().convert("RGB"))  # four dots a pixel
        away = round(ROOM_MM / px * 4)
        columns, rows = round(tile["width_mm"] / px), round(tile["height_mm"] / px)
        shown = seen[away + 2 : away + 4 * rows : 4, away + 2 : away + 4 * columns : 4]
        left = round(tile["x_mm"] / px)
        assert np.abs(shown.astype(int) - art[:rows, left : left + columns]).max() <= 1


def test_a_page_stays_vector_and_its_ticks_stand_at_the_seam(tmp_path: Path) -> None:
    drawing = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="900mm" height="300mm" viewBox="0 0 900 300">'
        '<rect width="900" height="300" fill="#dde5d0"/><circle cx="450" cy="150" r="90" fill="#a03020"/></svg>'
    )
    (tmp_path / "wall.svg").write_text(drawing)
    made = told("tiles", tmp_path / "wall.svg", "-o", tmp_path / "out", "--media-mm", 520, "--overlap-mm", 15)
    assert [(one["x_mm"], one["width_mm"]) for one in made["tiles"]] == [(0, 465), (435, 465)]
    page = pdfium.PdfDocument(tmp_path / "out" / "tile-2.pdf")[0]
    with pikepdf.open(tmp_path / "out" / "tile-2.pdf") as pdf:
        kinds = [str(one.get("/Subtype")) for one in pdf.objects if isinstance(one, pikepdf.Stream)]
    assert "/Image" not in kinds
    seen = np.asarray(page.render(scale=MM).to_pil().convert("RGB")).astype(int)  # a dot a millimetre
    red = (seen[..., 0] - seen[..., 1]) > 60
    rows, columns = np.nonzero(red)
    # the circle ends 540 mm from the left of the graphic: 105 mm into the tile, which begins 12 mm into the page
    assert columns.max() == pytest.approx(105 + ROOM_MM, abs=1.5) and columns.min() == pytest.approx(ROOM_MM, abs=1)
    boxes = []
    for one in page.get_objects(filter=[raw.FPDF_PAGEOBJ_PATH], max_depth=1):
        left, low, right, top = (value * MM for value in one.get_bounds())
        boxes.append((left, low, right, top))
    # all ticks are one path: from the seam, 15 mm into the tile, to the edge of its neighbour, 30 mm
    ticks = min(boxes, key=lambda box: box[1])
    middle = ROOM_MM + 15, ROOM_MM + 30
    assert any(abs((box[0] + 0.125) - middle[0]) < 0.05 for box in boxes), boxes
    assert ticks[1] < ROOM_MM


def test_the_assembly_names_every_tile_and_only_some_are_made(tmp_path: Path) -> None:
    graphic(tmp_path / "wall.png", (600, 200))
    made = told("tiles", tmp_path / "wall.png", "-o", tmp_path / "out", "--width-mm", 2400, "--media-mm", 700,
                "--only", "1,3")  # fmt: skip
    assert [one["number"] for one in made["tiles"]] == [1, 3]
    assert sorted(one.name for one in (tmp_path / "out").glob("tile-*.pdf")) == ["tile-1.pdf", "tile-3.pdf"]
    words = pdfium.PdfDocument(tmp_path / "out" / "assembly.pdf")[0].get_textpage().get_text_range()
    assert "2400 × 800 mm in 2 tiles" in words and "600 × 800 mm" in words
    refused = CliRunner().invoke(app, ["tiles", str(tmp_path / "wall.png"), "-o", str(tmp_path / "x"), "--width-mm",
                                       "2400", "--media-mm", "700", "--only", "9"])  # fmt: skip
    assert isinstance(refused.exception, JobError) and "There is no tile 9" in refused.exception.what
    assert not (tmp_path / "x").exists()


def test_a_large_plain_png_goes_into_a_file_as_it_is(tmp_path: Path) -> None:
    """Its own rows, filtered and deflated: read back by pikepdf they are the picture; with a colour profile, clear
    parts or interlaced it is not taken so."""
    art = graphic(tmp_path / "large.png", (1500, 1100))
    content = (tmp_path / "large.png").read_bytes()
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, read_picture(content, "large.png"), content)
        assert (
            len(stream.read_raw_bytes()) < len(content)
            and b"".join(chunk for chunk in [stream.read_raw_bytes()[:64]]) in content
        )
        assert (np.asarray(pikepdf.PdfImage(stream).as_pil_image()) == art).all()
    graphic(tmp_path / "clear.png", (1500, 1100), "RGBA")
    clear = (tmp_path / "clear.png").read_bytes()
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, read_picture(clear, "clear.png"), clear)
        assert stream.read_raw_bytes()[:64] not in clear and "/SMask" in stream
