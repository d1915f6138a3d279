"""Blanks of a bed with their own marks: printed together as one page, then each goes its own way to the cutter."""

import math
from io import BytesIO

import numpy as np
import pikepdf
import pypdfium2
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.devices.contracts import Unreachable
from etiquette.devices.ipp_printer import IppPrinter
from etiquette.intake import orders
from etiquette.stations import line_finding, run_edits, runs
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.lines import taking_in
from etiquette.stations.print import beds, following, plating, queue, sending
from etiquette.stations.run import laying, nesting
from etiquette.stations.run.views import run_shown
from etiquette.stations.shop import Shop
from etiquette.store.models import MarkSet, Roll, RollEntry, Sheet, Task
from etiquette.store.settling import settle_unfollowed, unfollowed_prints
from etiquette.store.states import SheetState
from tests.stations.shop_floor import cut_report, do, fill_shelf, sheet_of

WIDE, HIGH = 180.0, 160.0
PLACES = ((10.0, 10.0), (250.0, 10.0), (10.0, 200.0))
"""Left and near edges of three blanks on a bed of 600 mm, which begins 5 mm inside its stock."""
RIM_MM = 5.0


def bed_run(shop: Shop, count: int, marks: str = "each", **blank: object) -> int:
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    size = {"width_mm": WIDE, "height_mm": HIGH, **blank}
    places = [{"x_mm": x, "y_mm": y, **size} for x, y in PLACES]

    def made(session: Session) -> int:
        run = run_edits.create(session, "Panels", [{"design_id": design, "count": count}])
        bed = {"places": places, "marks": marks}
        run_edits.change(session, run, None, "bed", {"laying": "bed", "bed": bed, "sheet_mm": 500.0})
        return run

    run = shop.database.within(made)
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return run


def state_of(shop: Shop, run: int) -> runs.RunState:
    return shop.database.within(lambda session: runs.state_of(shop, session, run))


def sent(shop: Shop, run: int) -> list[int]:
    """All of it is sent; the tasks."""
    do(shop, plating.make_plates, run_id=run)
    hands.put_roll_on(shop, run)
    revision = state_of(shop, run).run.revision
    return shop.database.within(lambda session: queue.send_all(shop, session, run, revision, "all of it"))


def sheets_of(shop: Shop) -> list[Sheet]:
    def all_of_them(session: Session) -> list[Sheet]:
        return [sheet for sheet in session.scalars(select(Sheet).order_by(Sheet.id)) if sheet.plate]

    return shop.database.within(all_of_them)


