"""Label webs: their arithmetic, their marks, what is cut of them. Numbers of the trade: common practice, no published
source."""

from dataclasses import replace
from math import inf, pi

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.cutting.web_pairs import outlines
from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import rounded
from etiquette.core.planning.web_feeding import Feeding, feeding_problems, severed
from etiquette.core.planning.web_marks import (
    MarkRules,
    StationMark,
    WebMark,
    clearances,
    mark_of,
    station_boxes,
    station_clearances,
)
from etiquette.core.planning.web_shapes import why_no_shape
from etiquette.core.planning.webs import (
    TURNS,
    UNWINDING,
    Applicator,
    CutLook,
    Cylinder,
    Edges,
    Label,
    Rolls,
    Web,
    applicator_problems,
    art_box,
    cuts,
    look_problems,
    making,
    outer_mm,
    problems,
    sums,
)

INCH = 25.4


def test_bleed_is_added_on_both_sides() -> None:
    """A cut of 3.00 × 4.00 in with 0.08 in for both sides added up wants art of 3.08 × 4.08 in."""
    web = Web(Label(3 * INCH, 4 * INCH), 5 * INCH, bleed_mm=0.04 * INCH)
    told = sums(web)
    assert (told.art_width_mm / INCH, told.art_height_mm / INCH) == pytest.approx((3.08, 4.08))


@pytest.mark.parametrize(
    ("die", "bleed", "to_set"),
    [(0.25 * INCH, 0.08 * INCH, 0.17 * INCH), (6.0, 2.0, 4.0)],
    ids=["inches", "millimetres"],
)
def test_the_gap_to_set_is_that_of_the_die_less_the_bleed(die: float, bleed: float, to_set: float) -> None:
    web = Web(Label(50, 30), 200, columns=2, rows=2, gap_across_mm=die, gap_along_mm=die, bleed_mm=bleed / 2)
    assert (sums(web).gap_across_set_mm, sums(web).gap_along_set_mm) == pytest.approx((to_set, to_set))


def test_the_printable_page_is_the_nominal_one_less_its_edges() -> None:
    edges = Edges(2.12, 2.12, 2.12, 2.12)
    told = sums(Web(Label(50, 30), 130.0, repeat_mm=165.0, unprinted=edges))
    assert (told.printable_width_mm, told.printable_length_mm) == pytest.approx((125.76, 160.76))


def test_labels_stand_in_the_middle_or_from_a_margin() -> None:
    """Two of 40 mm, 5 mm apart, on 100 mm: 7.5 mm free on each side; three rows of 20 mm, 4 mm apart, in a repeat of
    72 mm begin at 2 mm."""
    web = Web(Label(40, 20), 100.0, columns=2, rows=3, gap_across_mm=5, gap_along_mm=4)
    boxes = cuts(web)
    assert web.length_mm == 72 and boxes[0] == (7.5, 2.0, 47.5, 22.0) and boxes[-1] == (52.5, 50.0, 92.5, 70.0)
    moved = cuts(replace(web, from_left_mm=3.0, from_first_mm=0.5))
    assert moved[0] == (3.0, 0.5, 43.0, 20.5) and len(moved) == 6


def test_what_cannot_be_printed_or_cut_is_said_with_its_place() -> None:
    fits = Web(Label(40, 20), 100.0, columns=2, rows=2, gap_across_mm=5, gap_along_mm=4, bleed_mm=2.0)
    assert problems(fits) == []
    said = {
        "bleeds of labels beside": replace(fits, gap_across_mm=3.0),
        "bleeds of labels behind": replace(fits, gap_along_mm=3.0),
        "shorter than its labels": replace(fits, repeat_mm=43.0),
        "left edge": replace(fits, unprinted=Edges(left_mm=6.0)),
        "right edge": replace(fits, from_left_mm=14.0),
        "first edge of the page": replace(fits, unprinted=Edges(first_mm=0.5)),
    }
    for words, web in said.items():
        found = problems(web)
        assert any(words in one.what for one in found), (words, found)
        assert all(0 <= one.x <= 110 and -10 <= one.y <= 110 for one in found)


