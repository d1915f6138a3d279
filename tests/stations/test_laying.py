"""Pieces of a run by hand: every step one edit that can be undone, and a layout that stays in order."""

import pytest
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.planning.problem import Layout, placed_outline
from etiquette.core.planning.verifying import verify
from etiquette.stations import edits, line_finding, plate_sets, run_edits, runs
from etiquette.stations.edits import Stale
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import laying, nesting
from etiquette.stations.run.laying import HandStep
from etiquette.stations.runs import RunState
from etiquette.stations.shelf import keeping
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Roll
from tests.stations.shop_floor import do, fill_shelf
from tests.stations.test_plates import disc


@pytest.fixture
def run(shop: Shop) -> int:
    """Six discs of 10 mm radius with a line 2 mm outside, nested."""
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, disc(10), "disc.png", None)
    do(shop, line_finding.find_lines, design_id=design)
    made = shop.database.within(lambda session: run_edits.create(session, "Discs", [{"design_id": design, "count": 6}]))
    do(shop, nesting.nest_run, run_id=made, steps=1)
    return made


def state_of(shop: Shop, run: int) -> RunState:
    return shop.database.within(lambda session: runs.state_of(shop, session, run))


def step(shop: Shop, run: int, *keys: str, revision: int | None = None, **given: object) -> RunState:
    def lay(session: Session) -> None:
        number = revision if revision is not None else runs.run_there(session, run).revision
        laying.lay_by_hand(shop, session, run, number, HandStep(keys=list(keys), **given))  # type: ignore[arg-type]

    shop.database.within(lay)
    state = state_of(shop, run)
    assert state.plans and state.fresh and state.document.layout
    problem = laying.hand_problem(state, tuple(runs.pieces_of(shop, state.document, state.designs).values()))
    placements = tuple(state.document.layout.to_placements())
    for frame in range(len(state.plans)):
        here = tuple(p for p in placements if p.sheet == frame)
        assert verify(problem, Layout(0, 0, 0, "steps", here, ())) == []
    return state


def places(state: RunState) -> dict[str, tuple[float, float]]:
    assert state.document.layout
    return {laying.key_of(one): (one.x_mm, one.y_mm) for one in state.document.layout.to_placements()}


def test_a_moved_piece_is_moved_and_undo_brings_it_back(shop: Shop, run: int) -> None:
    before = places(state_of(shop, run))
    after = step(shop, run, "1-3", do="move", by_mm=(0, 120))
    assert places(after)["1-3"] == pytest.approx((before["1-3"][0], before["1-3"][1] + 120))
    assert after.undo == "moved by hand: Disc"
    assert after.figures and after.figures.length_mm > 150
    revision = after.run.revision
    shop.database.within(lambda session: edits.step(session, "run", run, revision, "undo"))
    assert places(state_of(shop, run)) == before and state_of(shop, run).fresh


def test_what_is_dropped_on_another_lies_beside_it(shop: Shop, run: int) -> None:
    before = places(state_of(shop, run))
    target = before["1-2"]
    by = (target[0] - before["1-5"][0] + 1, target[1] - before["1-5"][1] + 30)
    after = places(step(shop, run, "1-5", do="move", by_mm=by))
    away = ((after["1-5"][0] - target[0]) ** 2 + (after["1-5"][1] - target[1]) ** 2) ** 0.5
    assert away >= 26 - 0.02  # two discs of 12 mm and a gap of 2 mm


def test_several_pieces_go_together_and_a_stale_screen_is_told(shop: Shop, run: int) -> None:
    before = places(state_of(shop, run))
    old = state_of(shop, run).run.revision
    after = places(step(shop, run, "1-1", "1-2", do="move", by_mm=(0, 200)))
    assert [after[key][1] - before[key][1] for key in ("1-1", "1-2")] == pytest.approx([200, 200])
    with pytest.raises(Stale):
        step(shop, run, "1-1", do="turn", revision=old)
    with pytest.raises(JobError, match="not on the roll any more"):
        step(shop, run, "9-9", do="turn")


