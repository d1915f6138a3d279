"""Art turned, mirrored and cropped: the arithmetic against pixels, and pages against each other as drawings."""

from io import BytesIO

import numpy as np
import pikepdf
import pypdfium2
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.artwork.arrangement import Arrangement
from etiquette.core.artwork.arranging import arranged_pdf, arranged_pixels, arranged_svg, drawing_svg, inside_page
from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.artwork.line_rules import sort_paths
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import VectorPage, painted_area
from etiquette.core.geometry.matrices import applied
from tests.vector_art import MM, SLEEVE_SVG, add_page, box_dxf, label_pdf, rect, saved

STEPS = st.lists(st.sampled_from(["turn", "mirror", "crop"]), max_size=6)
BOX = (0.25, 0.0, 0.5, 0.75)


def stepped(arrangement: Arrangement, step: str) -> Arrangement:
    return {"turn": arrangement.turned(90), "mirror": arrangement.mirrored(), "crop": arrangement.cropped(BOX)}[step]


def by_hand(pixels: np.ndarray, step: str) -> np.ndarray:
    height, width = pixels.shape[:2]
    if step == "crop":
        return pixels[: height * 3 // 4, width // 4 : width * 3 // 4]
    return np.rot90(pixels) if step == "turn" else pixels[:, ::-1]


@given(STEPS)
def test_steps_one_after_the_other_are_one_arrangement(steps: list[str]) -> None:
    pixels = np.arange(4**6 * 4**6, dtype=np.uint32).reshape(4**6, 4**6, 1)[:: 4**2, :: 4**2]
    arrangement, expected = Arrangement(), pixels
    crops = 0
    for step in steps:
        if step == "crop" and (crops := crops + 1) > 2:
            continue
        arrangement, expected = stepped(arrangement, step), by_hand(expected, step)
    assert np.array_equal(arranged_pixels(pixels, arrangement), expected)


@given(STEPS)
def test_the_matrix_goes_where_the_pixels_go(steps: list[str]) -> None:
    arrangement = Arrangement()
    for step in steps:
        arrangement = stepped(arrangement, step)
    # a mark near a corner of what is left: its place in the shown art by the matrix and by the shares
    width, height = 80.0, 40.0
    x, y, wide, high = arrangement.crop
    inside = np.array([[(x + 0.1 * wide) * width, height - (y + 0.2 * high) * height]])
    shown = applied(arrangement.matrix(width, height), inside)[0]
    across, up = arrangement.size(width, height)
    assert arrangement._in_crop(shown[0] / across, 1 - shown[1] / up) == pytest.approx((0.1, 0.2))


def test_a_quarter_turn_by_hand() -> None:
    # counter-clockwise: what was at the lower right comes to the upper right
    turned = Arrangement(turn=90)
    assert turned.size(80, 40) == (40, 80)
    assert applied(turned.matrix(80, 40), np.array([[80.0, 0.0]]))[0] == pytest.approx((40, 80))
    assert Arrangement(mirror=True).mirrored() == Arrangement()
    assert Arrangement(turn=90).mirrored() == Arrangement(mirror=True, turn=270)


def moved(page: VectorPage, arrangement: Arrangement) -> shapely.Geometry:
    """What `page` paints, moved by the arithmetic alone and cut to the page as it is shown."""
    area = shapely.transform(
        shapely.union_all(painted_area(page)),
        lambda points: applied(arrangement.matrix(page.width_mm, page.height_mm), points),
    )
    return area.intersection(shapely.box(0, 0, *arrangement.size(page.width_mm, page.height_mm)))


@pytest.mark.parametrize(
    "arrangement", [Arrangement(turn=90), Arrangement(mirror=True), Arrangement((0.5, 0.25, 0.5, 0.5), True, 270)]
)
def test_vectors_stay_vectors_and_come_where_they_should(arrangement: Arrangement) -> None:
    page = read_page(open_pdf(label_pdf(), "a"), 0, "a")
    made = arranged_pdf(label_pdf(), arrangement, "a")
    after = read_page(open_pdf(made, "a"), 0, "a")
    assert (after.width_mm, after.height_mm) == pytest.approx(arrangement.size(60, 40), abs=1e-4)
    assert shapely.union_all(painted_area(after)).symmetric_difference(moved(page, arrangement)).area < 0.1
    kept = sort_paths(inside_page(after).paths).caught
    assert sorted(one.kind for one in kept) == ["kiss", "through"]  # both still reach into the crop
    drawing = SvgArt(SLEEVE_SVG, "b")
    inner = SvgArt(arranged_svg(SLEEVE_SVG, arrangement, "b"), "b").page()
    own = drawing.page()
    fills = [painted_area(VectorPage(p.width_mm, p.height_mm, True, p.paths)) for p in (own, inner)]
    wanted = shapely.transform(shapely.union_all(fills[0]), lambda q: applied(arrangement.matrix(60, 40), q))
    wanted = wanted.intersection(shapely.box(0, 0, *arrangement.size(60, 40)))  # what is cropped is no art
    assert shapely.union_all(fills[1]).symmetric_difference(wanted).area < 0.1
    assert (inner.width_mm, inner.height_mm) == pytest.approx(arrangement.size(60, 40)) and inner.size_known


def test_the_drawn_page_is_the_turned_one() -> None:
    """pdfium draws the arranged page; NumPy turns what it draws of the page as it came."""
    scale = 8 / MM
    came = pypdfium2.PdfDocument(label_pdf())[0].render(scale=scale).to_numpy().astype(int)
    made = arranged_pdf(label_pdf(), Arrangement(mirror=True, turn=90), "a")
    drawn = pypdfium2.PdfDocument(made)[0].render(scale=scale).to_numpy().astype(int)
    expected = np.rot90(came[:, ::-1])
    assert drawn.shape == expected.shape
    assert (np.abs(drawn - expected).max(axis=2) > 100).mean() < 0.004  # edges fall on other parts of pixels


def test_a_rotated_page_with_a_crop_box_and_a_user_unit_is_arranged_as_it_looks() -> None:
    pdf = pikepdf.new()
    # 100 × 60 user units of 2 points; the crop box shows 80 × 40 of them, a quarter turned by the page itself
    page = add_page(
        pdf, (100 / MM, 60 / MM), f"0 0 1 rg {rect(10 / MM, 10 / MM, 30 / MM, 20 / MM)} f", pikepdf.Dictionary()
    )
    page.CropBox, page.Rotate, page.UserUnit = pikepdf.Array([10, 10, 90, 50]), 90, 2
    came = read_page(open_pdf(saved(pdf), "a"), 0, "a")
    after = read_page(open_pdf(arranged_pdf(saved(pdf), Arrangement(turn=270), "a"), "a"), 0, "a")
    assert (came.width_mm, came.height_mm) == pytest.approx((80 / MM, 160 / MM))
    assert (after.width_mm, after.height_mm) == pytest.approx((160 / MM, 80 / MM), abs=1e-3)
    assert after.paths[0].stroke is None and shapely.union_all(painted_area(after)).area == pytest.approx(
        2400 / MM**2, rel=1e-3
    )


def test_a_drawing_keeps_its_layers_and_loses_what_is_cropped_away() -> None:
    page = read_dxf(box_dxf(), "c")
    svg = SvgArt(drawing_svg(page), "c").page()
    assert [one.layers for one in svg.paths] == [one.layers for one in page.paths]
    assert (svg.width_mm, svg.height_mm, svg.size_known) == (pytest.approx(50), pytest.approx(30), True)
    # the left 9 mm hold parts of the outline and of the straight line; hole and spline lie wholly to the right
    part = inside_page(SvgArt(arranged_svg(drawing_svg(page), Arrangement((0, 0, 0.18, 1)), "c"), "c").page())
    assert {name for one in part.paths for name in one.layers} == {"CUT", "Notes"}
    with pikepdf.open(BytesIO(arranged_pdf(label_pdf(), Arrangement(turn=90), "a"))) as pdf:
        assert "/Rotate" not in pdf.pages[0].obj