@given(
    st.integers(1, 6), st.integers(1, 6), st.floats(5, 60), st.floats(5, 60), st.floats(0, 8), st.floats(0, 8),
    st.sampled_from(sorted(UNWINDING)), st.integers(1, 2),
)  # fmt: skip
def test_cuts_never_overlap_and_keep_their_gaps(
    columns: int, rows: int, width: float, height: float, across: float, along: float, unwinding: int, windings: int
) -> None:
    web = Web(Label(width, height), 500.0, columns, rows, across, along, unwinding=unwinding, windings=windings)
    boxes = np.array(cuts(web))
    assert len(boxes) == web.labels and sums(web).gap_to_next_mm == pytest.approx(along, abs=1e-6)
    grid = boxes.reshape(rows, columns, 4)
    assert grid[:, 1:, 0] - grid[:, :-1, 2] == pytest.approx(np.full((rows, columns - 1), across), abs=1e-6)
    assert grid[1:, :, 1] - grid[:-1, :, 3] == pytest.approx(np.full((rows - 1, columns), along), abs=1e-6)
    sides = sorted((boxes[0, 2] - boxes[0, 0], boxes[0, 3] - boxes[0, 1]))
    assert sides == pytest.approx(sorted((width, height)))


def test_all_eight_ways_of_unwinding() -> None:
    """Every side leads once facing out and once facing in; turned so, it lies at the end of the page, and one winding
    more turns it round."""
    assert sorted(UNWINDING.values()) == sorted((face, side) for face in ("out", "in") for side in TURNS)
    ends = {"head": (0.0, 1.0), "foot": (0.0, -1.0), "right": (1.0, 0.0), "left": (-1.0, 0.0)}
    for number, (_, side) in UNWINDING.items():
        for windings, end in ((1, 1.0), (2, -1.0)):
            turn = np.radians(Web(Label(30, 20), 100, unwinding=number, windings=windings).turn_deg)
            x, y = ends[side]
            assert x * np.sin(turn) + y * np.cos(turn) == pytest.approx(end), (number, windings)


def test_teeth_and_pitch_of_a_cylinder_make_the_repeat() -> None:
    """96 teeth of 3.175 mm go 304.8 mm round; two repeats on it are 152.4 mm. A plate 0.5 mm thick is bent to a way
    round that is longer by π mm: its drawing is 0.98969 of what it cuts."""
    solid = Cylinder(96, 3.175)
    assert (solid.repeat_mm, solid.shrink) == pytest.approx((304.8, 1.0))
    assert Cylinder(96, 3.175, around=2).repeat_mm == pytest.approx(152.4)
    assert Cylinder(96, 3.175, plate_mm=0.5).shrink == pytest.approx((304.8 - pi) / 304.8)


# --- marks

KIND_A = MarkRules(
    width_mm=(2, 4), height_mm=(2, 4), left_mm=(5, 10), bottom_mm=(0, 0), right_of_mark_mm=2.0, not_below_mark=True,
    right_free_mm=5.0, top_free_mm=2.0, longest_repeat_mm=349.0,
)  # fmt: skip
KIND_B = MarkRules(width_mm=(4, inf), height_mm=(4, 4), bottom_mm=(140, 140), bottom_from="top")


def test_a_mark_on_the_bottom_edge_with_all_its_rules() -> None:
    """Art of 80 × 120 mm from 13 mm on a page of 100 × 127 mm: 2 mm and more beside the mark, above it, off the right
    edge and off the end."""
    web = Web(Label(76, 116), 100.0, repeat_mm=127.0, from_left_mm=15.0, from_first_mm=6.0, bleed_mm=2.0)
    mark = WebMark(6.0, 0.0, 4.0, 4.0)
    assert art_box(cuts(web), web.bleed_mm) == (13.0, 4.0, 93.0, 124.0)
    found = clearances(web, mark, KIND_A)
    assert [one.there_mm for one in found] == pytest.approx([4.0, 4.0, 6.0, 0.0, 3.0, 0.0, 7.0, 3.0, 127.0])
    assert all(one.kept for one in found)
    broken = [
        ("From the left edge", web, replace(mark, x=4.0)),
        ("From the mark to the art", web, replace(mark, x=8.0)),
        ("From the top of the mark", replace(web, from_first_mm=5.9), mark),
        ("From the art to the right edge", replace(web, from_left_mm=18.1), mark),
        ("From the art to the end", replace(web, repeat_mm=125.0), mark),
        ("Height of the mark", web, replace(mark, height_mm=4.5)),
        ("bottom of the mark", web, replace(mark, y=0.5)),
        ("Repeat", replace(web, repeat_mm=350.0), mark),
    ]
    for words, tried, moved in broken:
        failed = [one.words for one in clearances(tried, moved, KIND_A) if not one.kept]
        assert any(words in one for one in failed), (words, failed)


