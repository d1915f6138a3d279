"""Pieces put by hand: where they may not lie they go to the nearest place where they may."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import box

from etiquette.core.errors import JobError
from etiquette.core.planning.by_hand import nearest_place, turned_in_place
from etiquette.core.planning.nesting import nest
from etiquette.core.planning.problem import Layout, Piece, Placement, placed_outline
from etiquette.core.planning.verifying import verify
from tests.core.test_planning import QUARTER, problem, star

SQUARE = Piece("a", box(0, 0, 20, 20), 9, QUARTER)


def test_a_free_place_is_kept_as_it_is() -> None:
    asked = problem([SQUARE])
    there = Placement("a", 1, 0, 50, 60, 0)
    assert nearest_place(asked, [there, Placement("a", 2, 0, 90, 60, 0)], [there]) == [there]


def test_beside_a_piece_the_gap_is_left_and_no_more() -> None:
    asked = problem([SQUARE])
    fixed = Placement("a", 1, 0, 100, 100, 0)
    for wish, expected in (((115.0, 100.0), (122, 100)), ((100.0, 84.0), (100, 78)), ((83.0, 101.0), (78, 101))):
        (put,) = nearest_place(asked, [fixed], [Placement("a", 2, 0, *wish, 0)]) or []
        assert (put.x_mm, put.y_mm) == pytest.approx(expected, abs=0.35)
        assert 2 - 0.01 <= placed_outline(SQUARE, put).distance(placed_outline(SQUARE, fixed)) <= 2.02


@given(st.floats(-300, 500), st.floats(-200, 400), st.integers(0, 5000))
def test_wherever_it_is_put_the_layout_stays_in_order(x: float, y: float, seed: int) -> None:
    asked = problem([Piece("s", star(5, 15, 0.5), 6, QUARTER), SQUARE], length_mm=300.0)
    random = np.random.default_rng(seed)
    laid: list[Placement] = []
    for copy in range(1, 7):
        wish = Placement(
            "s", copy, 0, float(random.uniform(0, 200)), float(random.uniform(0, 300)), float(random.uniform(0, 360))
        )
        laid += nearest_place(asked, laid, [wish]) or []
    put = nearest_place(asked, laid, [Placement("a", 1, 0, x, y, 0)])
    assert put is not None
    assert verify(asked, Layout(0, 0, 0, "steps", (*laid, *put), ())) == []


def test_pieces_held_together_stay_together() -> None:
    asked = problem([SQUARE])
    held = [Placement("a", 1, 0, -30, 5, 0), Placement("a", 2, 0, 10, 5, 0)]
    put = nearest_place(asked, held, held) or []
    assert [one.x_mm for one in put] == pytest.approx([3, 43]) and {one.y_mm for one in put} == {5}


def test_where_there_is_no_room_near_nothing_is_given() -> None:
    asked = problem([SQUARE], length_mm=26.0, width_mm=48.0)
    both = [Placement("a", 1, 0, 3, 3, 0), Placement("a", 2, 0, 25, 3, 0)]
    assert nearest_place(asked, both, [Placement("a", 3, 0, 10, 3, 0)]) is None


def test_a_keep_out_is_left_alone() -> None:
    asked = problem([SQUARE], keep_out=(box(0, 0, 200, 50),))
    (put,) = nearest_place(asked, [], [Placement("a", 1, 0, 80, 40, 0)]) or []
    assert put.y_mm == pytest.approx(50, abs=0.02) and put.x_mm == pytest.approx(80, abs=0.1)


@given(st.floats(-360, 360))
def test_turning_keeps_the_middle_of_the_box(degrees: float) -> None:
    asked = problem([Piece("s", star(5, 15, 0.5), 1, QUARTER)])
    before = Placement("s", 1, 0, 40, 70, 30)
    after = turned_in_place(asked, before, degrees)
    (x0, y0, x1, y1), (u0, v0, u1, v1) = (placed_outline(asked.pieces[0], one).bounds for one in (before, after))
    assert (x0 + x1, y0 + y1) == pytest.approx((u0 + u1, v0 + v1))
    assert after.rotation_deg == pytest.approx((30 + degrees) % 360)


def test_pinned_pieces_stay_and_keep_their_numbers() -> None:
    pins = (Placement("a", 7, 0, 60.0, 40.0, 0.0), Placement("a", 2, 0, 100.0, 40.0, 0.0))
    layout = nest(problem([SQUARE], pinned=pins, steps=3))
    assert set(pins) <= set(layout.placements)
    assert sorted(one.copy for one in layout.placements) == [1, 2, 3, 4, 5, 6, 7, 8, 9]


def test_pinned_pieces_in_each_others_way_are_refused() -> None:
    pins = (Placement("a", 1, 0, 60.0, 40.0, 0.0), Placement("a", 2, 0, 70.0, 40.0, 0.0))
    with pytest.raises(JobError, match="Pinned pieces cannot stay: a copy 1 is too near a copy 2"):
        nest(problem([SQUARE], pinned=pins))
