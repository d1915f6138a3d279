"""The parts of the nesting, each against another way to the same answer: stamps and tables against Shapely, laying
against a search of every place, pressing and sliding against the gap."""

import json
import re
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, affinity, box

from etiquette.core.planning.constructing import Raster, construct, first_order, shrunk_zone
from etiquette.core.planning.improving import Improver
from etiquette.core.planning.nesting import nest
from etiquette.core.planning.no_fit import depth_table, no_fit, table_cells
from etiquette.core.planning.occupancy import Occupancy
from etiquette.core.planning.problem import Piece, Placement, Problem, placed_outline, rotations_of
from etiquette.core.planning.separating import Choices, Packing, Separation, depth_of
from etiquette.core.planning.sliding import slid
from etiquette.core.planning.stamps import Stamp, runs_of, stamps_of, turned_cells
from etiquette.files.contracts import LayoutFile, ProblemFile, parse_file
from tests.core.test_planning import QUARTER, problem, star

STARS = st.tuples(st.integers(3, 7), st.floats(5, 16), st.floats(0.35, 0.95))
TURNS = st.sampled_from([(0.0,), QUARTER, (0.0, 30.0, 120.0)])


def stamps(
    shapes: list[tuple[int, float, float]], cell: float, step: int = 1, turns: tuple[float, ...] = QUARTER
) -> list[Stamp]:
    pieces = [Piece(str(n), star(*shape), 1, turns) for n, shape in enumerate(shapes)]
    asked = problem(pieces, gap_mm=1.0)
    return [stamp for piece in pieces for stamp in stamps_of(piece, asked, cell, len(pieces), step)]


def cell_boxes(stamp: Stamp, cell: float) -> shapely.Geometry:
    columns, rows = np.nonzero(stamp.cells)
    return shapely.union_all(shapely.box(columns * cell, rows * cell, (columns + 1) * cell, (rows + 1) * cell))


@given(STARS, TURNS, st.sampled_from([1, 3]))
def test_a_stamp_covers_its_piece_grown_by_half_the_gap_and_little_more(
    shape: tuple[int, float, float], turns: tuple[float, ...], step: int
) -> None:
    cell = 0.5
    piece = Piece("0", star(*shape), 1, turns)
    for stamp in stamps([shape], cell, step, turns):
        turned = affinity.translate(affinity.rotate(piece.outline, stamp.rotation, origin=(0, 0)), *stamp.origin)
        covered = cell_boxes(stamp, cell)
        assert turned.buffer(0.5 - 0.03).difference(covered).area < 1e-6
        assert covered.difference(turned.buffer(0.5 + 2 * cell)).area < 1e-6
        assert stamp.columns % step == 0 and stamp.height % step == 0
        runs = np.zeros_like(stamp.cells)
        for column, first, last in stamp.runs:
            runs[column, first : last + 1] = True
        assert np.array_equal(runs, stamp.cells)


@given(STARS, STARS, st.sampled_from([1, 2, 3]), st.integers(0, 10_000))
def test_a_table_says_where_two_stamps_share_a_cell(
    one: tuple[int, float, float], two: tuple[int, float, float], step: int, seed: int
) -> None:
    first, second = (stamps([shape], 0.8, step)[0] for shape in (one, two))
    table = depth_table(first, second, step)
    for _ in range(40):
        random = np.random.default_rng(seed)
        seed += 1
        i, j = (int(random.integers(size)) for size in table.shape)
        dx, dy = (i + 1) * step - second.columns, (j + 1) * step - second.height
        wide = np.zeros((first.columns + 2 * second.columns, first.height + 2 * second.height), dtype=int)
        wide[second.columns : second.columns + first.columns, second.height : second.height + first.height] += (
            first.cells
        )
        wide[second.columns + dx : 2 * second.columns + dx, second.height + dy : 2 * second.height + dy] += second.cells
        assert (table[i, j] > 0) == bool((wide == 2).any())


def test_the_depth_of_two_squares_is_the_shortest_way_out() -> None:
    cells = np.ones((10, 10), dtype=np.bool_)
    square = Stamp("s", 0.0, cells, runs_of(cells), (0.0, 0.0))
    table = depth_table(square, square)
    # one on the other: ten cells out; pushed to the right by d: ten − d; apart: beyond the table
    assert table.shape == (19, 19) and table[9, 9] == 10
    assert [int(table[9 + d, 9]) for d in range(10)] == [10 - d for d in range(10)]
    assert np.array_equal(table, table[::-1, ::-1])