def test_a_mark_at_a_height_from_the_top_of_the_page() -> None:
    web = Web(Label(60, 90), 100.0, repeat_mm=200.0, from_left_mm=30.0)
    mark = mark_of(KIND_B, 200.0)
    assert (mark.y, mark.height_mm, mark.width_mm) == (60.0, 4.0, 4.0)  # its bottom 140 mm from the top
    assert all(one.kept for one in clearances(web, mark, KIND_B))
    assert not all(one.kept for one in clearances(web, replace(mark, y=61.0), KIND_B))
    wider = [one for one in clearances(web, replace(mark, width_mm=20.0), KIND_B) if not one.kept]
    assert wider == []  # 4 mm and more


def test_a_mark_under_art_or_off_the_print_is_none_whatever_its_rules() -> None:
    free = MarkRules(width_mm=(0, inf), height_mm=(0, inf))
    web = Web(Label(60, 90), 100.0, unprinted=Edges(left_mm=3.0))
    assert [one.words for one in clearances(web, WebMark(30, 30, 4, 4), free) if not one.kept] == [
        "The mark lies on art"
    ]
    assert not all(one.kept for one in clearances(web, WebMark(1, 30, 4, 4), free))
    assert all(one.kept for one in clearances(web, WebMark(5, 30, 4, 4), free))


# --- how much of it


def test_rolls_of_lanes_that_are_slit_apart() -> None:
    """3 lanes, 2 rows of 50 mm and 4 mm gap: a repeat of 108 mm has 2 labels of each lane. 4 rolls of 1,000 and one of
    500: 3 + 2 rolls, two sets of 500 repeats, each with 1.5 m of leader and tail."""
    web = Web(Label(30, 50), 110.0, columns=3, rows=2, gap_along_mm=4.0)
    made = making(web, Rolls(4500, per_roll=1000, leader_mm=1000, tail_mm=500))
    assert (made.repeats, made.rolls, made.on_last_roll) == (1000, 5, 500)
    assert made.length_mm == 1000 * 108 + 2 * 1500
    assert made.waste == pytest.approx(1 - 4500 * 30 * 50 / (110 * made.length_mm))
    alone = making(web, Rolls(3500, per_roll=1000))
    assert (alone.repeats, alone.rolls, alone.on_last_roll) == (750, 4, 500)  # the last set is one roll of 500
    whole = making(web, Rolls(4500, slit=False))
    assert (whole.repeats, whole.rolls, whole.on_last_roll) == (750, 1, 4500)


@given(st.integers(1, 50_000), st.integers(1, 3000), st.integers(1, 5), st.integers(1, 8), st.booleans())
def test_never_fewer_labels_than_were_asked_for(count: int, per_roll: int, columns: int, rows: int, slit: bool) -> None:
    web = Web(Label(20, 20), 200.0, columns=columns, rows=rows)
    made = making(web, Rolls(count, per_roll, slit))
    assert made.labels >= count and (made.rolls - 1) * per_roll + made.on_last_roll == count
    assert 1 <= made.on_last_roll <= per_roll and 0 <= made.waste < 1


@given(st.floats(10, 500_000), st.floats(20, 152), st.floats(0.05, 0.4))
def test_the_side_of_a_roll_is_as_large_as_the_edge_of_what_is_wound(length: float, core: float, thick: float) -> None:
    outer = outer_mm(length, core, thick)
    assert pi / 4 * (outer**2 - core**2) == pytest.approx(length * thick)


def test_what_an_applicator_asks() -> None:
    web, rolls = Web(Label(30, 50), 40.0, gap_along_mm=3.0), Rolls(2000, core_mm=76.0, thickness_mm=0.2)
    fits = Applicator(least_gap_mm=3.0, unwinding=1, core_mm=76.0, most_outer_mm=200.0)
    assert applicator_problems(web, rolls, fits) == []
    # 2,000 repeats of 53 mm, 0.2 mm thick, on 76 mm: √(5776 + 4 · 106000 · 0.2 / π) = 180.96 mm
    (thick,) = applicator_problems(web, rolls, replace(fits, most_outer_mm=180.0))
    assert "181 mm thick" in thick
    said = applicator_problems(web, replace(rolls, thickness_mm=0), Applicator(4.0, 3, 40.0, 200.0))
    words = ("3.00 mm", "unwinds as 1", "core is 76", "not known")
    assert all(one in sentence for one, sentence in zip(words, said, strict=True))


