"""What a run is made on and what that leaves; layouts set aside; the better one that is offered."""

import pytest
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.planning.problem import placed_outline
from etiquette.files.lines_svg import read_lines
from etiquette.stations import line_finding, plate_sets, run_edits, runs
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import comparing, nesting
from etiquette.stations.run.comparing import LayoutStep
from etiquette.stations.run.schemas import NestWork
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.store.models import Laminator, Printer, PrintMode, Roll, Run, Stock, Task
from tests.stations.shop_floor import do, fill_shelf, queued
from tests.stations.test_laying import run, state_of
from tests.stations.test_plates import disc

__all__ = ["run"]  # the fixture: six discs, nested


def change(shop: Shop, run: int, **changes: object) -> RunState:
    shop.database.within(lambda session: run_edits.change(session, run, None, "change", dict(changes)))
    return state_of(shop, run)


def compare(shop: Shop, run: int, do: str, which: int | None = None) -> RunState:
    def step(session: Session) -> None:
        revision = runs.run_there(session, run).revision
        comparing.compare(shop, session, run, revision, LayoutStep(do=do, which=which))  # type: ignore[arg-type]

    shop.database.within(step)
    return state_of(shop, run)


def test_the_narrowest_machine_is_named_and_gives_the_width(shop: Shop, run: int) -> None:
    def machines(session: Session) -> tuple[int, int]:
        printer, film = Printer(name="Printer west", print_width_mm=420.0), Laminator(name="Film", film_width_mm=380.0)
        session.add_all([printer, film])
        session.flush()
        return printer.id, film.id

    printer, film = shop.database.within(machines)
    # the stock is 600 mm wide, 590 of it inside its rims; marks take 2 × (6 + 2 × 3), bleed 2 × 1
    assert state_of(shop, run).kit.usable() == (590.0, "White 600")
    with_printer = change(shop, run, printer_id=printer)
    assert with_printer.kit.usable() == (420.0, "Printer west")
    assert runs.problem_of(with_printer, ()).width_mm == pytest.approx(420 - 26 - 0.01)
    with_film = change(shop, run, laminator_id=film)
    assert with_film.kit.usable() == (380.0, "Film") and runs.problem_of(with_film, ()).width_mm == pytest.approx(
        354 - 0.01
    )
    started = change(shop, run, laminator_id=None, start_across_mm=200.0)
    assert runs.problem_of(started, ()).width_mm == pytest.approx(600 - 5 - 200 - 26 - 0.01)
    with pytest.raises(JobError, match="printer is not on the Shelf"):
        change(shop, run, printer_id=99)


def test_a_layout_stays_where_a_wider_machine_comes_and_goes_where_it_does_not_fit(shop: Shop, run: int) -> None:
    def printers(session: Session) -> tuple[int, int]:
        wide, narrow = Printer(name="Wide", print_width_mm=2000.0), Printer(name="Narrow", print_width_mm=250.0)
        session.add_all([wide, narrow])
        session.flush()
        return wide.id, narrow.id

    wide, narrow = shop.database.within(printers)
    before = state_of(shop, run)
    same = change(shop, run, printer_id=wide)
    assert (
        same.fresh and same.document.layout == before.document.layout and same.document.items == before.document.items
    )
    lower = change(shop, run, start_along_mm=60.0)
    assert lower.fresh and lower.plans[0].length_mm == pytest.approx(before.plans[0].length_mm + 60)
    assert not change(shop, run, printer_id=narrow).fresh
    do(shop, nesting.nest_run, run_id=run, steps=1)
    after = state_of(shop, run)
    # in the middle of the stock, the marks and their clear zones within what the printer prints
    assert after.fresh and after.plans[0].work[0] + after.plans[0].work[2] == pytest.approx(600)
    assert max(mark.x for mark in after.plans[0].marks) - min(mark.x for mark in after.plans[0].marks) <= 250 - 12