@given(st.lists(STARS, min_size=1, max_size=3), TURNS, st.sampled_from([1, 2]))
def test_tables_of_quarter_turns_are_those_worked_out_for_themselves(
    shapes: list[tuple[int, float, float]], turns: tuple[float, ...], step: int
) -> None:
    every = stamps(shapes, 1.0, step, turns)
    tables = no_fit(every, step, 2)
    assert tables.depths.size == table_cells(every, step)
    for p in range(len(every)):
        for q in range(len(every)):
            direct = depth_table(every[p], every[q], step)
            mine = [
                [depth_of(p, q, dx, dy, tables.depths, tables.starts, tables.columns, tables.rows) for dy in (-3, 0, 2)]
                for dx in (-4, 0, 5)
            ]
            place = every[q].columns // step - 1, every[q].height // step - 1
            expected = [
                [
                    direct[place[0] + dx, place[1] + dy]
                    if 0 <= place[0] + dx < direct.shape[0] and 0 <= place[1] + dy < direct.shape[1]
                    else 0
                    for dy in (-3, 0, 2)
                ]
                for dx in (-4, 0, 5)
            ]
            assert np.abs(np.array(mine, dtype=int) - np.array(expected, dtype=int)).max() <= 1  # depths are rounded
            assert np.array_equal(np.array(mine) > 0, np.array(expected) > 0)
        size = tables.depths.size
        assert size == tables.across.size
    assert np.bincount(tables.depths, minlength=256).tolist() == np.bincount(tables.across, minlength=256).tolist()


def test_four_quarter_turns_are_none() -> None:
    cells = np.random.default_rng(1).random((5, 8)) > 0.5
    turned = turned_cells(cells)
    assert turned.shape == (8, 5) and turned[7, 0] == cells[0, 0]  # the lower left cell comes to the lower right
    assert np.array_equal(turned_cells(turned_cells(turned_cells(turned))), cells)


@given(st.integers(0, 10_000), st.integers(3, 25))
def test_the_lowest_place_is_that_of_a_search_of_every_place(seed: int, pieces: int) -> None:
    random = np.random.default_rng(seed)
    grid, taken = Occupancy(20, 60), np.zeros((20, 60), dtype=np.bool_)
    block = random.random((20, 60)) > 0.97
    grid.block(block)
    taken |= block
    forms = [random.random((int(random.integers(1, 7)), int(random.integers(1, 7)))) > 0.3 for _ in range(3)]
    forms = [form for form in forms if form.any()]
    floors = [np.zeros(20, dtype=np.int32) for _ in forms]
    for _ in range(pieces):
        number = int(random.integers(len(forms)))
        form = forms[number]
        wide, high = form.shape
        places = [
            (y + high, x, y)
            for x in range(20 - wide + 1)
            for y in range(60 - high)
            if not (taken[x : x + wide, y : y + high] & form).any()
        ]
        x, y, top = grid.lowest(runs_of(form), high, wide, floors[number], 60)
        if not places:
            assert x == -1
            continue
        assert top == min(places)[0] and (top, x, y) in places
        grid.occupy(runs_of(form), x, y)
        taken[x : x + wide, y : y + high] |= form


@given(st.lists(STARS, min_size=2, max_size=4), st.integers(0, 1000))
def test_what_was_moved_apart_shares_no_cell_and_stays_inside(
    shapes: list[tuple[int, float, float]], seed: int
) -> None:
    every = stamps(shapes, 1.0)
    tables = no_fit(every, 1, 2)
    items = [n for n in range(len(shapes)) for _ in range(3)]
    per = len(every) // len(shapes)
    first = np.array([n * per for n in items], dtype=np.int32)
    random = np.random.default_rng(seed)
    count = len(items)
    packing = Packing(
        first.copy(),
        random.integers(0, 60, count).astype(np.int32),
        random.integers(0, 60, count).astype(np.int32),
        count,
    )
    apart = Separation(tables, Choices(first, (first + per).astype(np.int32)), packing, 100, 160, seed)
    assert apart.run(4000)
    done = apart.packing
    taken = np.zeros((100, 160), dtype=int)
    for n in range(count):
        assert items[n] == done.stamps[n] // per
        cells = every[done.stamps[n]].cells
        taken[done.x[n] : done.x[n] + cells.shape[0], done.y[n] : done.y[n] + cells.shape[1]] += cells
        assert done.x[n] >= 0 and done.y[n] >= 0
    assert taken.max() == 1 and taken.sum() == sum(every[s].cells.sum() for s in done.stamps)