def test_every_blank_is_a_frame_as_large_as_it_is_with_marks_inside_it(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    run = bed_run(shop, 4)
    state = state_of(shop, run)
    assert state.trouble is None and state.fresh
    assert [(plan.lies.bed, plan.lies.x_mm, plan.lies.y_mm) for plan in state.plans if plan.lies] == [
        *((1, pytest.approx(x + RIM_MM, abs=0.01), y) for x, y in PLACES),
        (2, pytest.approx(PLACES[0][0] + RIM_MM, abs=0.01), PLACES[0][1]),
    ]
    assert len({plan.code for plan in state.plans}) == 4
    out = state.kit.recipe.out_mm
    for frame, plan in enumerate(state.plans):
        assert (plan.width_mm, plan.length_mm) == (WIDE, HIGH)
        assert all(out <= mark.x <= WIDE - out and out <= mark.y <= HIGH - out for mark in plan.marks)
        (piece,) = runs.placements_on_frame(state.document, state.plans, frame)
        outline = runs.pieces_of(shop, state.document, state.designs)[piece.id].outline
        left, low, right, high = outline.bounds
        middle = (piece.x_mm + (left + right) / 2, piece.y_mm + (low + high) / 2)
        assert middle == pytest.approx((WIDE / 2, HIGH / 2), abs=1e-3)  # in the middle of its blank
    # of the stock it takes its beds, and costs its blanks: 4 × 0.18 m × 0.16 m × 4 €
    assert sum(plan.takes_mm for plan in state.plans) == pytest.approx(2 * 500)
    assert state.figures is not None and float(state.figures.stock_cost or 0) == pytest.approx(0.46)


@pytest.mark.parametrize(
    ("blank", "why"),
    [({"shape": "ellipse"}, "a round one has none"), ({"width_mm": 60.0}, "Its own marks need a blank of")],
)
def test_a_blank_without_room_for_marks_is_told(shop: Shop, blank: dict[str, object], why: str) -> None:
    shop.database.within(fill_shelf)
    run = bed_run(shop, 1, **blank)
    shown = shop.database.within(lambda session: run_shown(shop, session, runs.state_of(shop, session, run)))
    assert shown.bed is not None and len(shown.bed.faults) == 3 and why in shown.bed.faults[1]
    assert shown.plans == []


def test_the_printer_gets_one_page_on_which_each_blank_lies_where_it_was_set_down(shop: Shop) -> None:
    """Read by pdfium, which nobody here wrote: the same ink at the same place as in the file of each blank alone."""
    shop.database.within(fill_shelf)
    run = bed_run(shop, 3)
    do(shop, plating.make_plates, run_id=run)
    content, name = beds.bed_plate(shop, run, 1, "colour")
    assert name == "Panels, frame 1, bed 1.pdf"
    dpi = 127.0  # 5 pixels a millimetre

    def drawn(pdf: bytes) -> np.ndarray:
        page = pypdfium2.PdfDocument(pdf)[0]
        return np.asarray(page.render(scale=dpi / 72, grayscale=True).to_numpy()).reshape(
            -1, math.ceil(page.get_width() * dpi / 72)
        )

    whole = drawn(content)
    assert (whole.shape[1] / 5, whole.shape[0] / 5) == (pytest.approx(600, abs=0.3), pytest.approx(500, abs=0.3))
    seen = np.zeros_like(whole, dtype=bool)
    for plan in state_of(shop, run).plans:
        assert plan.lies is not None
        plate = next(one for one in plates_of(shop, run) if one.summary.code == plan.code)
        alone = drawn(shop.blobs.read(plate.pdf_sha))
        left, low = round(plan.lies.x_mm * 5), round(plan.lies.y_mm * 5)
        rows = slice(whole.shape[0] - low - alone.shape[0], whole.shape[0] - low)
        columns = slice(left, left + alone.shape[1])
        seen[rows, columns] = True
        assert np.mean(np.abs(whole[rows, columns].astype(int) - alone) > 96) < 0.01  # but for rims of half a pixel
        assert (alone < 64).mean() > 0.01
    assert (whole[~seen] > 250).all()  # and nothing between them
    with pikepdf.open(BytesIO(content)) as file:
        names = [str(one.Name) for one in file.pages[0].VP]
        assert names == [plan.code for plan in state_of(shop, run).plans]
        assert len(file.Root.OutputIntents) == 1
    with pytest.raises(NotThere, match="no such bed"):
        beds.bed_plate(shop, run, 2, "colour")


def plates_of(shop: Shop, run: int) -> list[beds.Plate]:
    from etiquette.stations.plate_sets import plates_of as made

    return shop.database.within(lambda session: made(session, runs.state_of(shop, session, run)))


def test_blanks_printed_together_are_cut_one_by_one(room: Shop) -> None:
    run = bed_run(room, 4)
    (first, second) = sent(room, run)
    left = room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)
    for task in (first, second):
        work = room.database.within(lambda session, task=task: dict(session.get_one(Task, task).arguments))
        do(room, following.print_plate, sheet_id=work["sheet_id"])
    sheets = sheets_of(room)
    assert [one.state for one in sheets] == [SheetState.PRINTED] * 4
    used = room.database.within(
        lambda session: session.scalars(
            select(RollEntry.length_mm).where(RollEntry.reference.like("sheet %")).order_by(RollEntry.id)
        ).all()
    )
    assert used == pytest.approx([-500 / 3] * 3 + [-500])
    assert room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm) == pytest.approx(left - 1000)
    for number in (2, 0):  # in any order, each by its own code
        sheet = sheets[number].id
        do(room, hands.put_film_on, sheet_id=sheet, seed=21 + number, anyway=True)
        hands.lay(room, sheet, "tail")
        assert do(room, mark_reading.read_sheet)["verdict"] == "go"
        reading = sheet_of(room, sheet).reading
        assert reading is not None and reading.code.startswith(sheets[number].plate.summary.code)
        assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
        report = cut_report(room, sheet)
        assert report.cut and report.cut.worst_mm <= 0.3
    assert [one.state for one in sheets_of(room)] == ["cut", "printed", "cut", "printed"]


def test_a_bed_that_the_printer_made_has_not_come_to_nothing_whichever_blank_is_asked_of(room: Shop) -> None:
    """Sent again it would be printed twice."""
    run = bed_run(room, 3)
    (task,) = sent(room, run)
    first = room.database.within(lambda session: int(session.get_one(Task, task).arguments["sheet_id"]))
    do(room, following.print_plate, sheet_id=first)
    for sheet in sheets_of(room):
        with pytest.raises(JobError, match="says that it is done"):
            sending.refuse_while_the_printer_has_it(room, sheet.id)


def test_one_blank_is_printed_again_where_it_lies(room: Shop) -> None:
    run = bed_run(room, 3)
    do(room, plating.make_plates, run_id=run)
    hands.put_roll_on(room, run)
    plate = plates_of(room, run)[1]
    sheet = room.database.within(lambda session: sending.new_sheet(session, plate.id))
    do(room, following.print_plate, sheet_id=sheet)
    (only,) = sheets_of(room)
    assert (only.state, only.bed, only.name) == ("printed", None, f"{plate.summary.code}-1")
    hands.lay(room, sheet, "head")
    assert do(room, mark_reading.read_sheet)["verdict"] == "go"