def test_a_wider_stock_is_nested_anew_and_brings_its_own_print_mode(shop: Shop, run: int) -> None:
    def wider(session: Session) -> tuple[int, int]:
        stock = Stock(name="White 900", width_mm=900, price_m2=5, currency="EUR", tolerance_mm=0.3)
        printer = session.query(Printer).one()
        session.add(stock)
        session.flush()
        session.add(Roll(stock_id=stock.id, name="White 900 A", length_mm=9000, remaining_mm=9000))
        mode = PrintMode(
            name="fine",
            stock_id=stock.id,
            printer_id=printer.id,
            dpi=720,
            passes=8,
            two_way=True,
            m2_per_hour=9,
            ink_ml_m2=9,
            drying_minutes=0,
        )
        session.add(mode)
        session.flush()
        return stock.id, mode.id

    stock, mode = shop.database.within(wider)
    assert change(shop, run, printer_id=1).document.print_mode_id is None  # none of this printer on the old stock
    changed = change(shop, run, stock_id=stock)
    assert not changed.fresh and changed.document.print_mode_id == mode
    assert changed.roll.name == "White 900 A" and changed.document.items[0].count == 6
    with pytest.raises(JobError, match="not one of this printer on this stock"):
        change(shop, run, stock_id=1, roll_id=1, print_mode_id=mode)


def test_sheets_hold_a_frame_each(shop: Shop, run: int) -> None:
    change(shop, run, sheet_mm=160.0, items=[{"design_id": 1, "count": 150}])
    do(shop, nesting.nest_run, run_id=run, steps=1)
    state = state_of(shop, run)
    assert len(state.plans) > 1 and {plan.length_mm for plan in state.plans} == {160.0}
    assert sum(len(runs.placements_on_frame(state.document, state.plans, n)) for n in range(len(state.plans))) == 150


def test_a_bed_plan_keeps_its_places_however_few_are_filled(shop: Shop, run: int) -> None:
    bed = {"place_across_mm": 60, "place_along_mm": 50, "first_across_mm": 10, "first_along_mm": 20}
    change(shop, run, laying="bed", bed=bed)
    do(shop, nesting.nest_run, run_id=run)
    state = state_of(shop, run)
    first = runs.placements_on_frame(state.document, state.plans, 0)[0]
    pieces = runs.pieces_of(shop, state.document, state.designs)
    middle = placed_outline(pieces["1"], first).centroid
    left, low = state.plans[0].work[:2]
    assert (middle.x - left, middle.y - low) == pytest.approx((10 + 30, 20 + 25), abs=0.05)
    assert left == pytest.approx(5 + 12 + 1 + 0.01 / 2)  # a hair of the width is left free


def test_weed_lines_are_cut_with_the_frame(shop: Shop, run: int) -> None:
    plain = read_frame(shop, run)
    change(shop, run, weed={"box": True, "lines": "along", "strip_mm": 60})
    weeded = read_frame(shop, run)
    more = len(weeded) - len(plain)
    assert more >= 2 and {line.kind for line in weeded} == {"kiss"}
    assert state_of(shop, run).fresh  # the pieces stay where they are
    state = state_of(shop, run)
    pieces = runs.pieces_of(shop, state.document, state.designs)
    (box, *lines_) = runs.weed_of_frame(state, pieces, 0)
    assert len(lines_) == more - 1 and (box[0] == box[-1]).all()


def read_frame(shop: Shop, run: int) -> list[object]:
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    sha = shop.database.within(lambda session: plate_sets.plate_there(session, plate).lines_sha)
    return list(read_lines(shop.blobs.read(sha), "frame").lines)


def test_layouts_are_set_aside_taken_back_and_let_go(shop: Shop, run: int) -> None:
    first = compare(shop, run, "keep")
    assert first.document.kept[0].name == "Layout A" and first.document.kept[0].pieces == 6
    change(shop, run, laying="grid")
    do(shop, nesting.nest_run, run_id=run)
    second = compare(shop, run, "keep")
    grid = second.document.layout
    assert [one.name for one in second.document.kept] == ["Layout A", "Layout B"]
    taken = compare(shop, run, "take", 0)
    assert taken.fresh and taken.document.laying == "nest" and taken.document.layout == first.document.layout
    back = compare(shop, run, "take", 1)
    assert back.fresh and back.document.layout == grid
    assert [one.name for one in compare(shop, run, "let go", 0).document.kept] == ["Layout B"]
    for _ in range(3):
        compare(shop, run, "keep")
    with pytest.raises(JobError, match="4 layouts are kept already"):
        compare(shop, run, "keep")
    with pytest.raises(JobError, match="not kept any more"):
        compare(shop, run, "take", 4)
    with pytest.raises(JobError, match="made by nesting"):
        change(shop, run, kept=[])


