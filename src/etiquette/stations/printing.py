"""Print: send the plates of a run to the printer, now or later, and put film on what is printed."""

import time
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.cutting.writers import hpgl
from etiquette.core.errors import JobError
from etiquette.devices.line import DeviceLine
from etiquette.devices.open_directory import drop_job
from etiquette.files.lines_svg import write_lines
from etiquette.stations.edits import NotThere
from etiquette.stations.plating import lines_on_sheet, plate_files, plate_suffix, plate_there
from etiquette.stations.run_documents import RunDocument
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Printer, PrintMode, Roll, RollEntry, Run, Sheet, now
from etiquette.work.tasks import Outcome, Report

PRINT_LOOKS = 3000
LOOK_SECONDS = 0.2
SHEETS_SHOWN = 100


def sheets_of(session: Session, run_id: int) -> list[Sheet]:
    """Every print of a run, newest first."""
    return list(session.scalars(select(Sheet).join(Plate).where(Plate.run_id == run_id).order_by(Sheet.id.desc())))


def all_sheets(session: Session) -> list[Sheet]:
    """The shelf of printed sheets: the newest hundred that were sent and not spoiled on the printer."""
    return list(
        session.scalars(
            select(Sheet).where(Sheet.state.not_in(("failed", "held"))).order_by(Sheet.id.desc()).limit(SHEETS_SHOWN)
        )
    )


def new_sheet(session: Session, plate_id: int, hold: bool = False) -> int:
    """A sheet that is about to be printed, or with `hold` waits to be sent. Raises NotThere, and JobError when the roll is
    too short."""
    plate = plate_there(session, plate_id)
    run = session.get_one(Run, plate.run_id)
    roll = session.get_one(Roll, run.document["roll_id"])
    length = plate.summary["plan"]["length_mm"]
    if roll.remaining_mm < length:
        raise JobError(
            f"The run needs {length:.0f} mm; {roll.name} has {roll.remaining_mm:.0f} mm left.",
            roll.name,
            "Choose another roll in Run.",
        )
    number = len(sheets_of(session, run.id)) + 1
    code = plate.summary["plan"]["codes"][0][0]
    state = "held" if hold else "printing"
    sheet = Sheet(plate_id=plate_id, name=f"{code}-{number}", state=state, pieces=plate.summary["pieces"])
    session.add(sheet)
    if not hold:
        run.state = "printing"
    session.flush()
    return sheet.id


def send_held(session: Session, sheet_id: int) -> None:
    """A held sheet is to be printed now. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    if sheet.state != "held":
        raise JobError("This sheet is not held any more.", sheet.name, "Look at the list of printed sheets.")
    sheet.state = "printing"
    session.get_one(Run, sheet.plate.run_id).state = "printing"


def let_go(session: Session, sheet_id: int) -> None:
    """A held sheet is not wanted any more. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None or sheet.state != "held":
        raise JobError("This sheet is not held any more.", "sheet", "Look at the list of printed sheets.")
    session.delete(sheet)