def test_rounds_of_improvement_never_lengthen_and_end_at_the_lowest() -> None:
    every = stamps([(4, 10.0, 0.8)], 1.0)
    tables = no_fit(every, 1, 2)
    choices = Choices(np.zeros(4, dtype=np.int32), np.full(4, 4, dtype=np.int32))
    start = Packing(
        np.zeros(4, dtype=np.int32), np.zeros(4, dtype=np.int32), np.array([0, 40, 80, 120], dtype=np.int32), 4
    )
    improver = Improver(tables, choices, start, 120, 3)
    rows = [improver.rows]
    with ThreadPoolExecutor(2) as pool:
        while not improver.is_lowest and len(rows) < 60:
            improver.round(pool)
            rows.append(improver.rows)
    assert rows == sorted(rows, reverse=True)
    assert improver.is_lowest  # four pieces of 23 cells fit beside each other in 120 columns


@given(st.floats(0.5, 6), st.floats(0.0, 40))
def test_two_squares_slide_until_the_gap_is_left(gap: float, above: float) -> None:
    low, high = box(10, 5, 30, 25), box(12, 25 + gap + 0.05 + above, 32, 45 + gap + 0.05 + above)
    moved = slid([low, high], [1, 2], [], gap, (0, 0, 100, np.inf), np.zeros(2, dtype=np.bool_), 40)
    one, two = (affinity.translate(outline, *step) for outline, step in zip((low, high), moved, strict=True))
    assert one.bounds[1] == pytest.approx(0, abs=0.01)
    assert one.distance(two) >= gap - 1e-6
    assert two.bounds[1] < 0.1 or one.distance(two) == pytest.approx(gap, abs=0.05)


def test_a_piece_slides_past_nothing_that_stays() -> None:
    zone = box(0, 10, 60, 20)
    piece = box(5, 30, 25, 40)
    moved = slid([piece], [1], [zone], 2.0, (0, 0, 60, np.inf), np.array([False, True]), 40)
    after = affinity.translate(piece, *moved[0])
    # no gap is kept to a zone, but what a disc cannot give back at its corners: (1 − 1/√2) of half the gap
    assert 20 <= after.bounds[1] <= 20 + (1 - 2**-0.5) + 0.02
    pinned = slid([piece, box(5, 50, 25, 60)], [1, 1], [], 2.0, (0, 0, 60, np.inf), np.array([True, False]), 40)
    assert np.array_equal(pinned[0], [0, 0]) and pinned[1][1] <= -8 + 0.05


@given(st.floats(0.1, 4), st.floats(3, 60), st.floats(3, 60))
def test_a_shrunk_zone_grown_by_half_the_gap_covers_the_zone(half: float, across: float, along: float) -> None:
    zone = box(3, 4, 3 + across, 4 + along)
    smaller = shrunk_zone(zone, half)
    assert zone.difference(smaller.buffer(half + 0.002, quad_segs=64)).area < 1e-3
    triangle = Polygon([(0, 0), (20, 0), (0, 3)])
    assert shrunk_zone(triangle, half) is triangle


def test_free_turns_are_fewer_the_more_designs_there_are() -> None:
    piece = Piece("a", box(0, 0, 10, 4), 1, "free")
    assert [len(rotations_of(piece, designs)) for designs in (1, 4, 5, 8, 9)] == [24, 24, 16, 16, 8]
    assert rotations_of(Piece("b", box(0, 0, 1, 1), 1, (0.0, 360.0, -90.0))) == (0.0, 270.0)


def test_a_layout_lies_on_the_raster_where_its_placements_say() -> None:
    asked = problem([Piece("a", star(5, 14, 0.5), 4, QUARTER)], pinned=(Placement("a", 1, 0, 40.0, 60.0, 0.0),))
    raster = Raster.of(asked, 0.5)
    made = {piece.id: stamps_of(piece, asked, 0.5, 1) for piece in asked.pieces}
    trial = construct(asked, made, first_order(asked), raster)
    assert len(trial.laid) == 3  # the fourth is pinned
    pinned = placed_outline(asked.pieces[0], asked.pinned[0])
    for number, one in enumerate(trial.laid, 1):
        outline = placed_outline(asked.pieces[0], raster.placement(one, number))
        assert outline.distance(pinned) >= asked.gap_mm
        left, low = raster.corner + one.x * 0.5, raster.corner + one.y * 0.5
        assert outline.bounds[0] >= left + 1 - 1e-9 and outline.bounds[1] >= low + 1 - 1e-9


