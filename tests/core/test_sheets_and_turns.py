"""Sheets of one size: as few as can be, a last one filled or not; and what a quarter turn of a grid gains. Values by
hand."""

from collections import Counter
from dataclasses import replace

import pytest
from shapely import box

from etiquette.core.planning import bed_plans
from etiquette.core.planning.bed_plans import BedWish, bed_of
from etiquette.core.planning.framing import nest_on_sheets
from etiquette.core.planning.grids import GridWish, Turned, grid, quarter_turn, with_last_filled
from etiquette.core.planning.problem import Piece, Problem
from etiquette.core.planning.verifying import verify


def problem(*pieces: tuple[str, float, float, int], width: float = 100.0) -> Problem:
    shapes = tuple(Piece(name, box(0, 0, wide, high), count, (0.0, 90.0)) for name, wide, high, count in pieces)
    return Problem(width_mm=width, length_mm=None, edge_mm=0.0, gap_mm=2.0, pieces=shapes, steps=2)


def test_sheets_are_filled_one_after_the_other_and_the_last_has_what_is_left() -> None:
    # four of 49 mm beside each other's gap fill a sheet of 100 x 100 mm; nine want two sheets and one piece more
    asked = problem(("a", 49, 49, 9))
    layout = nest_on_sheets(asked, 100.0)
    assert Counter(one.sheet for one in layout.placements) == {0: 4, 1: 4, 2: 1}
    assert layout.length_mm == pytest.approx(100 + 100 + 49, abs=0.01)
    assert verify(replace(asked, length_mm=100.0), layout) == []
    alone = nest_on_sheets(problem(("a", 49, 49, 2)), 100.0)
    assert (alone.length_mm, {one.sheet for one in alone.placements}) == (pytest.approx(49, abs=0.01), {0})


def test_what_fits_on_no_sheet_is_named() -> None:
    layout = nest_on_sheets(problem(("a", 49, 49, 1), ("long", 90, 140, 2)), 100.0)
    assert [(one.id, one.count) for one in layout.unplaced] == [("long", 2)]
    assert "most that one frame holds" in layout.unplaced[0].reason


def test_a_quarter_turn_is_offered_where_more_fit_on_a_sheet() -> None:
    # 30 x 60 mm on 100 x 100 mm: 3 columns of 1 row as it is; turned 1 column of 3 rows: as many, so nothing to offer
    assert quarter_turn(problem(("a", 30, 60, 5)), GridWish(), 100.0, True) is None
    # on 100 x 130 mm: 3 columns of 2 rows (122 mm) = 6; turned 1 column of 4 rows (126 mm) = 4
    assert quarter_turn(problem(("a", 30, 60, 5)), GridWish(), 130.0, True) is None
    turned = GridWish(rotation_deg=90)
    assert quarter_turn(problem(("a", 30, 60, 5)), turned, 130.0, True) == Turned(more=2)
    # three of them fill one sheet of 100 x 62 mm upright; lying they are 30 mm high, two on each
    assert quarter_turn(problem(("a", 30, 60, 9)), turned, 62.0, True) == Turned(more=1)
    both = problem(("a", 30, 60, 3), ("b", 30, 60, 3))
    assert quarter_turn(both, turned, 62.0, True) == Turned(fewer_sheets=1)


def test_a_quarter_turn_is_offered_where_a_roll_gets_shorter() -> None:
    # six of 30 x 60 mm: two rows of three, 122 mm; lying one under the other, 6 x 30 + 5 x 2 = 190 mm
    six = problem(("a", 30, 60, 6))
    assert quarter_turn(six, GridWish(rotation_deg=90), 3000.0, False) == Turned(shorter_mm=pytest.approx(68))
    assert quarter_turn(six, GridWish(), 3000.0, False) is None
    # what would not fit any more at all is no gain, however short the rest is
    mixed = problem(("a", 30, 60, 1), ("wide", 20, 120, 3))
    assert quarter_turn(mixed, GridWish(), 3000.0, False) is None


def test_the_last_sheet_of_a_grid_is_filled_with_the_last_design() -> None:
    asked = problem(("a", 30, 60, 2), ("b", 30, 30, 4))
    # 100 x 100 mm: one row of a (60) and one of three b (30) fill the first, the fourth b stands on the second: 3 rows
    filled = with_last_filled(asked, GridWish(), 100.0)
    assert [piece.count for piece in filled.pieces] == [2, 3 + 9]
    layout = grid(filled, GridWish(), 100.0)
    assert Counter(one.sheet for one in layout.placements) == {0: 5, 1: 9}
    assert [piece.count for piece in with_last_filled(filled, GridWish(), 100.0).pieces] == [2, 12]


def test_a_grid_may_stand_on_the_right() -> None:
    layout = grid(problem(("a", 30, 30, 2)), GridWish(place="from the right"))
    assert sorted(one.x_mm for one in layout.placements) == [38, 70]


def test_blanks_turned_by_a_quarter_may_be_more() -> None:
    # 60 x 40 mm on a bed of 100 x 130 mm, 5 mm apart: 1 x 3 places; turned 40 x 60: 2 x 2
    wish = BedWish(60, 40, gap_across_mm=5, gap_along_mm=5)
    assert bed_plans.quarter_turn(wish, 100, 130) == 1
    other = bed_plans.turned(wish)
    assert (len(bed_of(other, 100, 130).places), other.rotation_deg) == (4, 90)
    assert bed_plans.quarter_turn(other, 100, 130) == -1
