"""Marks that a page brings along, on pages that librsvg drew and poppler looks at (sources: librsvg 2 and poppler, as
Debian ships them; the middle of an angle is worked by hand in tests/pages.py)."""

import subprocess
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
import zxingcpp
from PIL import Image
from shapely import box

from etiquette.core.artwork.raster import Picture, read_picture
from etiquette.core.errors import JobError
from etiquette.core.marking.codes import FrameCode, parse_payload
from etiquette.core.marking.frame_plans import FramePlan, Reach, Where
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.own_marks import OwnMark, alike_with, own_marks, recipe_of
from etiquette.core.marking.pages import plan_page
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import PageArt
from etiquette.core.printing.plates import FrameContent, colour_plate
from etiquette.core.production.frames import frame_design
from tests.pages import DECALS, EIGHT, HIGH_MM, WIDE_MM, by_librsvg, page_svg

SETS = {"disc": (6.0, 1.0), "square": (5.0, 1.0), "ring": (8.0, 1.5), "cross": (9.0, 1.4), "corner": (10.0, 1.2)}


def seen(folder: Path, dpi: float = 127, **page: object) -> tuple[Picture, float]:
    picture = read_picture(by_librsvg(page_svg(**page), "png", folder, dpi), "page.png")  # type: ignore[arg-type]
    return picture, WIDE_MM / picture.width_px


@pytest.mark.parametrize("shape", SETS)
@pytest.mark.parametrize("dpi", [101.6, 127])  # four and five pixels a millimetre: pages of whole pixels
def test_marks_are_found_with_their_shape_size_and_place(shape: str, dpi: float, tmp_path: Path) -> None:
    size, stroke = SETS[shape]
    found = own_marks(*seen(tmp_path, dpi, shape=shape, size=size, stroke=stroke))
    assert {one.shape for one in found} == {shape} and len(found) == len(EIGHT)
    recipe = recipe_of(found)
    step = 25.4 / dpi
    assert recipe.size_mm == pytest.approx(size, abs=step / 2)
    if shape in ("ring", "cross", "corner"):
        assert recipe.stroke_mm == pytest.approx(stroke, abs=step / 2)
    truth = np.array(EIGHT)
    beside = [np.hypot(*(truth - (one.x, one.y)).T).min() for one in found]
    assert max(beside) < 0.02  # less than a tenth of a pixel


def test_letters_dots_and_decals_are_no_marks(tmp_path: Path) -> None:
    assert own_marks(*seen(tmp_path, marks=[])) == []
    # one mark alone is none either: it shows no turn
    assert own_marks(*seen(tmp_path, marks=EIGHT[:1])) == []


def test_the_mark_that_is_pointed_at_brings_its_like(tmp_path: Path) -> None:
    picture, step = seen(
        tmp_path, marks=[(40, 20), (60, 20), (80, 22)]
    )  # too near each other to be found by themselves
    assert own_marks(picture, step) == []
    found = alike_with(picture, step, 61.5, 19.0)
    assert sorted(round(one.x) for one in found) == [40, 60, 80]
    assert alike_with(picture, step, *DECALS[0]) == []  # far too large
    assert alike_with(picture, step, 150.0, 380.0) == []  # bare


def test_what_touches_something_dark_is_no_mark(tmp_path: Path) -> None:
    svg = page_svg().replace(b"</svg>", b'<path d="M12 388H40" stroke="#000" stroke-width="1"/></svg>')
    picture = read_picture(by_librsvg(svg, "png", tmp_path), "page.png")
    assert len(own_marks(picture, WIDE_MM / picture.width_px)) == len(EIGHT) - 1


def test_a_page_is_printed_as_it_came_and_its_marks_once(tmp_path: Path) -> None:
    """poppler draws the plate and the page alike; nothing else is on the plate."""
    pdf = by_librsvg(page_svg(), "pdf", tmp_path)
    picture, step = seen(tmp_path)
    found = own_marks(picture, step)
    plan = plan_page(
        (WIDE_MM, HIGH_MM), [(one.x, one.y) for one in found], 400, Reach(1600, 3000), "K7Q2R9", Where(390)
    )
    assert plan.codes == () and plan.shift == (50, 0) and plan.length_mm == HIGH_MM
    plate, page = (one.astype(float) for one in plate_and_page(pdf, plan, found, tmp_path))
    left = round(50 / 25.4 * 100)
    inside = plate[:, left : left + page.shape[1]]
    assert np.abs(inside[: page.shape[0]] - page).mean() < 1.0  # half a pixel of shift at edges at most
    assert plate[:, : left - 1].min() == 255 and plate[:, left + page.shape[1] + 1 :].min() == 255


def test_a_code_beside_a_page_is_read_and_its_marks_are_drawn_once(tmp_path: Path) -> None:
    """Both codes by zxing-cpp from what poppler draws; the page between them as it came."""
    pdf = by_librsvg(page_svg(), "pdf", tmp_path)
    picture, step = seen(tmp_path)
    found = own_marks(picture, step)
    places, beside = [(one.x, one.y) for one in found], MarkRecipe(code="qr")
    plan = plan_page((WIDE_MM, HIGH_MM), places, 400, Reach(1600, 3000), "K7Q2R9", Where(390), beside, "K7Q2R9-1 Fair")
    plate, page = plate_and_page(pdf, plan, found, tmp_path)
    codes = [parse_payload(one.text) for one in zxingcpp.read_barcodes(plate)]
    assert {one for one in codes if one} == {FrameCode("K7Q2R9", "head"), FrameCode("K7Q2R9", "tail")}
    top, left = (round(mm / 25.4 * 100) for mm in (plan.length_mm - plan.work[3], plan.work[0]))
    inside = plate[top : top + page.shape[0], left : left + page.shape[1]].astype(float)
    assert np.abs(inside - page).mean() < 1.5  # a pixel of shift at edges at most


def plate_and_page(pdf: bytes, plan: FramePlan, found: list[OwnMark], folder: Path) -> tuple[np.ndarray, np.ndarray]:
    """The plate of a page and the page by itself, as poppler draws them."""
    whole = box(0, 0, WIDE_MM, HIGH_MM)
    design = frame_design(PageArt(pdf, WIDE_MM, HIGH_MM, whole), [], whole, {}, 0.0)
    content = FrameContent(
        {"page": design.art}, {}, [Placement("page", 1, 0, *plan.shift, 0.0)], plan, recipe_of(found), "Page"
    )
    (folder / "plate.pdf").write_bytes(colour_plate(content))
    (folder / "page.pdf").write_bytes(pdf)
    return poppler(folder / "plate.pdf"), poppler(folder / "page.pdf")


def poppler(file: Path) -> np.ndarray:
    drawn = subprocess.run(["pdftoppm", "-r", "100", "-gray", "-png", file], capture_output=True, check=True).stdout
    return np.asarray(Image.open(BytesIO(drawn)))


@pytest.mark.parametrize(
    ("stock", "reach", "where", "words"),
    [
        (250.0, Reach(1600, 3000), Where(240), "300 mm wide; the stock leaves 250"),
        (400.0, Reach(1600, 200), Where(390), "376 mm apart along the feed"),
        (400.0, Reach(200, 3000), Where(390), "276 mm apart across"),
        (400.0, Reach(1600, 3000), Where(390, sheet_mm=300), "400 mm long; the sheet is 300"),
    ],
)
def test_a_page_that_does_not_fit_is_said(stock: float, reach: Reach, where: Where, words: str) -> None:
    with pytest.raises(JobError, match=words):
        plan_page((WIDE_MM, HIGH_MM), EIGHT, stock, reach, "K7Q2R9", where)