# --- what is cut


def test_the_outline_lies_inside_the_art_with_its_end_at_the_end_of_the_art() -> None:
    """Art of 60 × 44 mm; 1 mm inside it on three sides, none at the top, corners of 3 mm."""
    web = Web(Label(56, 40), 80.0, from_left_mm=10.0, from_first_mm=6.0, repeat_mm=60.0, bleed_mm=2.0)
    (ring,) = outlines(web, CutLook(inset_mm=1.0, corner_mm=3.0, top_at_art=True))
    assert (*ring.min(axis=0), *ring.max(axis=0)) == pytest.approx((9.0, 5.0, 67.0, 48.0))
    corner = ring[(ring[:, 0] < 11.9) & (ring[:, 1] < 7.9)]
    assert np.hypot(*(corner - (12.0, 8.0)).T) == pytest.approx(np.full(len(corner), 3.0), abs=1e-6)
    (plain,) = outlines(web, CutLook())
    assert (*plain.min(axis=0), *plain.max(axis=0)) == pytest.approx((10.0, 6.0, 66.0, 46.0))


def test_corners_are_no_rounder_than_the_label_is_small() -> None:
    assert rounded((0, 0, 10, 4), 9.0).area == pytest.approx(6 * 4 + pi * 4, rel=1e-3)
    assert rounded((0, 0, 8, 8), 4.0).area == pytest.approx(pi * 16, rel=1e-3)  # a round label
    assert rounded((0, 0, 8, 8), 1e-300).area == 64.0


@pytest.mark.parametrize(
    ("feeding", "mark", "told"),
    [
        (Feeding(), False, []),
        (Feeding(cut_already=True), False, ["found by nothing"]),
        (Feeding(cut_already=True, finds="gap"), False, []),
        (Feeding(finds="gap"), True, ["no gap to be found"]),
        (Feeding(finds="mark"), False, ["none is printed"]),
        (Feeding(finds="mark"), True, []),
        (Feeding(cut_already=True, finds="mark"), False, []),  # it is on the stock
        (Feeding(severs="each"), False, []),
    ],
)
def test_what_a_printer_follows_has_to_be_there(feeding: Feeding, mark: bool, told: list[str]) -> None:
    web = Web(Label(40, 20), 100, columns=2, rows=3, gap_across_mm=4, gap_along_mm=4, bleed_mm=1)
    found = feeding_problems(web, feeding, mark)
    assert [any(words in one.what for one in found) for words in told] == [True] * len(found)
    assert len(found) == len(told)


def test_it_is_not_severed_through_bleed_and_pieces_are_counted() -> None:
    web = Web(Label(40, 20), 100, rows=3, gap_along_mm=1, bleed_mm=1)
    assert "bleeds overlap" in feeding_problems(web, Feeding(severs="each"), False)[-1].what
    made = making(web, Rolls(count=100))  # one lane, 34 repeats of 3 rows
    assert made.repeats == 34
    assert severed(web, Feeding(severs="each"), made) == 102
    assert severed(web, Feeding(severs="every", every=5), made) == 21
    assert severed(web, Feeding(), made) == 1


def test_a_mark_for_several_repeats_makes_a_page_of_them() -> None:
    """Three repeats of 70 mm: 10 mm of cut 30 high, then 5 mm more; worked by hand."""
    one = Web(Label(50, 30), 100.0, rows=2, gap_along_mm=5.0, repeat_mm=70.0, from_first_mm=2.0)
    three = replace(one, repeats=3)
    assert three.length_mm == 210 and three.labels == 6
    assert [low for _, low, _, _ in cuts(three)] == [2, 37, 72, 107, 142, 177]
    assert sums(three).repeat_mm == 70 and sums(three).gap_to_next_mm == pytest.approx(5.0)
    # 100 labels are 17 pages of 6: 51 repeats, 102 labels
    made = making(three, Rolls(100))
    assert (made.repeats, made.labels, made.length_mm) == (51, 102, 51 * 70.0)
    # the finisher goes from mark to mark
    told = clearances(three, WebMark(0, 0, 3, 3), MarkRules((3, 3), (3, 3), longest_repeat_mm=200))
    assert {one.words: one.kept for one in told}["Repeat"] is False


