"""Bed plans by arithmetic worked by hand; weed lines against Shapely, piece by piece."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, box

from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import Reach, Where
from etiquette.core.marking.frames import blank_rim_mm, longest_on_sheet_mm, plan_blank, plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.bed_plans import BedWish, Place, Rim, bed_faults, bed_of, bed_plan
from etiquette.core.planning.problem import Piece, Placement, placed_outline
from etiquette.core.planning.weeding import WeedWish, cross_lines, weed_box
from etiquette.core.printing.beds import plates_in_order
from etiquette.files.run_file import RunFile
from tests.core.test_planning import QUARTER, problem

INCH = 25.4
CARD = Piece("card", box(0, 0, 40, 25), 7, QUARTER)


def test_sixteen_sheets_of_12_by_18_inches_on_a_large_bed() -> None:
    """Common practice, no published source: 12 × 18 in sheets, sixteen to a large bed, the first at 0.75 in / 0."""
    wish = BedWish(12 * INCH, 18 * INCH, first_across_mm=0.75 * INCH)
    bed = bed_of(wish, 49.5 * INCH, 74 * INCH)
    assert (bed.columns, bed.rows, len(bed.places)) == (4, 4, 16)
    corners = [(place.x_mm, place.y_mm) for place in bed.places]
    assert corners[0] == (0.75 * INCH, 0) and corners[5] == pytest.approx((12.75 * INCH, 18 * INCH))
    # 0.75 + 4 × 12 = 48.75 in: a hair less and the fourth column is gone
    assert bed_of(wish, 48.75 * INCH, 74 * INCH).columns == 4 and bed_of(wish, 48.74 * INCH, 74 * INCH).columns == 3


def test_every_place_gets_one_piece_in_its_middle_and_the_next_bed_follows() -> None:
    wish = BedWish(50, 30, first_across_mm=10, first_along_mm=5, gap_across_mm=4, gap_along_mm=6)
    # 10 + 3 × 50 + 2 × 4 = 168 of 200; 5 + 2 × 30 + 6 = 71 of 80
    layout = bed_plan(problem([CARD]), wish, 80)
    assert [one.sheet for one in layout.placements] == [0] * 6 + [1]
    middles = [placed_outline(CARD, one).centroid.coords[0] for one in layout.placements]
    assert middles[0] == pytest.approx((35, 20)) and middles[4] == pytest.approx((89, 56))
    assert middles[6] == pytest.approx(middles[0]) and layout.length_mm == pytest.approx(2 * 71)


def test_what_is_larger_than_a_place_is_named_with_both_sizes() -> None:
    layout = bed_plan(problem([CARD, Piece("small", box(0, 0, 9, 9), 2, QUARTER)]), BedWish(30, 30), 200)
    assert [one.id for one in layout.placements] == ["small", "small"]
    assert layout.unplaced[0].count == 7 and "40.0 × 25.0 mm, a place is 30.0 × 30.0" in layout.unplaced[0].reason
    turned = bed_plan(problem([CARD]), BedWish(30, 45, rotation_deg=90), 200)
    assert len(turned.placements) == 7 and not turned.unplaced
    none = bed_plan(problem([CARD]), BedWish(300, 30), 200)
    assert "No place of 300.0 × 30.0 mm fits" in none.unplaced[0].reason


def test_blanks_with_their_own_marks_are_frames_and_leave_room_for_them() -> None:
    places = (
        Place(0, 0, 100, 80),
        Place(110, 0, 60, 80),
        Place(180, 0, 15, 80),
        Place(0, 90, 100, 80, shape="ellipse"),
    )
    rim = Rim(across_mm=20, along_mm=25, least_mm=50)
    faults = bed_faults(places, 300, 200, rim)
    # 15 mm is less than the row of marks and code; a round blank has no corners; 60 × 80 leaves 20 × 30
    assert set(faults) == {3, 4} and "50 × 50 mm" in faults[3] and "round" in faults[4]
    card, chip = Piece("card", box(0, 0, 40, 25), 3, QUARTER), Piece("chip", box(0, 0, 20, 30), 2, QUARTER)
    layout = bed_plan(problem([card, chip]), BedWish(10, 10, places=places, rim=rim), 200)
    # the card only on the first blank (60 × 30 of it), so chips lie on the second; three beds; each blank a frame
    laid = [(one.id, one.copy, one.sheet) for one in layout.placements]
    assert laid == [("card", 1, 0), ("chip", 1, 1), ("card", 2, 2), ("chip", 2, 3), ("card", 3, 4)]
    pieces = {"card": card, "chip": chip}
    boxes = [placed_outline(pieces[one.id], one).bounds for one in layout.placements]
    found = bed_of(BedWish(10, 10, places=places, rim=rim), 300, 200).of_boxes(boxes)
    assert [(bed, place.x_mm) for bed, place in found] == [(1, 0), (1, 110), (2, 0), (2, 110), (3, 0)]
    for (x0, y0, x1, y1), (_, place) in zip(boxes, found, strict=True):
        assert ((x0 + x1) / 2, (y0 + y1) / 2) == pytest.approx((place.x_mm + place.width_mm / 2, 40))
    with pytest.raises(ValueError, match="no place"):
        bed_of(BedWish(10, 10, places=places[:1]), 300, 200).of_boxes([(200, 0, 210, 10)])


@given(
    st.floats(150, 600),
    st.floats(120, 600),
    st.tuples(st.floats(0, 500), st.floats(0, 500)),
    st.sampled_from(["left", "right"]),
    st.floats(5, 40),
    st.floats(5, 40),
)
def test_a_blank_with_marks_is_as_large_as_it_is_and_its_work_is_in_its_middle(
    width: float, height: float, corner: tuple[float, float], side: str, head: float, tail: float
) -> None:
    recipe = MarkRecipe(head_margin_mm=head, tail_margin_mm=tail)
    across, along, least = blank_rim_mm(recipe, "AAAAAA-7", side)  # type: ignore[arg-type]
    if width < least or height < 2 * along + 1:
        return
    slug = "AAAAAA-7 a name that goes on and on"
    plan = plan_blank(corner, (width, height), recipe, Reach(2000, 2000), "AAAAAA", slug, side)  # type: ignore[arg-type]
    assert (plan.width_mm, plan.length_mm) == pytest.approx((width, height))
    assert plan.shift == pytest.approx((-corner[0], -corner[1]))
    x0, y0, x1, y1 = plan.work
    assert (x0 + x1, y0 + y1) == pytest.approx((width, height))
    assert (x0, y0) == pytest.approx((across, along))
    assert all(
        recipe.out_mm - 1e-6 <= mark.x <= width - recipe.out_mm + 1e-6
        and min(head, tail) + recipe.out_mm - 1e-6 <= mark.y <= height - recipe.out_mm - min(head, tail) + 1e-6
        for mark in plan.marks
    )


def test_plates_of_several_blanks_keep_the_order_of_each() -> None:
    assert plates_in_order([["colour"], ["white", "colour", "clear"], ["primer", "colour"]]) == [
        "primer", "white", "colour", "clear",
    ]  # fmt: skip
    assert plates_in_order([["colour", "clear"], ["colour", "Gold"]]) in (
        ["colour", "clear", "Gold"],
        ["colour", "Gold", "clear"],
    )


@given(
    st.lists(st.tuples(st.floats(0, 380), st.floats(0, 900), st.floats(5, 40)), min_size=1, max_size=40),
    st.sampled_from(["across", "along", "both"]),
    st.floats(0.2, 4),
)
def test_no_weed_line_comes_nearer_to_a_piece_than_asked(
    discs: list[tuple[float, float, float]], ways: str, clear: float
) -> None:
    outlines = [Point(x, y).buffer(r, quad_segs=6) for x, y, r in discs]
    wish = WeedWish(lines=ways, strip_mm=90, clear_mm=clear)  # type: ignore[arg-type]
    frame = weed_box(outlines, wish)
    for stroke in cross_lines(outlines, wish):
        line = LineString(stroke)
        assert frame.buffer(1e-6).covers(line) and line.length >= 3
        # the grown outline is a polygon: its flats lie a little nearer than the circle they stand for
        assert min(line.distance(outline) for outline in outlines) > clear * 0.97
    assert all(
        frame.exterior.distance(outline) == pytest.approx(wish.margin_mm, abs=1e-6)
        or frame.exterior.distance(outline) > wish.margin_mm
        for outline in outlines
    )


def test_a_cross_line_goes_where_the_pieces_leave_it_whole() -> None:
    # two blocks with a free street of 6 mm between them, 13 mm off the even place
    blocks: list[Polygon] = [box(0, 0, 100, 80), box(0, 86, 100, 140)]
    (line,) = cross_lines(blocks, WeedWish(strip_mm=70, margin_mm=0))
    assert np.ptp(line[:, 0]) == pytest.approx(100) and 81 < line[0, 1] < 85


def test_the_waste_falls_into_strips() -> None:
    discs = [Point(x, y).buffer(12) for x in range(20, 400, 40) for y in range(20, 600, 40)]
    wish = WeedWish(strip_mm=120, clear_mm=0.5)
    lines = [LineString(stroke) for stroke in cross_lines(discs, wish)]
    waste = weed_box(discs, wish).difference(shapely.union_all(discs))
    # 14 × 40 + 24 + 2 × 2 = 588 mm: five strips, each in one part, since no line touches a piece
    strips = [
        part for part in shapely.get_parts(waste.difference(shapely.union_all(lines).buffer(1e-3))) if part.area > 100
    ]
    assert len(strips) == 5


def test_a_frame_may_start_anywhere_and_a_sheet_keeps_its_length() -> None:
    recipe, reach = MarkRecipe(), Reach(1616, 3200)
    work = (0, 0, 300, 200)
    plain = plan_frame(work, 1000, recipe, reach, "AB2CD3", "x")
    moved = plan_frame(work, 1000, recipe, reach, "AB2CD3", "x", Where(990, from_edge_mm=40, lead_mm=75))
    left = min(mark.x for mark in moved.marks)
    assert left - recipe.size_mm / 2 - recipe.clear_mm == pytest.approx(40)
    assert moved.length_mm == pytest.approx(plain.length_mm + 75)
    assert moved.work[1] == pytest.approx(plain.work[1] + 75)
    stock = {"width_mm": 1000, "sever_mm": 12}
    rest = {"designs": [{"id": "a", "art": "a.pdf"}], "layout": "LAYOUT.json"}
    asked = RunFile.model_validate({"stock": stock, **rest}).where(0)
    assert RunFile.model_validate({"stock": {**stock, "sheet_mm": 700}, **rest}).where(0).sever_mm == 0  # cut already
    apart = plan_frame(work, 1000, recipe, reach, "AB2CD3", "x", asked)
    assert apart.length_mm == pytest.approx(plain.length_mm + 12)  # behind it all, and nothing else moves
    assert [(mark.x, mark.y) for mark in apart.marks] == [(mark.x, mark.y) for mark in plain.marks]
    longest = longest_on_sheet_mm(recipe, 500)
    whole = plan_frame((0, 0, 300, longest), 1000, recipe, reach, "AB2CD3", "x", Where(990, sheet_mm=500))
    assert whole.length_mm == 500
    assert plan_frame(work, 1000, recipe, reach, "AB2CD3", "x", Where(990, sheet_mm=500)).length_mm == 500
    with pytest.raises(JobError, match="the sheet is 500 mm long"):
        plan_frame((0, 0, 300, longest + 1), 1000, recipe, reach, "AB2CD3", "x", Where(990, sheet_mm=500))
    with pytest.raises(JobError, match="Printer east leaves 320 mm"):
        plan_frame(work, 1000, recipe, reach, "AB2CD3", "x", Where(320, "Printer east"))
    with pytest.raises(JobError, match="leaves 295 mm"):
        plan_frame(work, 1000, recipe, reach, "AB2CD3", "x", Where(990, from_edge_mm=700))


def test_blanks_set_down_one_by_one_take_what_they_are_for() -> None:
    small, disc = Piece("small", box(0, 0, 9, 9), 3, QUARTER), Piece("disc", Point(0, 0).buffer(10, 32), 2, QUARTER)
    places = (
        Place(10, 5, 30, 45, rotation_deg=90),  # any: the first design that fits
        Place(60, 5, 22, 22, shape="ellipse", takes=frozenset(["disc"])),
        Place(60, 40, 12, 12, takes=frozenset(["small", "disc"])),
    )
    layout = bed_plan(problem([replace(CARD, count=1), small, disc]), BedWish(1, 1, places=places), 100)
    where = [(one.id, one.sheet, placed_outline(one_of(one), one).centroid.coords[0]) for one in layout.placements]
    middles = {(25, 27.5), (71, 16), (66, 46)}
    assert {tuple(round(value, 6) for value in middle) for _, _, middle in where} == middles
    assert [(name, sheet) for name, sheet, _ in where] == [
        ("card", 0), ("disc", 0), ("small", 0), ("small", 1), ("disc", 1), ("small", 1),
    ]  # fmt: skip
    assert not layout.unplaced and layout.length_mm == pytest.approx(2 * 52)


def one_of(placement: Placement) -> Piece:
    shapes = {"card": CARD, "small": Piece("small", box(0, 0, 9, 9), 3, QUARTER)}
    return shapes.get(placement.id, Piece("disc", Point(0, 0).buffer(10, 32), 2, QUARTER))


def test_nothing_is_put_beyond_a_round_blank() -> None:
    # a square of 15 mm has a half diagonal of 10.6 mm: it fits a disc of 22 mm, not one of 21 mm
    square = problem([Piece("square", box(0, 0, 15, 15), 1, QUARTER)])
    fits = [bed_plan(square, BedWish(1, 1, places=(Place(0, 0, d, d, shape="ellipse"),)), 100) for d in (22, 21)]
    assert [len(layout.placements) for layout in fits] == [1, 0]
    assert fits[1].unplaced[0].reason == "It is larger than every blank that is for it."
    other = bed_plan(square, BedWish(1, 1, places=(Place(0, 0, 30, 30, takes=frozenset(["x"])),)), 100)
    assert other.unplaced[0].reason == "No blank on the bed is for it."


def test_blanks_off_the_bed_or_on_each_other_are_told_and_stay_empty() -> None:
    places = (Place(0, 0, 30, 30), Place(20, 20, 30, 30), Place(50, 0, 30, 30), Place(180, 0, 30, 30))
    faults = bed_faults(places, 200, 100)
    assert set(faults) == {2, 4}  # the third only touches the second, which is out already
    assert faults[2].startswith("It lies on blank 1") and faults[4].startswith("It reaches 10.0 mm off the bed")
    layout = bed_plan(problem([CARD_OF_30]), BedWish(1, 1, places=places), 100)
    assert Counter(one.sheet for one in layout.placements) == {0: 2, 1: 2}
    # two round ones whose boxes overlap, but not they
    assert bed_faults((Place(0, 0, 20, 20, shape="ellipse"), Place(17, 17, 20, 20, shape="ellipse")), 200, 100) == {}


CARD_OF_30 = Piece("square", box(0, 0, 30, 30), 4, QUARTER)