def print_plate(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: hand the sheet's files to the printer, follow it, book the length on the roll."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, arguments["sheet_id"]))
    plate = shop.database.within(lambda session: session.get_one(Plate, sheet.plate_id))
    run, roll = shop.database.within(lambda session: _run_and_roll(session, plate))
    try:
        _follow_print(shop, sheet, plate, run, roll, report)
    except _Spoiled as error:
        spoiled = error
        shop.database.within(lambda session: book(session, roll.id, spoiled.used_mm, f"spoiled: {run.document['name']}", f"sheet {sheet.id}"))  # fmt: skip
        shop.database.within(lambda session: _put_back(session, sheet.id, run.id))
        raise JobError(spoiled.what, spoiled.where, spoiled.do) from None
    except JobError as error:
        reason = error
        shop.database.within(lambda session: _put_back(session, sheet.id, run.id))
        raise reason from None
    way = run.document.get("way", "print")
    length = plate.summary["plan"]["length_mm"] if way != "cut" else 0.0

    def publish(session: Session) -> None:
        book(session, roll.id, length, f"printed {run.document['name']}", f"sheet {sheet.id}")
        row = session.get_one(Sheet, sheet.id)
        row.state, row.printed_at = "printed", now()
        session.get_one(Run, run.id).state = "film"
        if way != "print":  # cut where it was printed: no film, no other cutter
            row.state, row.good = "cut", row.pieces
            session.get_one(Run, run.id).state = "cut"

    return Outcome({"sheet_id": sheet.id}, publish)


class _Spoiled(JobError):
    """The printer gave up in the middle; so much of the roll is gone."""

    def __init__(self, what: str, where: str, do: str, used_mm: float) -> None:
        super().__init__(what, where, do)
        self.used_mm = used_mm


def book(session: Session, roll_id: int, length_mm: float, reason: str, reference: str) -> None:
    """Once only, however often it is reported."""
    if length_mm <= 0 or session.scalar(select(RollEntry.id).where(RollEntry.reference == reference)) is not None:
        return
    held = session.get_one(Roll, roll_id, with_for_update=True)
    held.remaining_mm = max(0.0, held.remaining_mm - length_mm)
    session.add(RollEntry(roll_id=roll_id, length_mm=-length_mm, reason=reason[:200], reference=reference))


def _run_and_roll(session: Session, plate: Plate) -> tuple[Run, Roll]:
    run = session.get_one(Run, plate.run_id)
    return run, session.get_one(Roll, run.document["roll_id"])


def _put_back(session: Session, sheet_id: int, run_id: int) -> None:
    session.get_one(Sheet, sheet_id).state = "failed"
    session.get_one(Run, run_id).state = "planned"


def _follow_print(shop: Shop, sheet: Sheet, plate: Plate, run: Run, roll: Roll, report: Report) -> None:
    device = shop.device("printer")
    with DeviceLine(device.name, device.port) as line:
        if line.ask("job", name=sheet.name)["state"] == "unknown":
            held = line.ask("state")
            shop.database.within(lambda session: _know_machine(session, run, device.name, str(held.get("machine", ""))))
            if held["roll"]["name"] != roll.name:
                raise JobError(f"{device.name} holds {held['roll']['name']}; this run is on {roll.name}.", device.name, f"Put {roll.name} on it, then send it again.")  # fmt: skip
            files = {f"{plate_suffix(name)}.pdf": shop.blobs.read(sha) for name, sha in plate_files(plate).items()}
            way = run.document.get("way", "print")
            if way != "print":
                files[".plt"] = _own_cut(shop, plate)
            files[".svg"] = write_lines(lines_on_sheet(shop, plate)).encode()
            ticket = {
                "plates": plate.summary["order"],
                "job": sheet.name,
                "title": plate.summary["name"],
                "stock": plate.summary["stock"],
                "way": way,
                "sever": bool(run.document.get("sever", False)),
                "mode": shop.database.within(lambda session: _mode_words(session, run)),
                "sent": now().isoformat(),
            }
            drop_job(shop.settings.room / "printer", sheet.name, files, ticket)
        for _ in range(PRINT_LOOKS):
            status = line.ask("job", name=sheet.name)
            if status["state"] == "failed":
                what = f"{device.name} stopped: {status['why']}"
                raise _Spoiled(what, device.name, "Put that right and print it again: the codes stay the same.", float(status.get("used_mm", 0.0)))  # fmt: skip
            report(status["share"], f"Printing {status['share'] * 100:.0f} %", None)
            if status["state"] == "done":
                return
            time.sleep(LOOK_SECONDS)
    raise JobError(f"{device.name} did not finish in time.", device.name, "Look at the machine.")


def _know_machine(session: Session, run: Run, name: str, machine: str) -> None:
    """The machine that answers is the one that always did; the first one is remembered. Raises JobError."""
    printer = session.get(Printer, run.document.get("printer_id") or 0)
    if printer is None:
        return
    if not printer.machine:
        printer.machine = machine[:60]
    elif printer.machine != machine:
        raise JobError(f"{machine or 'A machine without a name'} answers at the address of {name}, not {printer.machine}.", name, "Check the addresses of the machines; if it was exchanged, ask on the Shelf again which one it is.")  # fmt: skip


def _own_cut(shop: Shop, plate: Plate) -> bytes:
    """The cut of a frame as printed: the sheet has not left the machine, so nothing has to be fitted."""
    profile = PROFILES["knife"]
    return hpgl(plan_motion(lines_on_sheet(shop, plate).lines, profile, {}), profile, {}).encode()


def _mode_words(session: Session, run: Run) -> str:
    mode = session.get(PrintMode, run.document.get("print_mode_id") or 0)
    return mode.name if mode else ""


def modes_of(session: Session, document: RunDocument) -> list[PrintMode]:
    """The modes of the run's printer on its stock."""
    of_both = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id, PrintMode.printer_id == document.printer_id
    )
    return list(session.scalars(of_both.order_by(PrintMode.id)))


def put_roll_on(shop: Shop, run_id: int) -> None:
    """Tell the printer that the roll of the run lies on it now, as its own panel would. Raises JobError."""

    def roll_of(session: Session) -> tuple[str, float, float]:
        roll = session.get_one(Roll, session.get_one(Run, run_id).document["roll_id"])
        return roll.name, roll.stock.width_mm, roll.remaining_mm

    name, width, left = shop.database.within(roll_of)
    device = shop.device("printer")
    with DeviceLine(device.name, device.port) as line:
        line.ask("load roll", name=name, width_mm=width, left_mm=left)


def dry_at(session: Session, sheet: Sheet) -> datetime | None:
    """When the ink of a printed sheet is dry enough for film; None when it need not dry."""
    mode = session.get(PrintMode, session.get_one(Run, sheet.plate.run_id).document.get("print_mode_id") or 0)
    if sheet.printed_at is None or mode is None or not mode.drying_minutes:
        return None
    return sheet.printed_at + timedelta(minutes=mode.drying_minutes)


def laminate_sheet(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: put the sheet through the laminator."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, arguments["sheet_id"]))
    if sheet.state != "printed":
        raise JobError(
            "This sheet cannot go through the laminator now.", sheet.name, "Only a printed sheet without film can."
        )
    wet = shop.database.within(lambda session: dry_at(session, session.get_one(Sheet, sheet.id)))
    if wet and wet > now() and not arguments.get("anyway"):
        minutes = (wet - now()).total_seconds() / 60
        raise JobError(f"The ink dries for {minutes:.0f} more minutes.", sheet.name, "Wait, or put the film on all the same.")  # fmt: skip
    laminator = shop.device("laminator")
    report(0.1, "Film on")
    with DeviceLine(laminator.name, laminator.port) as line:
        line.ask("laminate", name=sheet.name, seed=arguments.get("seed"))

    def publish(session: Session) -> None:
        session.get_one(Sheet, sheet.id).state = "laminated"
        session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id).state = "cutter"

    return Outcome({"sheet_id": sheet.id}, publish)