def test_a_double_raises_the_count_and_one_taken_off_is_missing(shop: Shop, run: int) -> None:
    more = step(shop, run, "1-6", do="double")
    assert len(places(more)) == 7 and more.document.items[0].count == 7
    less = step(shop, run, "1-1", "1-7", do="take off")
    assert len(places(less)) == 5 and less.document.items[0].count == 7
    assert less.document.layout and [(u.count, u.reason) for u in less.document.layout.unplaced] == [
        (2, laying.TAKEN_OFF)
    ]
    again = step(shop, run, "1-2", do="double")  # one of those that are missing
    assert again.document.items[0].count == 7 and again.document.layout
    assert [u.count for u in again.document.layout.unplaced] == [1]


def test_pinned_pieces_stay_when_the_rest_is_nested_again(shop: Shop, run: int) -> None:
    step(shop, run, "1-4", do="move", by_mm=(150, 90))
    pinned = step(shop, run, "1-4", do="pin")
    assert pinned.document.pinned == ["1-4"]
    place = places(pinned)["1-4"]
    do(shop, nesting.nest_run, run_id=run, steps=2)
    after = state_of(shop, run)
    assert after.document.pinned == ["1-4"] and places(after)["1-4"] == pytest.approx(place) and len(places(after)) == 6
    assert step(shop, run, "1-4", do="let go").document.pinned == []


def test_frames_have_prints_of_their_own_and_pieces_stay_in_them(shop: Shop, run: int) -> None:
    shop.database.within(lambda session: keeping.change(session, "cutter", 1, 1, {"reach_along_mm": 62.0}))
    shop.database.within(
        lambda session: run_edits.change(session, run, None, "count", {"items": [{"design_id": 1, "count": 45}]})
    )
    do(shop, nesting.nest_run, run_id=run, steps=1)
    state = state_of(shop, run)
    assert len(state.plans) >= 3 and len({plan.codes[0].code.frame for plan in state.plans}) == len(state.plans)
    moved = step(shop, run, "1-1", do="move", by_mm=(0, 500))  # no further than the cutter reads
    frames = {laying.key_of(one): one.sheet for one in moved.document.layout.to_placements()}  # type: ignore[union-attr]
    assert frames["1-1"] == 0 and len(moved.plans) == len(state.plans)
    made = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    assert len(made) == len(moved.plans)
    pieces = [
        shop.database.within(lambda session, one=one: plate_sets.plate_there(session, one).summary) for one in made
    ]
    assert sum(one.pieces for one in pieces) == 45
    assert [one.code for one in pieces] == [plan.codes[0].code.frame for plan in moved.plans]
    assert do(shop, plating.make_plates, run_id=run)["plate_ids"] == made


def test_a_grid_is_laid_by_its_own_rules_and_another_way_is_not_fresh(shop: Shop, run: int) -> None:
    grid = {"columns": 3, "gap_across_mm": 4.0, "gap_along_mm": 6.0, "place": "from the edge"}
    shop.database.within(lambda session: run_edits.change(session, run, None, "grid", {"laying": "grid", "grid": grid}))
    assert not state_of(shop, run).fresh
    do(shop, nesting.nest_run, run_id=run)
    state = state_of(shop, run)
    at = sorted((round(y), round(x)) for x, y in places(state).values())
    steps = [(y - at[0][0], x - at[0][1]) for y, x in at]
    assert steps == [(0, 0), (0, 28), (0, 56), (30, 0), (30, 28), (30, 56)]  # discs of 24 mm with their line
    assert state.fresh and state.undo == "grid"


