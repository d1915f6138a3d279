"""Straight grids by arithmetic worked by hand; filling against the check of layouts."""

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import box

from etiquette.core.planning.filling import filled_up
from etiquette.core.planning.grids import GridWish, grid
from etiquette.core.planning.nesting import nest
from etiquette.core.planning.problem import Layout, Piece, Placement, placed_outline
from etiquette.core.planning.verifying import verify
from tests.core.test_planning import QUARTER, problem, star

CARD = Piece("card", box(0, 0, 40, 25), 10, QUARTER)


def corners(placements: tuple[Placement, ...]) -> list[tuple[float, float]]:
    return [(one.x_mm, one.y_mm) for one in placements]


def test_as_many_as_fit_from_the_edge() -> None:
    # 3 + 4 × 40 + 3 × 4 = 175 of 200 − 3: four fit, a fifth would need 219
    layout = grid(problem([CARD]), GridWish(gap_across_mm=4, gap_along_mm=1.5, place="from the edge"))
    assert corners(layout.placements)[:5] == [(3, 3), (47, 3), (91, 3), (135, 3), (3, 29.5)]
    assert len(layout.placements) == 10
    assert layout.length_mm == pytest.approx(3 + 3 * 25 + 2 * 1.5 + 3)
    assert layout.utilisation == pytest.approx(10 * 1000 / (200 * 84), abs=1e-5)


def test_four_that_fit_to_the_last_hair() -> None:
    layout = grid(problem([CARD], width_mm=4 * 40 + 3 * 2 + 6), GridWish())
    assert Counter(one.y_mm for one in layout.placements)[3] == 4


def test_centred_with_a_given_number_of_columns() -> None:
    layout = grid(problem([CARD]), GridWish(columns=2, gap_across_mm=10))
    # 2 × 40 + 10 = 90 in 194: 52 on each side, and the edge of 3
    assert corners(layout.placements)[:2] == [(55, 3), (105, 3)]


def test_a_staggered_row_is_half_a_step_further_and_one_shorter_where_it_must() -> None:
    wish = GridWish(gap_across_mm=0, gap_along_mm=0, place="from the edge", staggered=True)
    layout = grid(problem([CARD], width_mm=6 + 4 * 40), wish)
    rows = Counter(one.y_mm for one in layout.placements)
    assert [rows[y] for y in sorted(rows)] == [4, 3, 3] and min(
        one.x_mm for one in layout.placements if one.y_mm == 28
    ) == 23
    wider = grid(problem([CARD], width_mm=6 + 4 * 40 + 20), wish)
    assert Counter(one.y_mm for one in wider.placements) == {3: 4, 28: 4, 53: 2}


def test_designs_follow_each_other_and_frames_hold_whole_rows() -> None:
    other = Piece("tag", box(-10, -5, 10, 5), 20, QUARTER)
    layout = grid(problem([CARD, other]), GridWish(place="from the edge"), longest_mm=60)
    by_frame: dict[int, list[float]] = {}
    for one in layout.placements:
        outline = placed_outline(CARD if one.id == "card" else other, one)
        by_frame.setdefault(one.sheet, []).extend([outline.bounds[1], outline.bounds[3]])
    assert all(max(ys) - min(ys) <= 60 and min(ys) == pytest.approx(3) for ys in by_frame.values())
    # 25 + 2 + 25 = 52 in the first; 25 + 2 + 10 + 2 + 10 = 49 in the second, with the last row of tags 61: in the third
    assert [len(ys) // 2 for ys in by_frame.values()] == [8, 18, 4]


def test_a_frame_takes_no_more_rows_than_are_asked_for() -> None:
    """Ten pieces of 40 × 25 mm, three columns, two rows a frame: six on the first, four on the second."""
    made = grid(problem([CARD]), GridWish(columns=3, rows=2), 500.0)
    assert [one.sheet for one in made.placements] == [0] * 6 + [1] * 4
    assert len({round(one.y_mm, 3) for one in made.placements if one.sheet == 0}) == 2
    short = grid(problem([CARD]), GridWish(columns=3, rows=2), 30.0)  # one row is all that a frame holds
    assert [one.sheet for one in short.placements] == [0] * 3 + [1] * 3 + [2] * 3 + [3]


def test_turned_pieces_and_what_is_too_wide_or_too_long() -> None:
    turned = grid(problem([CARD]), GridWish(rotation_deg=90, place="from the edge"))
    assert placed_outline(CARD, turned.placements[0]).bounds == pytest.approx((3, 3, 28, 43))
    wide = grid(problem([Piece("wide", box(0, 0, 300, 5), 2, QUARTER), CARD]), GridWish())
    assert [(one.id, one.count) for one in wide.unplaced] == [("wide", 2)] and len(wide.placements) == 10
    tall = grid(problem([Piece("tall", box(0, 0, 5, 300), 3, QUARTER)]), GridWish(), longest_mm=100)
    assert [(one.id, one.count, "100 mm" in one.reason) for one in tall.unplaced] == [("tall", 3, True)]


@given(
    st.floats(5, 90),
    st.floats(5, 60),
    st.integers(1, 40),
    st.floats(0, 9),
    st.floats(0, 9),
    st.booleans(),
    st.sampled_from([0.0, 90.0]),
)
def test_a_grid_keeps_its_gaps_and_its_edges(
    width: float, height: float, count: int, across: float, along: float, staggered: bool, turn: float
) -> None:
    piece = Piece("p", box(0, 0, width, height), count, QUARTER)
    wish = GridWish(gap_across_mm=across, gap_along_mm=along, staggered=staggered, rotation_deg=turn)
    asked = problem([piece], gap_mm=min(across, along))
    layout = grid(asked, wish)
    assert len(layout.placements) == count and verify(asked, layout) == []


@given(st.integers(0, 200))
def test_filling_adds_only_where_there_is_room_until_there_is_none(seed: int) -> None:
    asked = problem([Piece("s", star(5, 16, 0.5), 5, QUARTER), Piece("dot", box(0, 0, 12, 12), 0, QUARTER)], seed=seed)
    first = nest(asked)
    framed = problem(list(asked.pieces), length_mm=first.length_mm)
    added = filled_up(framed, first.placements, 0, ["dot"])
    whole = Layout(0, 0, 0, "steps", (*first.placements, *added), ())
    assert verify(framed, whole) == []
    assert {one.id for one in added} <= {"dot"} and len({one.copy for one in added}) == len(added)
    assert filled_up(framed, whole.placements, 0, ["dot"]) == []


def test_an_empty_frame_is_filled_by_turns() -> None:
    asked = problem(
        [Piece("a", box(0, 0, 20, 20), 0, (0.0,)), Piece("b", box(0, 0, 20, 20), 0, (0.0,))], length_mm=100.0
    )
    added = filled_up(asked, [], 0, ["a", "b"])
    kinds = Counter(one.id for one in added)
    # 194 mm across hold eight of 20 + 2 mm, 94 mm along four
    assert kinds["a"] == kinds["b"] == 16
