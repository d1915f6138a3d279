"""Work longer than a cutter reads: frames that hold it, no piece lost, none too long."""

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import box

from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import longest_work_mm, plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.framing import nest_in_frames
from etiquette.core.planning.problem import Piece, Placement, Problem, placed_outline
from tests.core.test_planning import QUARTER, problem, star


def frames_of(asked: Problem, placements: tuple[Placement, ...]) -> dict[int, list[tuple[float, float]]]:
    pieces = {piece.id: piece for piece in asked.pieces}
    found: dict[int, list[tuple[float, float]]] = {}
    for one in placements:
        bounds = placed_outline(pieces[one.id], one).bounds
        found.setdefault(one.sheet, []).append((bounds[1], bounds[3]))
    return found


@settings(max_examples=15)
@given(
    st.lists(st.tuples(st.integers(3, 7), st.floats(8, 25), st.integers(2, 9)), min_size=1, max_size=3),
    st.floats(55, 160),
)
def test_every_piece_is_in_one_frame_and_no_frame_is_too_long(
    shapes: list[tuple[int, float, int]], longest: float
) -> None:
    asked = problem([Piece(str(n), star(p, r, 0.6), count, QUARTER) for n, (p, r, count) in enumerate(shapes)])
    layout = nest_in_frames(asked, longest)
    frames = frames_of(asked, layout.placements)
    assert Counter(one.id for one in layout.placements) == {piece.id: piece.count for piece in asked.pieces}
    assert len({(one.id, one.copy) for one in layout.placements}) == len(layout.placements)
    assert sorted(frames) == list(range(len(frames)))
    for spans in frames.values():
        assert max(high for _, high in spans) - min(low for low, _ in spans) <= longest + 1e-3
        assert min(low for low, _ in spans) >= asked.edge_mm - 1e-3
    total = sum(max(high for _, high in spans) + asked.edge_mm for spans in frames.values())
    assert layout.length_mm == pytest.approx(total, abs=0.01)


def test_work_that_fits_stays_one_frame() -> None:
    asked = problem([Piece("a", box(0, 0, 40, 25), 4, (0.0,))], width_mm=172.0)
    assert {one.sheet for one in nest_in_frames(asked, 26).placements} == {0}


def test_rows_of_squares_take_as_few_frames_as_hold_them() -> None:
    # four of 40 mm across, rows of 40 + 2 mm: two rows need 82 mm and no more, so 24 squares in six rows make three
    # frames
    asked = problem([Piece("a", box(0, 0, 40, 40), 24, (0.0,))], width_mm=173.0)
    layout = nest_in_frames(asked, 83)
    assert Counter(one.sheet for one in layout.placements) == {0: 8, 1: 8, 2: 8}


def test_a_piece_longer_than_a_frame_is_left_out_and_one_that_turns_is_turned() -> None:
    asked = problem(
        [
            Piece("long", box(0, 0, 10, 190), 2, QUARTER),
            Piece("longer", box(0, 0, 10, 300), 1, QUARTER),
            Piece("a", box(0, 0, 30, 30), 2, QUARTER),
        ]
    )
    layout = nest_in_frames(asked, 100)
    assert [(one.id, one.count) for one in layout.unplaced] == [("longer", 1)]
    assert "194 × 100 mm" in layout.unplaced[0].reason
    assert {one.rotation_deg % 180 for one in layout.placements if one.id == "long"} == {90.0}


@given(st.floats(400, 4000), st.floats(4, 10), st.floats(1, 6))
def test_the_longest_work_is_just_within_reach(along: float, diameter: float, clear: float) -> None:
    recipe, reach = MarkRecipe(size_mm=diameter, clear_mm=clear), Reach(1616, along)
    longest = longest_work_mm(recipe, reach)
    plan = plan_frame((0, 0, 300, longest - 1e-6), 1000, recipe, reach, "AB2CD3", "x")
    rows = [mark.y for mark in plan.marks]
    assert max(rows) - min(rows) == pytest.approx(along, abs=1e-3)
    with pytest.raises(Exception, match="this cutter reads"):
        plan_frame((0, 0, 300, longest + 0.01), 1000, recipe, reach, "AB2CD3", "x")