def test_sheets_are_not_searched_twice_for_what_found_no_room() -> None:
    asked = Problem(62, 42, 0, 0, (Piece("a", box(0, 0, 30, 20), 9, (0.0,)),), seconds=None, steps=1)
    made = {"a": stamps_of(asked.pieces[0], asked, 0.5, 1)}
    trial = construct(asked, made, first_order(asked), Raster.of(asked, 0.5))
    assert trial.unplaced == () and len(trial.laid) == 9
    assert [sum(one.sheet == sheet for one in trial.laid) for sheet in range(3)] == [4, 4, 1]


def layout_of(**changes: object) -> dict:  # type: ignore[type-arg]
    given = {
        "stock": {"width_mm": 200},
        "steps": 2,
        "pieces": [{"id": "good", "count": 3, "outline": [[0, 0], [30, 0], [0, 20]]}],
        **changes,
    }
    asked = parse_file(ProblemFile, json.dumps(given).encode(), "PROBLEM.json").to_problem()
    return json.loads(LayoutFile.of(nest(asked)).model_dump_json(by_alias=True))  # type: ignore[no-any-return]


GOOD = {"id": "good", "count": 3, "outline": [[0, 0], [30, 0], [0, 20]]}


@pytest.mark.parametrize(
    ("piece", "reason"),
    [
        ({"id": "bad", "count": 2, "outline": [[0, 0], [10, 0]]}, "fewer than three corners"),
        ({"id": "bad", "count": 2, "outline": [[0, 0], [10, 10], [10, 0], [0, 10]]}, "crosses itself near 5 5"),
        ({"id": "bad", "count": 2, "outline": [[0, 0], [10, 0], [20, 0]]}, "crosses itself|no area"),
        ({"id": "bad", "count": 2, "outline": [[0, 0], [300, 0], [0, 300]]}, "212.1 mm|300.0 mm wide at its narrowest"),
        (
            {"id": "bad", "count": 2, "outline": [[0, 0], [20, 0], [0, 20]], "holes": [[[1, 1], [2, 2]]]},
            "A hole has fewer",
        ),
    ],
)
def test_a_bad_piece_is_named_with_the_reason_and_the_others_are_placed(piece: dict, reason: str) -> None:  # type: ignore[type-arg]
    made = layout_of(pieces=[GOOD, piece], rotations=[0, 90])
    assert [one["id"] for one in made["placements"]] == ["good"] * 3
    (left,) = made["unplaced"]
    assert (left["id"], left["count"]) == ("bad", 2) and re.search(reason, left["reason"])


def test_nothing_asked_for_is_an_empty_layout() -> None:
    for made in (layout_of(pieces=[]), layout_of(pieces=[{**GOOD, "count": 0}])):
        assert made["placements"] == [] and made["length_mm"] == 0 and made["utilisation"] == 0


def test_a_gap_wider_than_the_stock_leaves_one_piece() -> None:
    made = layout_of(gap_mm=500_000)
    assert len(made["placements"]) == 1
    assert made["unplaced"] == [
        {"id": "good", "count": 2, "reason": "The gap of 500000 mm is wider than the stock of 200 mm."}
    ]


def test_edges_wider_than_the_stock_leave_nothing() -> None:
    made = layout_of(edge_mm=150)
    assert made["placements"] == [] and "the stock has 0.0 mm between its edges" in made["unplaced"][0]["reason"]


def test_a_keep_out_over_everything_is_told_and_one_over_a_part_is_gone_round() -> None:
    everything = {"x": -10, "y": -10, "w": 500, "h": 1_000_000}
    made = layout_of(keep_out=[everything], stock={"width_mm": 200, "length_mm": 300})
    assert made["placements"] == [] and "no room beside the keep-outs" in made["unplaced"][0]["reason"]
    made = layout_of(keep_out=[{"x": 0, "y": 0, "w": 200, "h": 50}, {"x": 0, "y": 60, "w": 0, "h": 40}])
    assert len(made["placements"]) == 3 and made["unplaced"] == []
    assert min(one["y_mm"] for one in made["placements"]) >= 50 - 1e-6


def test_a_sheet_too_short_for_a_piece_says_so() -> None:
    made = layout_of(stock={"width_mm": 200, "length_mm": 15}, rotations=[0])
    assert made["unplaced"] == [{"id": "good", "count": 3, "reason": "It is longer than the sheet."}]