@pytest.fixture
def mixed(shop: Shop) -> int:
    """Discs of three sizes, badly laid: one step only."""
    shop.database.within(fill_shelf)
    counts = []
    for size in (9, 14, 21):
        (design,) = taking_in.take_in(shop, disc(size), f"disc{size}.png", None)
        do(shop, line_finding.find_lines, design_id=design)
        counts.append({"design_id": design, "count": 14})
    made = shop.database.within(lambda session: run_edits.create(session, "Mixed", counts))
    do(shop, nesting.nest_run, run_id=made, steps=1)
    return made


def test_a_better_layout_is_offered_and_the_run_stays_until_it_is_taken(shop: Shop, mixed: int) -> None:
    before = state_of(shop, mixed)
    found = do(shop, nesting.improve_run, run_id=mixed, steps=60)
    state = state_of(shop, mixed)
    assert state.document.layout == before.document.layout and state.run.revision == before.run.revision
    assert found["saves_mm"] > 1
    figures = shop.database.within(
        lambda session: comparing.offered(shop, session, runs.state_of(shop, session, mixed))
    )
    assert (
        figures
        and before.figures
        and figures.length_mm == pytest.approx(before.figures.length_mm - found["saves_mm"], abs=0.5)
    )
    taken = compare(shop, mixed, "take")
    assert taken.fresh and taken.figures and taken.figures.length_mm == figures.length_mm
    with pytest.raises(JobError, match="Nothing better is offered"):
        compare(shop, mixed, "take")


def test_an_offer_is_gone_once_the_run_is_changed(shop: Shop, mixed: int) -> None:
    do(shop, nesting.improve_run, run_id=mixed, steps=60)
    change(shop, mixed, gap_mm=4.0)
    assert (
        shop.database.within(lambda session: comparing.offered(shop, session, runs.state_of(shop, session, mixed)))
        is None
    )
    with pytest.raises(JobError, match="changed after this was found"):
        compare(shop, mixed, "take")


def test_the_background_gives_way_to_work_that_waits(shop: Shop, mixed: int) -> None:
    shop.database.within(lambda session: queued(session, "make plate", {"run_id": mixed}))
    told: list[float] = []

    def report(share: float, words: str, data: object = None) -> bool:
        told.append(share)
        return True

    nesting.improve_run(shop, NestWork(run_id=mixed, steps=10_000), report)
    assert len(told) <= 2
    assert shop.database.within(lambda session: session.get_one(Run, mixed).offer) is None
    assert shop.database.within(lambda session: session.query(Task).filter(Task.state == "waiting").count()) == 1


def test_nesting_with_seconds_goes_on_in_the_background_and_with_none_it_does_not(shop: Shop, mixed: int) -> None:
    change(shop, mixed, seconds=0.5, improve_seconds=5.0)
    assert do(shop, nesting.nest_run, run_id=mixed)["improving"] is not None
    change(shop, mixed, improve_seconds=0.0)
    assert do(shop, nesting.nest_run, run_id=mixed)["improving"] is None


def test_room_to_the_marks_is_left_on_every_side(shop: Shop, run: int) -> None:
    """6 mm from the middle of a mark to the end of its clear zone, 1 mm of bleed, and what was asked for."""
    change(shop, run, edge_mm=15.0)
    do(shop, nesting.nest_run, run_id=run, steps=1)
    state = state_of(shop, run)
    (plan,) = state.plans
    x0, y0, x1, y1 = plan.work
    pieces = runs.pieces_of(shop, state.document, state.designs)
    bounds = [
        placed_outline(pieces["1"], one).bounds for one in runs.placements_on_frame(state.document, state.plans, 0)
    ]
    assert (min(b[1] for b in bounds), max(b[3] for b in bounds)) == pytest.approx((y0, y1), abs=0.01)
    head, tail = min(mark.y for mark in plan.marks), max(mark.y for mark in plan.marks)
    assert y0 - head >= 6 + 15 and tail - y1 >= 6 + 15
    assert min(mark.x for mark in plan.marks) <= x0 - (6 + 1 + 15) + 0.01
    assert runs.problem_of(state, ()).width_mm == pytest.approx(600 - 10 - 2 * (2 * 6 + 1 + 15) - 0.01)