def test_the_sensor_of_a_rotary_station_sees_its_mark_and_nothing_else() -> None:
    web = Web(Label(50, 30), 100.0, repeat_mm=60.0, bleed_mm=2.0, repeats=2)  # art from 23 to 77 across
    both = StationMark("both", edge_mm=4.0, width_mm=8.0, height_mm=3.0, first_mm=10.0, lane_mm=5.0)
    assert station_boxes(web, both) == [(4, 10, 12, 13), (88, 10, 96, 13), (4, 70, 12, 73), (88, 70, 96, 73)]
    told = station_clearances(web, both, None)
    assert [(one.there_mm, one.kept) for one in told] == [(11.0, True), (11.0, True)]
    near = station_clearances(web, replace(both, edge_mm=12.0), WebMark(5, 0, 4, 4))
    kept = {one.words: one.kept for one in near}
    assert kept["From the art to the station's mark on the left"] is False  # 3 mm of 5
    assert kept["From the black mark to the lane of the station's mark on the left"] is False
    late = station_clearances(web, replace(both, side="left", first_mm=58.0), None)
    assert [one.words for one in late if not one.kept] == ["The station's mark reaches into the next repeat"]
    unprinted = replace(web, unprinted=Edges(left_mm=6.0))
    off = station_clearances(unprinted, replace(both, side="left"), None)
    assert [one.words for one in off if not one.kept] == ["The station's mark reaches into an edge that is not printed"]


TRIANGLE = ((0.0, 0.0), (1.0, 0.0), (0.5, 1.0))


def test_a_shape_is_stretched_to_its_label_and_turned_with_it() -> None:
    """A triangle of 30 × 20 mm standing on its base: half of its box; on a roll whose left side leads it points across,
    and a millimetre inside, its box is as much smaller as the radius of its inscribed circle says."""
    web = Web(Label(30, 20, shape=TRIANGLE), 100.0, from_left_mm=10.0, from_first_mm=5.0, repeat_mm=60.0)
    assert web.label.area_mm2 == pytest.approx(300.0)
    (ring,) = outlines(web, CutLook())
    assert {tuple(point) for point in ring} == {(10.0, 5.0), (40.0, 5.0), (25.0, 25.0)}
    (turned,) = outlines(replace(web, unwinding=3), CutLook())
    assert {tuple(point) for point in turned.round(9)} == {(30.0, 5.0), (30.0, 35.0), (10.0, 20.0)}
    (inside,) = outlines(web, CutLook(inset_mm=1.0))
    inscribed = 2 * 300.0 / (30 + 2 * np.hypot(15, 20))  # the radius: twice the area by the way round
    assert np.ptp(inside, axis=0) == pytest.approx(np.array([30, 20]) * (1 - 1.0 / inscribed), abs=1e-6)
    with pytest.raises(JobError, match="inside the cut leaves no parts"):
        outlines(web, CutLook(inset_mm=8.0))
    made = making(replace(web, repeat_mm=20.0, from_first_mm=0.0), Rolls(100))
    assert made.waste == pytest.approx(1 - 100 * 300.0 / (100.0 * 100 * 20.0))


def test_a_shape_has_no_end_to_move_and_no_corners_to_round() -> None:
    web = Web(Label(30, 20, shape=TRIANGLE), 100.0, from_left_mm=10.0, from_first_mm=5.0, repeat_mm=60.0)
    assert look_problems(web, CutLook(inset_mm=0.5)) == []
    (told,) = look_problems(web, CutLook(corner_mm=2.0))
    assert "no corners to be made round" in told.what and (told.x, told.y) == (25.0, 15.0)
    assert look_problems(web, CutLook(top_at_art=True)) == [told]
    assert look_problems(replace(web, label=Label(30, 20)), CutLook(top_at_art=True, corner_mm=2.0)) == []


@pytest.mark.parametrize(
    ("shape", "why"),
    [
        (TRIANGLE, None),
        (TRIANGLE[:2], "3 to 4000 corners"),
        ([(0, 0), (1, 0), (0.5,)], "a pair of numbers"),
        ([(0, 0), (1, 0), (0.5, float("nan"))], "from 0 to 1"),
        ([(0, 0), (1, 0), (0.5, 1.2)], "from 0 to 1"),
        ([(0, 0), (0.9, 0), (0.5, 1)], "all four sides"),
        ([(0, 0), (1, 1), (1, 0), (0, 1)], "crosses itself"),
        ([(0, 0), (1, 1), (0.5, 0.5)], "crosses itself"),
    ],
)
def test_what_is_no_shape_is_said(shape: list[tuple[float, ...]], why: str | None) -> None:
    told = why_no_shape(shape)
    assert told is None if why is None else told is not None and why in told
