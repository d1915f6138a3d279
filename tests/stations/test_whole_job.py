"""The job through stations and real device processes, judged by pixels: a thin line printed where the kiss line
lies."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

import cv2
import numpy as np
import pytest
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.files.contracts import FitFile
from etiquette.files.lines_svg import write_lines
from etiquette.stations import plate_sets, run_edits, runs, sheets
from etiquette.stations.bench import counting, cut_progress, cutting, mark_reading
from etiquette.stations.floor.board import board
from etiquette.stations.floor.figures import good_since
from etiquette.stations.floor.hands import hands as needs_hands
from etiquette.stations.floor.lamps import lamps
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.print import following, plating, sending
from etiquette.stations.print.preflight import costs_of, preflight
from etiquette.stations.shop import Shop
from etiquette.stations.tools import put_in
from etiquette.stations.what_lies import Check, ask_printer
from etiquette.store.models import Cutter, MarkSet, Plate, Printer, PrintMode, Roll, RollEntry, Run, now
from standins.cuts import Cuts
from standins.judge import planned_lines
from standins.judge import report as report_of
from standins.room import Room as RoomOfMachines
from tests.stations.shop_floor import cut_report, do, on_shelf, sheet_of, tell, with_its_knife
from tests.strangers import free_port


def carried_lines(shop: Shop, plate: Plate, fit: FitFile) -> list[np.ndarray]:
    """Where the tip of the knife has to go."""
    carry = fit.transform.to_transform()
    return [carry(line.path.flatten(0.01)) for line in cut_progress.lines_of_sheet(shop, plate)]


def misses(shop: Shop, cut: list[np.ndarray]) -> np.ndarray:
    """How far the printed ring lies from the cut, from what the optical head sees beside the cut and nothing else."""
    found = []
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, None))
    with cutter.line(shop) as line:
        look = cutter.head(line)
        for points in cut:
            steps = np.hypot(*np.diff(points, axis=0).T)
            at = np.searchsorted(np.cumsum(steps), np.linspace(0, steps.sum(), 5)[:-1])
            for index in at:
                place, along = points[index], points[min(index + 3, len(points) - 1)] - points[max(index - 3, 0)]
                normal = np.array([-along[1], along[0]]) / np.hypot(*along)
                window = look(*place)
                reach = np.linspace(-1.5, 1.5, 301)
                spots = reach[:, None] * normal
                half = window.pixels.shape[0] / 2
                columns, rows = half - 0.5 + spots[:, 0] / window.mm_per_px, half - 0.5 - spots[:, 1] / window.mm_per_px
                profile = cv2.remap(
                    window.pixels, columns.astype(np.float32), rows.astype(np.float32), cv2.INTER_LINEAR
                ).ravel()
                dark = np.clip(
                    150.0 - cv2.GaussianBlur(profile.astype(np.float32).reshape(1, -1), (0, 0), 5).ravel(), 0, None
                )
                assert dark.sum() > 0, "the printed ring is more than 1.5 mm from the cut"
                found.append(float((dark * reach).sum() / dark.sum()))
    return np.array(found)


@pytest.mark.parametrize("end", ["head", "tail"])
def test_the_knife_lands_on_the_printed_line(room: Shop, end: str) -> None:
    sheet = on_shelf(room)
    before = room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)
    hands.lay(room, sheet, end)  # type: ignore[arg-type]
    assert do(room, mark_reading.read_sheet)["verdict"] == "go"
    state = sheet_of(room, sheet)
    assert state.reading is not None and state.reading.end == end
    fit = state.reading.fit
    lines_there = carried_lines(room, state.plate, fit)
    seen = np.abs(misses(room, lines_there))
    assert len(lines_there) == 30
    assert seen.max() <= 0.3 and np.median(seen) < 0.1
    do(room, cutting.cut_sheet, sheet_id=sheet)
    report = cut_report(room, sheet)
    # the devices' own judge and the pixels agree
    assert report.cut and report.cut.worst_mm <= 0.3 and abs(report.cut.worst_mm - seen.max()) < 0.15
    assert report.without and report.without.worst_mm >= 1.0
    length = state.plate.summary.plan.length_mm
    assert before == pytest.approx(5000 - length)
    room.database.within(lambda session: counting.count_good(session, sheet, 28))
    assert room.database.within(lambda session: good_since(session, now() - timedelta(hours=1))) == 28
    with pytest.raises(JobError, match="30 pieces"):
        room.database.within(lambda session: counting.count_good(session, sheet, 31))


@pytest.mark.parametrize(
    ("marks", "half_turn"),
    [
        ({"shape": "corner", "size_mm": 10, "stroke_mm": 1.2, "count": "4", "place": "stock", "inset_mm": 16}, False),
        ({"shape": "ring", "size_mm": 8, "stroke_mm": 1.5, "code": "qr"}, True),
        ({"shape": "square", "size_mm": 6, "code": "code 128"}, False),
    ],
    ids=lambda one: one["shape"] if isinstance(one, dict) else str(one),
)
def test_other_marks_and_a_half_turned_print_lead_the_knife_as_well(
    room: Shop, marks: dict[str, Any], half_turn: bool
) -> None:
    """What is loaded head first is the edge that left the printer first: the tail of the run, when it is half
    turned."""

    def another(session: Session) -> int:
        row = MarkSet(
            **{
                "name": "Others",
                "size_mm": 6,
                "clear_mm": 3,
                "spacing_mm": 300,
                "head_margin_mm": 10.16,
                "tail_margin_mm": 30.48,
                **marks,
            }
        )
        session.add(row)
        session.flush()
        return row.id

    sheet = on_shelf(room, mark_set_id=room.database.within(another), half_turn=half_turn)
    hands.lay(room, sheet, "head")
    few = marks.get("count") == "4"
    # four corners do not show a bow: the verdict says so, whatever this sheet did
    assert do(room, mark_reading.read_sheet)["verdict"] in (("check", "stop") if few else ("go", "check"))
    state = sheet_of(room, sheet)
    assert state.reading is not None and state.reading.end == ("tail" if half_turn else "head")
    assert all(mark.measured for mark in state.reading.marks)
    seen = np.abs(misses(room, carried_lines(room, state.plate, state.reading.fit)))
    assert np.median(seen) < (1.0 if few else 0.1)
    do(room, cutting.cut_sheet, sheet_id=sheet, anyway=few)
    report = cut_report(room, sheet)
    assert abs(report.cut.worst_mm - seen.max()) < 0.3


@pytest.mark.parametrize(("kind", "words"), [("out", "ran out"), ("refuse", "refused at its panel")])
def test_a_print_that_goes_wrong_is_booked_and_can_be_made_again(room: Shop, kind: str, words: str) -> None:
    sheet = on_shelf(room)
    plate = sheet_of(room, sheet).plate
    left = room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)
    tell(room, "printer", "fault", kind=kind)
    second = room.database.within(lambda session: sending.new_sheet(session, plate.id))
    with pytest.raises(JobError, match=words):
        do(room, following.print_plate, sheet_id=second)
    assert sheet_of(room, second).state == "failed"
    spoiled = left - room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)
    length = plate.summary.plan.length_mm
    assert spoiled == 0 if kind == "refuse" else 0.3 * length < spoiled < 0.5 * length
    third = room.database.within(lambda session: sending.new_sheet(session, plate.id))
    do(room, following.print_plate, sheet_id=third)
    assert sheet_of(room, third).state == "printed" and sheet_of(room, third).plate.id == plate.id
    held = tell(room, "printer", "state")["roll"]["left_mm"]
    assert held == pytest.approx(room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm), abs=0.5)


def test_the_printer_is_asked_what_it_holds_and_who_it_is(room: Shop) -> None:
    def machine(session: Session) -> int:
        row = session.query(Printer).one()
        session.add(
            PrintMode(
                name="fine",
                stock_id=1,
                printer_id=row.id,
                dpi=720,
                passes=8,
                two_way=True,
                m2_per_hour=10,
                ink_ml_m2=10,
                drying_minutes=0,
            )
        )
        return row.id

    printer = room.database.within(machine)
    sheet = on_shelf(room, printer_id=printer)
    first = sheet_of(room, sheet)
    assert room.database.within(lambda session: session.get_one(Printer, printer).machine).startswith("urn:uuid:")
    run = first.plate.run_id
    assert [one.state for one in checks_of(room, run)][:3] == ["good", "good", "good"]
    tell(room, "printer", "load roll", name="Matt 600 B", width_mm=600, left_mm=9000)
    stopped = checks_of(room, run)[0]
    assert (
        stopped.state == "stop" and stopped.can_load and "holds Matt 600 B; this run is on White 600 A" in stopped.words
    )
    second = room.database.within(lambda session: sending.new_sheet(session, first.plate.id))
    with pytest.raises(JobError, match="holds Matt 600 B"):
        do(room, following.print_plate, sheet_id=second)
    hands.put_roll_on(room, run)
    room.database.within(lambda session: setattr(session.get_one(Printer, printer), "machine", "urn:uuid:0003"))
    assert "answers at the address" in checks_of(room, run)[0].words
    with pytest.raises(JobError, match="Another machine than before answers"):
        do(
            room,
            following.print_plate,
            sheet_id=room.database.within(lambda session: sending.new_sheet(session, first.plate.id)),
        )


def test_a_printer_with_a_knife_prints_cuts_or_does_both(room: Shop) -> None:
    def machine(session: Session) -> tuple[int, int]:
        rows = [session.query(Printer).one(), Printer(name="Plain", print_width_mm=1300.0)]
        session.add_all(rows)
        session.flush()
        return rows[0].id, rows[1].id

    knife, plain = room.database.within(machine)
    blades = room.database.within(with_its_knife)
    room.database.within(lambda session: put_in(session, blades, "45° blade"))
    first = on_shelf(room, printer_id=knife)
    run = sheet_of(room, first).plate.run_id
    before = room.database.within(lambda session: runs.state_of(room, session, run))
    room.database.within(lambda session: run_edits.change(session, run, None, "both", {"way": "both"}))
    state = room.database.within(lambda session: runs.state_of(room, session, run))
    assert state.fresh and state.plans[0].marks == () and len(before.plans[0].marks) >= 6
    assert state.plans[0].length_mm <= before.plans[0].length_mm
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
    both = room.database.within(lambda session: sending.new_sheet(session, plate))
    do(room, following.print_plate, sheet_id=both)
    done = sheet_of(room, both)
    assert (done.state, done.good) == ("cut", 30)
    kept = Cuts.kept_in(RoomOfMachines(room.settings.room).folder(done.name) / "cuts.json")
    made = [line for _, line, _ in kept.made]
    wanted = planned_lines(write_lines(plate_sets.lines_on_sheet(room, done.plate)))
    assert len(made) == 30 and report_of(made, wanted)["worst_mm"] < 0.05  # nothing moved between print and cut
    assert room.database.within(lambda session: session.get_one(Run, run).state) == "cut"
    left = room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)
    again = room.database.within(lambda session: sending.new_sheet(session, plate))
    room.database.within(lambda session: run_edits.change(session, run, None, "cut", {"way": "cut", "sever": False}))
    do(room, following.print_plate, sheet_id=again)
    assert sheet_of(room, again).state == "cut"
    assert room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm) == left
    with pytest.raises(JobError, match="no knife of its own"):
        room.database.within(lambda session: run_edits.change(session, run, None, "plain", {"printer_id": plain}))


def checks_of(room: Shop, run: int) -> list[Check]:
    told = ask_printer(room, run)
    return room.database.within(lambda session: preflight(room, session, runs.state_of(room, session, run), told))


def test_wet_ink_waits_for_its_film_and_a_held_sheet_for_its_sending(room: Shop) -> None:
    def mode(session: Session) -> int:
        row = session.query(Printer).one()
        session.add(
            PrintMode(
                name="wet",
                stock_id=1,
                printer_id=row.id,
                dpi=720,
                passes=8,
                two_way=True,
                m2_per_hour=12,
                ink_ml_m2=10,
                drying_minutes=30,
            )
        )
        return row.id

    printer = room.database.within(mode)
    with pytest.raises(JobError, match=r"dries for (30|29) more minutes"):
        on_shelf(room, printer_id=printer)
    (wet,) = room.database.within(sheets.all_sheets)
    wet = sheet_of(room, wet.id)
    do(room, hands.put_film_on, sheet_id=wet.id, seed=1, anyway=True)
    assert sheet_of(room, wet.id).state == "laminated"
    held = room.database.within(lambda session: sending.new_sheet(session, wet.plate_id, hold=True))
    assert sheet_of(room, held).state == "held"
    with pytest.raises(JobError, match="Only a printed sheet"):
        do(room, hands.put_film_on, sheet_id=held)
    assert held not in {one.id for one in room.database.within(sheets.all_sheets)}  # it is on no shelf yet
    room.database.within(lambda session: sending.send_held(room, session, held))
    with pytest.raises(JobError, match="not held any more"):
        room.database.within(lambda session: sending.send_held(room, session, held))
    do(room, following.print_plate, sheet_id=held)
    state = room.database.within(lambda session: runs.state_of(room, session, wet.plate.run_id))
    plates = room.database.within(lambda session: plate_sets.plates_of(session, state))
    costs = room.database.within(lambda session: costs_of(session, state, plates))
    area = 0.6 * plates[0].summary.plan.length_mm / 1000
    assert costs is not None and costs.minutes == pytest.approx(area / 12 * 60)
    assert costs.stock == round(Decimal(area) * 4, 2) and costs.total == costs.stock + costs.film + costs.ink
    # thirty grey discs of 20 mm: all three colours or black, nothing else
    assert sum(costs.ink_ml.values()) > 0 and set(costs.ink_ml) <= {"Cyan", "Magenta", "Yellow", "Black"}


def test_the_code_decides_which_sheet_this_is(room: Shop) -> None:
    """The screen shows one sheet, another lies on the cutter: what is read belongs to the one that lies there."""
    first, second = on_shelf(room, "First", 1), on_shelf(room, "Second", 2)
    hands.lay(room, second, "tail")
    assert do(room, mark_reading.read_sheet)["sheet_id"] == second
    assert sheet_of(room, first).reading is None
    with pytest.raises(JobError, match="have not been read"):
        do(room, cutting.cut_sheet, sheet_id=first)


def test_a_reading_can_be_held_and_nothing_is_cut_without_one(room: Shop) -> None:
    sheet = on_shelf(room)
    with pytest.raises(JobError, match="no picture of a place"):  # the eye of an empty cutter has nothing to show
        do(room, mark_reading.read_sheet)
    hands.lay(room, sheet, "head")
    looks = iter(range(100))
    assert do(room, mark_reading.read_sheet, report=lambda *_: next(looks) < 3)["verdict"] is None
    assert sheet_of(room, sheet).state == "loaded"
    with pytest.raises(JobError, match="Press M"):
        do(room, cutting.cut_sheet, sheet_id=sheet)


def test_a_sheet_laid_anew_forgets_its_reading(room: Shop) -> None:
    sheet = on_shelf(room)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    hands.lay(room, sheet, "tail")
    assert sheet_of(room, sheet).reading is None
    with pytest.raises(JobError, match="have not been read"):
        do(room, cutting.cut_sheet, sheet_id=sheet)


def test_a_cutter_that_is_switched_off_is_named(room: Shop) -> None:
    sheet = on_shelf(room)
    dark = f"socket://127.0.0.1:{free_port()}"
    room.database.within(lambda session: setattr(session.query(Cutter).one(), "address", dark))
    hands.lay(room, sheet, "head")
    with pytest.raises(JobError, match="Knife is not listening"):
        do(room, mark_reading.read_sheet)
    assert [(name, on) for name, _, on in lamps(room)] == [("Printer east", True), ("Knife", False)]


def test_printing_again_keeps_the_code_and_books_the_roll_once_a_sheet(room: Shop) -> None:
    sheet = on_shelf(room)
    plate = sheet_of(room, sheet).plate
    again = room.database.within(lambda session: sending.new_sheet(session, plate.id))
    do(room, following.print_plate, sheet_id=again)
    do(room, following.print_plate, sheet_id=again)  # the report of the same print comes twice
    names = {sheet_of(room, sheet).name.split("-")[0], sheet_of(room, again).name.split("-")[0]}
    assert len(names) == 1
    length = plate.summary.plan.length_mm
    assert room.database.within(lambda session: session.query(RollEntry).count()) == 2
    assert room.database.within(lambda session: session.get_one(Roll, 1).remaining_mm) == pytest.approx(
        5000 - 2 * length
    )


def test_the_floor_follows_the_run_from_station_to_station(room: Shop) -> None:
    def next_for_hands() -> list[str]:
        def found(session: Session) -> list[str]:
            return [one.title for one in needs_hands(session, board(session, now().date()))]

        return room.database.within(found)

    sheet = on_shelf(room)
    name = sheet_of(room, sheet).plate.summary.name
    assert next_for_hands()[0] == f"Load {name}"
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    assert next_for_hands()[0] == f"Cut {name}"
    do(room, cutting.cut_sheet, sheet_id=sheet)
    assert not [title for title in next_for_hands() if title.endswith(name)]
    assert next_for_hands()[-1].startswith("Hand over ")
    assert room.database.within(lambda session: session.query(Run).one().state) == "cut"
