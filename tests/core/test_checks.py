"""Findings in finish lines: what is wrong, where, and what mends it."""

import numpy as np
import pytest
import shapely
from shapely import Polygon, box

from etiquette.core.errors import JobError
from etiquette.core.finishing.checks import MOST_OF_A_KIND, ROUND_TO_MM, Finding, check_lines, tight_places
from etiquette.core.finishing.lines import EdgeSettings, FinishLine, line_from_areas
from etiquette.core.finishing.specks import keeping_mm2
from etiquette.core.geometry.curve_fitting import fit_ring
from etiquette.core.geometry.paths import Path

SIZE = (60.0, 40.0)


def outline(shape: Polygon, kind: str = "kiss") -> FinishLine:
    return FinishLine(kind, fit_ring(np.asarray(shape.exterior.coords)[:-1], 0.01))  # type: ignore[arg-type]


def kinds(found: list[Finding]) -> list[str]:
    return [one.what for one in found]


def test_plain_shapes_have_nothing_to_look_at() -> None:
    disc = shapely.Point(30, 20).buffer(12, quad_segs=64)
    assert check_lines([outline(disc), outline(disc.buffer(4, quad_segs=64), "through")], SIZE) == []
    assert check_lines([outline(box(5, 5, 55, 35))], SIZE) == []  # outer corners are turned by lifting the knife


def test_an_open_line_is_told_with_the_gap() -> None:
    path = Path.from_points([(10, 10), (30, 10), (30, 30), (10, 10.4)], closed=False)
    (found,) = check_lines([FinishLine("through", path)], SIZE)
    assert found.what == "open" and "0.40 mm" in found.words and (found.x, found.y) == (10, 10)
    assert check_lines([FinishLine("crease", path)], SIZE) == []
    straight = Path.from_points([(10, 0), (10, 40)], closed=False)
    assert check_lines([FinishLine("through", straight)], SIZE) == []


def test_a_line_that_crosses_itself_is_told_where() -> None:
    bow = Path.from_points([(10, 10), (30, 30), (30, 10), (10, 30)])
    found = check_lines([FinishLine("kiss", bow)], SIZE)
    crossing = next(one for one in found if one.what == "crossing")
    assert (crossing.x, crossing.y) == pytest.approx((20, 20), abs=0.01)
    loop = Path.from_points([(0, 0), (20, 0), (20, 10), (10, 10), (10, -5)], closed=False)
    crossing = next(one for one in check_lines([FinishLine("crease", loop)], SIZE) if one.what == "crossing")
    assert (crossing.x, crossing.y) == pytest.approx((10, 0), abs=0.01)


def test_lines_on_each_other_are_told_once() -> None:
    shape = shapely.Point(30, 20).buffer(10, quad_segs=64)
    found = check_lines(
        [outline(shape), outline(shapely.affinity.translate(shape, 0.03, 0)), outline(shape.buffer(3))], SIZE
    )
    assert kinds(found) == ["twice"] and found[0].words == "cut twice"
    mixed = check_lines([outline(shape), outline(shape, "through")], SIZE)
    assert mixed[0].words == "kiss and through"


def test_inner_corners_are_tighter_than_the_knife_turns() -> None:
    """A plus sign has four inner corners, at (±4, ±4) from its middle; rounding by the repair leaves none."""
    plus = box(26, 8, 34, 32).union(box(18, 16, 42, 24))
    lines, _, *_ = line_from_areas([plus], EdgeSettings(offset_mm=0, tolerance_mm=0.02))
    found = check_lines(lines, SIZE)
    assert kinds(found) == ["tight"] * 4
    assert sorted((round(one.x), round(one.y)) for one in found) == [(26, 16), (26, 24), (34, 16), (34, 24)]
    assert all(one.repair == "Round it" and one.changes == {"corner_mm": ROUND_TO_MM} for one in found)
    mended, _, *_ = line_from_areas([plus], EdgeSettings(offset_mm=0, tolerance_mm=0.02, corner_mm=ROUND_TO_MM))
    assert check_lines(mended, SIZE) == []
    from_the_file = check_lines(lines, SIZE, made=False)
    assert kinds(from_the_file) == ["tight"] * 4 and all(one.repair is None for one in from_the_file)


@pytest.mark.parametrize("radius", [0.2, 0.3, 0.4])
def test_the_radius_of_a_tight_bend_is_told(radius: float) -> None:
    notch = box(0, 0, 40, 30).difference(box(18, 15, 22, 31).buffer(-0.001))
    rounded = notch.buffer(-radius, quad_segs=64).buffer(2 * radius, quad_segs=64).buffer(-radius, quad_segs=64)
    places = tight_places(fit_ring(np.asarray(rounded.exterior.coords)[:-1], 0.003))
    assert len(places) == 2
    for (x, y), found in places:
        assert found == pytest.approx(radius, rel=0.15)
        assert y == pytest.approx(15, abs=0.3) and min(abs(x - 18), abs(x - 22)) < 0.3