def test_a_bed_is_held_sent_and_settled_as_one(room: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    run = bed_run(room, 3)
    (task,) = sent(room, run)
    assert sent(room, run) == [task]  # the same key once more
    room.database.within(lambda session: queue.hold(session, task))
    assert {one.state for one in sheets_of(room)} == {SheetState.HELD}
    last = sheets_of(room)[2]

    def send(session: Session) -> int:
        return sending.submit_print(session, sending.send_held(room, session, last.id))

    again = room.database.within(send)
    assert room.database.within(send) == again  # with another blank of the same bed it is sent already
    assert {one.state for one in sheets_of(room)} == {SheetState.PRINTING}
    assert room.database.within(settle_unfollowed) == []  # one is followed for all
    assert room.database.within(lambda session: session.scalars(unfollowed_prints()).all()) == []

    sent_to = IppPrinter.send

    def lost(self: IppPrinter, job: object) -> None:
        sent_to(self, job)  # type: ignore[arg-type]
        raise Unreachable("The line broke.", "printer", "Look at it.")

    monkeypatch.setattr(IppPrinter, "send", lost)
    monkeypatch.setattr(IppPrinter, "progress", lambda self, key: (_ for _ in ()).throw(Unreachable("a", "b", "c")))
    with pytest.raises(JobError):
        do(room, following.print_plate, sheet_id=last.id - 2)
    monkeypatch.undo()
    assert {one.state for one in sheets_of(room)} in ({SheetState.UNCLEAR}, {SheetState.FAILED})


def test_an_order_that_runs_by_itself_sends_a_bed_as_one(room: Shop) -> None:
    run = bed_run(room, 4)
    do(room, plating.make_plates, run_id=run)
    for _ in range(2):
        room.database.within(lambda session: orders._sheets(room, session, run, send=True))
    first, second, third, last = sheets_of(room)
    assert first.bed == second.bed == third.bed is not None and last.bed is None
    tasks = room.database.within(lambda session: [one.arguments for one in session.scalars(select(Task))])
    assert [one["sheet_id"] for one in tasks] == [first.id, last.id]


@pytest.mark.parametrize("change", [{"mark_set_id": 2}, {"way": "both"}])
def test_a_layout_of_blanks_goes_with_their_marks(shop: Shop, change: dict[str, object]) -> None:
    """Larger marks leave less of a blank, and a bed that is cut where it lies has none on its blanks."""

    def more_marks(session: Session) -> None:
        fill_shelf(session)
        session.add(
            MarkSet(name="Large discs", size_mm=9, clear_mm=4, spacing_mm=300, head_margin_mm=10, tail_margin_mm=30)
        )

    shop.database.within(more_marks)
    run = bed_run(shop, 3)
    assert state_of(shop, run).fresh
    shop.database.within(lambda session: run_edits.change(session, run, None, "other", change))
    assert not state_of(shop, run).fresh
    with pytest.raises(JobError, match="not of the run as it is now"):
        shop.database.within(
            lambda session: laying.lay_by_hand(shop, session, run, 0, laying.HandStep(do="turn", keys=["1-1"]))
        )


def test_blanks_with_their_own_marks_are_not_laid_by_hand_or_filled(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    run = bed_run(shop, 3)
    revision = state_of(shop, run).run.revision
    with pytest.raises(JobError, match="on a frame of its own"):
        shop.database.within(
            lambda session: laying.lay_by_hand(shop, session, run, revision, laying.HandStep(do="turn", keys=["1-1"]))
        )
    round_it = bed_run(shop, 3, marks="round")
    with pytest.raises(JobError, match="places of a bed"):
        shop.database.within(lambda session: laying.fill(shop, session, round_it, 3, laying.FillWish(design_ids=[1])))


def test_a_worker_that_is_lost_leaves_the_whole_bed_unclear(room: Shop) -> None:
    run = bed_run(room, 3)
    (task,) = sent(room, run)
    sheet = room.database.within(lambda session: int(session.get_one(Task, task).arguments["sheet_id"]))
    room.database.within(lambda session: following._ends(session, sheet, "unclear"))
    assert {one.state for one in sheets_of(room)} == {SheetState.UNCLEAR}
    room.database.within(lambda session: sending.settle_print(session, sheets_of(room)[1].id, "spoiled"))
    assert {one.state for one in sheets_of(room)} == {SheetState.FAILED}
    spoiled = select(func.sum(RollEntry.length_mm)).where(RollEntry.reason.like("spoiled%"))
    assert room.database.within(lambda session: session.scalar(spoiled)) == pytest.approx(-500)