def test_gaps_are_filled_and_counted(shop: Shop, run: int) -> None:
    step(shop, run, "1-6", do="move", by_mm=(0, 300))

    def fill(to: str) -> RunState:
        revision = state_of(shop, run).run.revision
        shop.database.within(
            lambda session: laying.fill(shop, session, run, revision, laying.FillWish(design_ids=[1], to=to))
        )  # type: ignore[arg-type]
        return state_of(shop, run)

    length = state_of(shop, run).figures.length_mm  # type: ignore[union-attr]
    full = fill("frame")
    assert full.fresh and full.figures and full.figures.length_mm == pytest.approx(length, abs=0.01)
    assert full.document.items[0].count == len(places(full)) > 100
    with pytest.raises(JobError, match="Nothing more fits"):
        fill("frame")
    longer = fill("reach")
    assert longer.figures and length < longer.figures.length_mm <= 3200 + 80
    assert longer.figures.length_mm <= longer.roll.remaining_mm


@pytest.mark.parametrize(("to", "axis", "end"), [("left", 0, 0), ("right", 0, 1), ("head", 1, 0), ("centre", 0, None)])
def test_pieces_are_aligned_with_the_work_or_with_each_other(
    shop: Shop, run: int, to: str, axis: int, end: int | None
) -> None:
    """The whole width is used by one at each edge: marks must have room there in spite of rounding."""
    step(shop, run, "1-6", do="move", by_mm=(0, 90))
    alone = step(shop, run, "1-6", do="align", to=to)
    pieces = runs.pieces_of(shop, alone.document, alone.designs)
    problem = laying.hand_problem(alone, tuple(pieces.values()))
    assert alone.document.layout
    one = next(p for p in alone.document.layout.to_placements() if laying.key_of(p) == "1-6")
    bounds = placed_outline(pieces["1"], one).bounds
    if to == "head":  # the others lie there: as near as they let it
        assert bounds[1] < 60
    elif end is None:
        assert bounds[0] + bounds[2] == pytest.approx(problem.width_mm, abs=0.01)
    else:
        assert bounds[axis + 2 * end] == pytest.approx([0, problem.width_mm][end], abs=0.01)
    both = step(shop, run, "1-5", do="move", by_mm=(20, 140))
    both = step(shop, run, "1-5", "1-6", do="align", to="left")
    at = places(both)
    assert at["1-5"][0] == pytest.approx(at["1-6"][0], abs=0.01)


def test_the_roll_is_filled_frame_by_frame_and_no_further(shop: Shop, run: int) -> None:
    def short_roll(session: Session) -> None:
        session.get_one(Roll, 1).remaining_mm = 700.0
        session.get_one(Cutter, 1).reach_along_mm = 200.0

    shop.database.within(short_roll)
    do(shop, nesting.nest_run, run_id=run, steps=1)
    before = state_of(shop, run)

    def fill(session: Session) -> int:
        wish = laying.FillWish(design_ids=[1], to="roll")
        return laying.fill(shop, session, run, runs.run_there(session, run).revision, wish)

    added = shop.database.within(fill)
    state = state_of(shop, run)
    assert state.fresh and state.figures and len(state.plans) >= 3 and state.undo == f"filled with {added} more"
    lengths = [plan.length_mm for plan in state.plans]
    # every frame but the last is full, and what is left holds no more than a row of marks and a disc
    assert sum(lengths) <= 700 and 700 - sum(lengths) < lengths[0]
    assert lengths[0] == pytest.approx(lengths[1], abs=25) and len(
        {plan.codes[0].code.frame for plan in state.plans}
    ) == len(lengths)
    assert state.figures.pieces == 6 + added == state.document.items[0].count
    problem = laying.hand_problem(state, tuple(runs.pieces_of(shop, state.document, state.designs).values()))
    assert state.document.layout
    for frame in range(len(lengths)):
        here = tuple(one for one in state.document.layout.to_placements() if one.sheet == frame)
        assert verify(problem, Layout(0, 0, 0, "steps", here, ())) == []
    keys = [laying.key_of(one) for one in state.document.layout.to_placements()]
    assert len(set(keys)) == len(keys)
    shop.database.within(lambda session: edits.step(session, "run", run, state.run.revision, "undo"))
    assert state_of(shop, run).document.layout == before.document.layout
