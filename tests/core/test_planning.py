"""Nesting: nothing too near, nothing over an edge, found again by an independent check; frames leave marks alone."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, affinity, box

from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.proofs import clear_zones, proof
from etiquette.core.planning.nesting import nest
from etiquette.core.planning.problem import Piece, Placement, Problem, placed_outline
from etiquette.core.planning.verifying import verify

QUARTER = (0.0, 90.0, 180.0, 270.0)


def problem(pieces: list[Piece], **more: object) -> Problem:
    given: dict[str, object] = {
        "width_mm": 200.0,
        "length_mm": None,
        "edge_mm": 3.0,
        "gap_mm": 2.0,
        "seconds": None,
        "steps": 1,
        **more,
    }
    return Problem(pieces=tuple(pieces), **given)  # type: ignore[arg-type]


def star(points: int, radius: float, deep: float) -> Polygon:
    angles = np.arange(2 * points) * np.pi / points
    radii = np.where(np.arange(2 * points) % 2, radius * deep, radius)
    return Polygon(np.column_stack([radii * np.cos(angles), radii * np.sin(angles)]))


def outlines(asked: Problem, layout: object) -> list[Polygon]:
    pieces = {piece.id: piece for piece in asked.pieces}
    return [
        affinity.translate(affinity.rotate(pieces[p.id].outline, p.rotation_deg, origin=(0, 0)), p.x_mm, p.y_mm)
        for p in layout.placements
    ]  # type: ignore[attr-defined]


@given(
    st.lists(
        st.tuples(st.integers(3, 8), st.floats(6, 30), st.floats(0.35, 0.95), st.integers(1, 5)), min_size=1, max_size=4
    ),
    st.floats(0, 5),
    st.floats(0, 8),
)
def test_any_stars_keep_the_gap_and_the_edges(
    shapes: list[tuple[int, float, float, int]], gap: float, edge: float
) -> None:
    asked = problem(
        [Piece(str(n), star(p, r, d), c, QUARTER) for n, (p, r, d, c) in enumerate(shapes)], gap_mm=gap, edge_mm=edge
    )
    layout = nest(asked)
    placed = outlines(asked, layout)
    assert len(placed) == sum(shape[3] for shape in shapes)
    for number, one in enumerate(placed):
        low_x, low_y, high_x, _ = one.bounds
        assert low_x >= edge - 1e-3 and low_y >= edge - 1e-3 and high_x <= 200 - edge + 1e-3
        for other in placed[:number]:
            assert one.distance(other) >= gap - 0.01
            assert one.intersection(other).area < 1e-6
    assert layout.length_mm == pytest.approx(max(one.bounds[3] for one in placed) + edge, abs=1e-2)
    assert layout.utilisation == pytest.approx(sum(one.area for one in placed) / (200 * layout.length_mm), abs=1e-4)


@pytest.mark.parametrize("gap", [0.0, 1e-300, 0.004, 0.01])
def test_with_a_gap_inside_the_slack_neighbours_may_touch(gap: float) -> None:
    # found by the property above: a gap of 1e-308 mm was refused by the layout's own check
    asked = problem([Piece("star", star(4, 6.0, 0.5), 2, QUARTER)], gap_mm=gap, edge_mm=0.0)
    one, two = outlines(asked, nest(asked))
    assert one.intersection(two).area < 1e-6


def test_rectangles_fill_a_row_exactly() -> None:
    # 4 × 40 + 3 × 2 + 2 × 3 = 172: four of 40 mm fit across 172 mm, a fifth starts the second row
    asked = problem([Piece("a", box(0, 0, 40, 25), 5, (0.0,))], width_mm=172.0)
    layout = nest(asked)
    assert sorted({round(p.y_mm, 1) for p in layout.placements}) == [3.0, pytest.approx(30, abs=0.6)]
    assert layout.length_mm == pytest.approx(3 + 25 + 2 + 25 + 3, abs=0.6)


def test_the_same_seed_and_steps_give_the_same_layout() -> None:
    asked = problem(
        [Piece("a", star(5, 20, 0.5), 6, QUARTER), Piece("b", box(0, 0, 30, 12), 5, QUARTER)], steps=4, seed=7
    )
    assert nest(asked).placements == nest(asked).placements


def test_more_steps_are_never_worse() -> None:
    pieces = [
        Piece("a", star(5, 24, 0.4), 7, QUARTER),
        Piece("b", box(0, 0, 50, 12), 6, QUARTER),
        Piece("c", star(3, 18, 0.6), 7, QUARTER),
    ]
    assert nest(problem(pieces, steps=12)).length_mm <= nest(problem(pieces, steps=1)).length_mm


def test_keep_out_zones_and_pinned_pieces_are_respected() -> None:
    pinned = Placement("a", 1, 0, 60.0, 30.0, 0.0)
    zone = box(0, 0, 200, 20)
    asked = problem([Piece("a", box(0, 0, 30, 30), 8, QUARTER)], keep_out=(zone,), pinned=(pinned,))
    layout = nest(asked)
    assert pinned in layout.placements and len(layout.placements) == 8
    assert all(one.intersection(zone).area < 1e-6 for one in outlines(asked, layout))


def test_sheets_are_opened_as_needed_and_what_is_too_long_is_named() -> None:
    asked = problem(
        [Piece("a", box(0, 0, 60, 60), 14, (0.0,)), Piece("long", box(0, 0, 10, 300), 2, (0.0,))], length_mm=140.0
    )
    layout = nest(asked)
    # three across, two along: six a sheet
    assert {p.sheet for p in layout.placements} == {0, 1, 2}
    assert [(u.id, u.count) for u in layout.unplaced] == [("long", 2)]


def test_a_piece_wider_than_the_roll_is_left_out_with_the_reason() -> None:
    layout = nest(problem([Piece("wide", box(0, 0, 220, 210), 1, QUARTER)]))
    assert layout.placements == () and "the stock has 194.0 mm" in layout.unplaced[0].reason
    assert len(nest(problem([Piece("turns", box(0, 0, 220, 50), 1, QUARTER)])).placements) == 1


def test_the_check_finds_what_is_wrong() -> None:
    asked = problem([Piece("a", box(0, 0, 30, 30), 2, (0.0,))])
    layout = nest(asked)
    from dataclasses import replace

    near = replace(layout, placements=(Placement("a", 1, 0, 10, 10, 0), Placement("a", 2, 0, 41.9, 10, 0)))
    over = replace(layout, placements=(Placement("a", 1, 0, 2.9, 10, 0),))
    assert "too near" in verify(asked, near)[0] and "edge" in verify(asked, over)[0]


@given(st.floats(20, 900), st.floats(5, 2500), st.floats(4, 10), st.floats(1, 6), st.booleans())
def test_nothing_of_a_frame_touches_the_work_or_leaves_the_stock(
    width: float, length: float, diameter: float, clear: float, strip: bool
) -> None:
    recipe = MarkRecipe(size_mm=diameter, clear_mm=clear)
    nested, reach, slug = (30, 7, 30 + width, 7 + length), Reach(1616, 3200), "AB2CD3-1 Test"
    plan = plan_frame(nested, 1000, recipe, reach, "AB2CD3", slug, with_strip=strip)
    assert proof(plan, recipe, []) == [] and (plan.strip is not None) == strip
    work = box(*plan.work)
    stock = box(0, 0, 1000, plan.length_mm)
    zones = clear_zones(plan, recipe)
    for zone in zones:
        assert zone.intersection(work).area < 1e-6 and stock.contains(zone)
    for number, zone in enumerate(zones):
        assert all(zone.intersection(other).area < 1e-6 for other in zones[:number])
    assert len(plan.marks) >= (8 if length > 40 else 6)
    assert plan.work[0] + plan.work[2] == pytest.approx(1000)
    assert plan.codes[0].y == pytest.approx(
        plan.length_mm - recipe.tail_margin_mm + recipe.head_margin_mm - plan.codes[1].y - plan.codes[1].size[1],
        abs=1e-6,
    )


def test_a_frame_beyond_the_reach_of_the_cutter_is_refused_by_name() -> None:
    with pytest.raises(JobError, match="along the feed; this cutter reads 3200 mm"):
        plan_frame((0, 0, 500, 3300), 1000, MarkRecipe(), Reach(1616, 3200), "AB2CD3", "x")
    with pytest.raises(JobError, match="the stock leaves 390 mm"):
        plan_frame((0, 0, 390, 300), 400, MarkRecipe(), Reach(1616, 3200), "AB2CD3", "x")


def test_placements_turn_about_the_piece_origin() -> None:
    piece = Piece("a", box(0, 0, 40, 10), 1, QUARTER)
    turned = placed_outline(piece, Placement("a", 1, 0, 100, 50, 90))
    assert turned.bounds == pytest.approx((90, 50, 100, 90))


@pytest.mark.parametrize(
    ("width", "length", "piece", "gap", "edge", "first_sheet", "ends"),
    [
        (60, 30, (30, 30), 0, 0, 2, 30),
        # three by nine of 4 × 2 in on 12 × 18 in, a hair over: no raster divides both
        (305.1, 457.3, (101.7, 50.81), 0, 0, 27, 9 * 50.81),
        # ten of 127.1 and nine gaps of 2 between the edges: 1289 of 1290 mm; ten rows
        (1300, None, (127.1, 63.3), 2, 5, 100, 10 * 65.3 - 2 + 10),
        (210, 297, (105, 148.5), 0, 0, 4, 297),
    ],
)
def test_what_fits_to_a_hair_is_laid(
    width: float,
    length: float | None,
    piece: tuple[float, float],
    gap: float,
    edge: float,
    first_sheet: int,
    ends: float,
) -> None:
    count = 100 if length is None else first_sheet + 1
    asked = problem(
        [Piece("card", box(0, 0, *piece), count, (0.0,))],
        width_mm=width,
        gap_mm=gap,
        edge_mm=edge,
        length_mm=length,
        steps=2,
    )
    layout = nest(asked)
    assert sum(one.sheet == 0 for one in layout.placements) == first_sheet and not layout.unplaced
    assert layout.length_mm == pytest.approx(ends) and verify(asked, layout) == []