def test_a_radius_the_knife_can_turn_is_no_finding() -> None:
    notch = box(0, 0, 40, 30).difference(box(18, 15, 22, 31))
    rounded = notch.buffer(-0.7, quad_segs=64).buffer(1.4, quad_segs=64).buffer(-0.7, quad_segs=64)
    assert tight_places(fit_ring(np.asarray(rounded.exterior.coords)[:-1], 0.005)) == []


def test_holes_too_small_to_weed() -> None:
    body = outline(box(5, 5, 55, 35))
    small, slit = shapely.Point(15, 20).buffer(1.2, quad_segs=32), box(25, 10, 26.2, 30)
    large = shapely.Point(45, 20).buffer(4, quad_segs=32)
    found = check_lines([body, outline(small), outline(slit), outline(large)], SIZE)
    assert kinds(found) == ["weed", "weed"]
    assert {round(one.x) for one in found} == {15, 26} and found[0].changes == {"holes": "fill"}
    # of another kind it is no hole: a through hole in a kiss-cut piece is punched out whole
    assert check_lines([body, outline(small, "through")], SIZE) == []


def test_lines_of_the_file_that_leave_the_art_and_strokes_that_print() -> None:
    shape = box(50, 10, 63.5, 30)
    (found,) = [one for one in check_lines([outline(shape)], SIZE, made=False) if one.what == "outside"]
    assert "3.5 mm" in found.words and found.x == pytest.approx(63.5)
    assert check_lines([outline(shape)], SIZE, made=True) == []
    along = Path.from_points([(50.1, 10.1), (63.4, 10.1)], closed=False)
    elsewhere = Path.from_points([(5, 5), (20, 5)], closed=False)
    printed = check_lines([outline(shape)], SIZE, printed=[along, elsewhere])
    assert kinds(printed) == ["printed"] and (printed[0].x, printed[0].y) == (50.1, 10.1)


def test_too_many_nodes_and_their_repair() -> None:
    angles = np.linspace(0, 2 * np.pi, 800, endpoint=False)
    rough = 10 + 0.15 * np.cos(200 * angles)
    path = Path.from_points(np.column_stack([30 + rough * np.cos(angles), 20 + rough * np.sin(angles)]))
    found = [one for one in check_lines([FinishLine("pen", path)], SIZE, tolerance_mm=0.05) if one.what == "nodes"]
    assert found[0].changes == {"tolerance_mm": 0.1} and "800 on" in found[0].words


def test_many_findings_of_one_cause_are_cut_short() -> None:
    saw = [(x / 2, 20 + (x % 2) * 3) for x in range(0, 101)]
    shape = Polygon([*saw, (50, 5), (0, 5)])
    found = check_lines([FinishLine("kiss", Path.from_points(np.asarray(shape.exterior.coords)))], SIZE)
    assert kinds(found).count("tight") == MOST_OF_A_KIND


def test_a_part_that_is_left_out_is_told_when_it_matters() -> None:
    """A disc and four dots that count as specks: inside the line, cut through by it, outside, and one of dust."""
    disc = shapely.Point(30, 20).buffer(10, quad_segs=64)
    dots = [shapely.Point(x, 20).buffer(radius) for x, radius in ((31, 0.9), (39.9, 0.8), (50, 0.7), (55, 0.2))]
    hollow = disc.difference(dots[0].buffer(0.2)).difference(dots[1].buffer(0.2))
    lines, report, specks, _ = line_from_areas([hollow, *dots], EdgeSettings(offset_mm=0.5))
    assert report.specks_left_out == 4
    found = [one for one in check_lines(lines, SIZE, specks=specks) if one.what == "left out"]
    assert [one.words for one in found] == ["2 mm² of art is cut through", "1.5 mm² of art stays outside the line"]
    assert (found[1].x, found[1].y) == pytest.approx((50, 20), abs=0.3)
    for one, dot in zip(found, dots[1:3], strict=True):  # what the repair says keeps that part and all that are larger
        kept, *_ = line_from_areas([hollow, *dots], EdgeSettings(offset_mm=0.5, **one.changes))
        assert any(Polygon(line.path.flatten(0.01)).covers(dot) for line in kept)
    assert "left out" not in kinds(check_lines(lines, SIZE, specks=specks[-1:])) and 0.1 < specks[-1].area < 0.2


def test_art_of_nothing_but_small_parts_says_so_and_names_the_size_that_keeps_it() -> None:
    dots = [shapely.Point(x, 20).buffer(0.8) for x in range(5, 55, 5)]
    with pytest.raises(JobError, match=r"specks under 4 mm².*largest part has 2 mm²") as refused:
        line_from_areas(dots, EdgeSettings(offset_mm=0))
    size = float(refused.value.do.split("under ")[1].split(" mm²")[0])
    assert len(line_from_areas(dots, EdgeSettings(offset_mm=0, min_area_mm2=size)).lines) == len(dots)


@pytest.mark.parametrize(("area", "size"), [(2.01, 1.9), (0.234, 0.22), (13.7, 13.0), (0.05, 0.047)])
def test_the_size_that_keeps_a_part_is_a_little_smaller_in_two_digits(area: float, size: float) -> None:
    assert keeping_mm2(area) == pytest.approx(size)
