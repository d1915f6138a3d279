"""Print: send the plates of a run to the printer, now or later, and put film on what is printed."""

import time
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.cutting.writers import hpgl
from etiquette.core.errors import JobError, NotThere
from etiquette.devices.line import DeviceLine, LineBroken
from etiquette.devices.open_directory import drop_job
from etiquette.files.documents.runs import RunDocument
from etiquette.files.lines_svg import write_lines
from etiquette.stations import runs
from etiquette.stations.edits import Stale, locked
from etiquette.stations.plating import lines_on_sheet, plate_files, plate_key, plate_suffix, plate_there
from etiquette.stations.shop import NOTE_SECONDS, Shop
from etiquette.stations.tool_shelf import cards_of, cutter_of
from etiquette.store.models import Design, Frame, Plate, Printer, PrintMode, Roll, RollEntry, Run, Sheet, Stock, now
from etiquette.store.states import RunState, SheetState
from etiquette.work import machines
from etiquette.work.tasks import Outcome, Report, submit

LOOK_SECONDS = 0.2
AGAIN = 3
"""Times a broken line to the printer is taken up again before the operator is asked."""
SHEETS_SHOWN = 100


def sheets_of(session: Session, run_id: int) -> list[Sheet]:
    """Every print of a run, newest first."""
    return list(session.scalars(select(Sheet).join(Plate).where(Plate.run_id == run_id).order_by(Sheet.id.desc())))


def all_sheets(session: Session) -> list[Sheet]:
    """The shelf of printed sheets: the newest hundred that were sent and not spoiled on the printer."""
    return list(
        session.scalars(
            select(Sheet)
            .options(joinedload(Sheet.plate))
            .where(Sheet.state.not_in(("failed", "held")))
            .order_by(Sheet.id.desc())
            .limit(SHEETS_SHOWN)
        )
    )


def new_sheet(session: Session, plate_id: int, hold: bool = False) -> int:
    """A sheet that is about to be printed, or with `hold` waits to be sent. Raises NotThere, and JobError when the roll is
    too short."""
    plate = plate_there(session, plate_id)
    run = session.get_one(Run, plate.run_id)
    _refuse_short_roll(session, plate, run)
    code = plate.summary.code
    frame = session.scalars(select(Frame).where(Frame.code == code).with_for_update()).one()
    frame.prints += 1
    state = SheetState.HELD if hold else SheetState.PRINTING
    sheet = Sheet(plate_id=plate_id, name=f"{code}-{frame.prints}", state=state, pieces=plate.summary.pieces)
    session.add(sheet)
    if not hold:
        run.state = RunState.PRINTING
    session.flush()
    return sheet.id


def _refuse_short_roll(session: Session, plate: Plate, run: Run) -> None:
    roll = session.get_one(Roll, run.document.roll_id)
    length = plate.summary.plan.length_mm
    if roll.remaining_mm < length:
        raise JobError(
            f"The run needs {length:.0f} mm; {roll.name} has {roll.remaining_mm:.0f} mm left.",
            roll.name,
            "Choose another roll in Run.",
        )


def ask_for_sheet(
    shop: Shop, session: Session, plate_id: int, revision: int | None, key: str | None, hold: bool
) -> int:
    """A print of a plate, now or with `hold` later; returns the sheet. The same `key` makes one sheet, however often it is
    sent. Raises NotThere, Stale when the run is another one than the plate shows, and JobError when the roll is too short."""
    plate = plate_there(session, plate_id)
    run = locked(session, "run", plate.run_id)  # first, so that the same key sent twice at once is one after the other
    known = session.scalar(select(Sheet.id).where(Sheet.key == key)) if key else None
    if known is not None:
        return known
    _refuse_old_plate(shop, session, plate, run, revision)
    sheet_id = new_sheet(session, plate_id, hold)
    session.get_one(Sheet, sheet_id).key = key
    return sheet_id


def submit_print(session: Session, sheet_id: int) -> int:
    """The task that prints a sheet; a sheet is printed once."""
    return submit(session, "print", {"sheet_id": sheet_id}, f"print {sheet_id}")


def _refuse_old_plate(shop: Shop, session: Session, plate: Plate, run: Run | Design, revision: int | None) -> None:
    """A plate is sent for the run as it is now and no other. Raises Stale."""
    if revision is not None and run.revision != revision:
        raise Stale("run", run.id, run.revision)
    state = runs.state_of(shop, session, run.id)
    frame = plate.summary.frame - 1
    if frame >= len(state.plans) or plate.key != plate_key(state, frame):
        raise Stale("run", run.id, run.revision)


def send_held(session: Session, sheet_id: int) -> None:
    """A held sheet is to be printed now. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    if sheet.state != "held":
        raise JobError("This sheet is not held any more.", sheet.name, "Look at the list of printed sheets.")
    _refuse_short_roll(session, sheet.plate, session.get_one(Run, sheet.plate.run_id))
    sheet.state = SheetState.PRINTING
    session.get_one(Run, sheet.plate.run_id).state = RunState.PRINTING


def let_go(session: Session, sheet_id: int) -> None:
    """A held sheet is not wanted any more. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None or sheet.state != "held":
        raise JobError("This sheet is not held any more.", "sheet", "Look at the list of printed sheets.")
    session.delete(sheet)


def print_plate(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: hand the sheet's files to the printer, follow it, book the length on the roll. With `again` nothing is handed
    over: only what became of it is asked and followed. Whatever way it ends, the sheet ends where a person can go on."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, arguments["sheet_id"]))
    plate = shop.database.within(lambda session: session.get_one(Plate, sheet.plate_id))
    run, roll = shop.database.within(lambda session: _run_and_roll(session, plate))
    job = _PrintJob(shop, sheet, plate, run, roll, handed_over=bool(arguments.get("again")))
    try:
        job.follow(report)
    except _Spoiled as spoiled:
        used = spoiled.used_mm
        shop.database.within(lambda session: book(session, roll.id, used, f"spoiled: {run.document.name}", f"sheet {sheet.id}"))  # fmt: skip
        shop.database.within(lambda session: _ends(session, sheet.id, "failed"))
        raise JobError(spoiled.what, spoiled.where, spoiled.do) from None
    except machines.LeftBehind:
        raise  # another one has the printer, and the sheet with it
    except Exception:
        state: Literal["failed", "unclear"] = "unclear" if job.handed_over else "failed"
        shop.database.within(lambda session: _ends(session, sheet.id, state), patience_seconds=NOTE_SECONDS)
        raise
    return Outcome({"sheet_id": sheet.id}, lambda session: _printed(session, sheet.id))


def _printed(session: Session, sheet_id: int) -> None:
    sheet = session.get_one(Sheet, sheet_id)
    run, roll = _run_and_roll(session, sheet.plate)
    way = run.document.way
    length = sheet.plate.summary.plan.length_mm if way != "cut" else 0.0
    book(session, roll.id, length, f"printed {run.document.name}", f"sheet {sheet_id}")
    sheet.printed_at = now()
    if way != "print":  # cut where it was printed: no film, no other cutter
        sheet.state, sheet.good, run.state = SheetState.CUT, sheet.pieces, RunState.CUT
    else:
        sheet.state = SheetState.PRINTED
        run.state = RunState.FILM if wants_film(session, run) else RunState.CUTTER


def wants_film(session: Session, run: Run) -> bool:
    """Whether prints of a run get film: its laminator may be none, and its stock may take none."""
    stock = session.get(Stock, run.document.stock_id or 0)
    return bool(run.document.laminator_id) and (stock is None or stock.takes_film)


def left_unclear(session: Session, arguments: dict[str, Any], begun: bool = True) -> None:
    """The print was broken off, by a crash: nobody knows what the printer did. One that was called off while it waited is
    known to be none, unless it was only asked about."""
    sheet = session.get(Sheet, arguments["sheet_id"])
    if sheet is not None and sheet.state == "printing":
        _ends(session, sheet.id, "unclear" if begun or arguments.get("again") else "failed")


def settle_print(session: Session, sheet_id: int, how: Literal["ask", "printed", "spoiled"]) -> int | None:
    """What became of a sheet of which it is not known whether it was printed: the printer is asked (returns the task), or
    a person has looked. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    if sheet.state != "unclear":
        raise JobError("It is known what became of this sheet.", sheet.name, "Look at the list of printed sheets.")
    if how == "ask":
        sheet.state = SheetState.PRINTING
        session.get_one(Run, sheet.plate.run_id).state = RunState.PRINTING
        return submit(session, "print", {"sheet_id": sheet_id, "again": True})
    if how == "printed":
        _printed(session, sheet_id)
    else:
        run, roll = _run_and_roll(session, sheet.plate)
        # all of it is booked: better to hold too little on the shelf than to run out in the middle of a print
        book(session, roll.id, sheet.plate.summary.plan.length_mm, f"spoiled: {run.document.name}", f"sheet {sheet_id}")  # fmt: skip
        _ends(session, sheet_id, "failed")
    return None


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
    return run, session.get_one(Roll, run.document.roll_id)


def _ends(session: Session, sheet_id: int, state: Literal["failed", "unclear"]) -> None:
    sheet = session.get_one(Sheet, sheet_id)
    sheet.state = SheetState(state)
    session.get_one(Run, sheet.plate.run_id).state = RunState.PLANNED


class _PrintJob:
    """One print: handed over once, then followed for as long as the printer answers."""

    def __init__(self, shop: Shop, sheet: Sheet, plate: Plate, run: Run, roll: Roll, handed_over: bool) -> None:
        self._shop, self._sheet, self._plate, self._run, self._roll = shop, sheet, plate, run, roll
        self.handed_over = handed_over
        """Whether the printer may have the job: then only it can say what became of it."""

    def follow(self, report: Report) -> None:
        """Raises JobError; _Spoiled when the printer says that it gave up."""
        broken = 0
        while True:
            try:
                with self._shop.line("printer") as line:
                    if self._status(line)["state"] == "unknown" and not self._waits_there():
                        self._hand_over(line)
                    self._watch(line, report)
                return
            except LineBroken:
                broken += 1
                if broken > AGAIN:
                    raise
                time.sleep(LOOK_SECONDS)  # then it is asked again: what it did is known to it, whatever the line did

    def _status(self, line: DeviceLine) -> dict[str, Any]:
        status = line.ask("job", name=self._sheet.name)
        state, share = status.get("state"), status.get("share", 0.0)
        if not isinstance(state, str) or not isinstance(share, (int, float)):
            raise JobError(f"{line.name} does not say how far it is.", line.name, "Look at the machine, then say what became of the sheet.")  # fmt: skip
        return {**status, "state": state, "share": float(share)}

    def _watch(self, line: DeviceLine, report: Report) -> None:
        name = line.name
        while True:
            status = self._status(line)
            if status["state"] == "failed":
                used = status.get("used_mm", 0.0)
                raise _Spoiled(f"{name} stopped: {status.get('why', 'it does not say why')}", name, "Put that right and print it again: the codes stay the same.", float(used) if isinstance(used, (int, float)) else 0.0)  # fmt: skip
            if status["state"] == "unknown" and not self._waits_there() and self._status(line)["state"] == "unknown":
                raise JobError(f"{name} does not know this sheet any more.", name, "Look at the machine, then say what became of the sheet.")  # fmt: skip
            report(status["share"], f"Printing {status['share'] * 100:.0f} %", None)
            if status["state"] == "done":
                return
            time.sleep(LOOK_SECONDS)

    def _waits_there(self) -> bool:
        """Whether the job lies in the printer's directory and was not taken yet."""
        return (self._shop.settings.room / "printer" / f"{self._sheet.name}.json").exists()

    def _hand_over(self, line: DeviceLine) -> None:
        if self.handed_over:
            raise JobError(f"{line.name} does not know this sheet.", line.name, "Look at the machine, then say what became of the sheet.")  # fmt: skip
        shop, run, sheet = self._shop, self._run, self._sheet
        held = line.ask("state")
        machine, lying = str(held.get("machine", "")), (held.get("roll") or {}).get("name", "nothing")
        shop.database.within(lambda session: _know_machine(session, run, line.name, machine))
        if lying != self._roll.name:
            raise JobError(f"{line.name} holds {lying}; this run is on {self._roll.name}.", line.name, f"Put {self._roll.name} on it, then send it again.")  # fmt: skip
        files, ticket = self._files(), self._ticket()
        shop.still_mine()
        self.handed_over = True
        drop_job(shop.settings.room / "printer", sheet.name, files, ticket)

    def _files(self) -> dict[str, bytes]:
        shop, plate = self._shop, self._plate
        files = {f"{plate_suffix(name)}.pdf": shop.blobs.read(sha) for name, sha in plate_files(plate).items()}
        if self._run.document.way != "print":
            files[".plt"] = _own_cut(shop, plate, self._run)
        files[".svg"] = write_lines(lines_on_sheet(shop, plate)).encode()
        return files

    def _ticket(self) -> dict[str, Any]:
        run, summary = self._run, self._plate.summary
        return {
            "plates": summary.order,
            "job": self._sheet.name,
            "title": summary.name,
            "stock": summary.stock,
            "way": run.document.way,
            "sever": bool(run.document.sever),
            "mode": self._shop.database.within(lambda session: _mode_words(session, run)),
            "sent": now().isoformat(),
        }


def _know_machine(session: Session, run: Run, name: str, machine: str) -> None:
    """The machine that answers is the one that always did; the first one is remembered. Raises JobError."""
    printer = session.get(Printer, run.document.printer_id or 0)
    if printer is None:
        return
    if not printer.machine:
        printer.machine = machine[:60]
    elif printer.machine != machine:
        raise JobError(f"{machine or 'A machine without a name'} answers at the address of {name}, not {printer.machine}.", name, "Check the addresses of the machines; if it was exchanged, ask on the Shelf again which one it is.")  # fmt: skip


def _own_cut(shop: Shop, plate: Plate, run: Run) -> bytes:
    """The cut of a frame as printed: the sheet has not left the machine, so nothing has to be fitted. Forces, passes and ties
    are those of the tool cards of this stock; the offset on them is of another blade, and the printer knows its own."""
    profile = PROFILES["knife"]

    def cards(session: Session) -> dict[Any, Any]:
        held = cards_of(session, cutter_of(session, run.document).id, run.document.stock_id)
        return {kind: replace(card, offset_mm=0.0) for kind, card in held.items()}

    tools = shop.database.within(cards)
    return hpgl(plan_motion(lines_on_sheet(shop, plate).lines, profile, tools), profile, tools).encode()


def _mode_words(session: Session, run: Run) -> str:
    mode = session.get(PrintMode, run.document.print_mode_id or 0)
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
        roll = session.get_one(Roll, runs.run_there(session, run_id).document.roll_id)
        return roll.name, roll.stock.width_mm, roll.remaining_mm

    name, width, left = shop.database.within(roll_of)
    with shop.by_hand("printer", f"{name} is being put on") as held, held.line("printer") as line:
        line.ask("load roll", name=name, width_mm=width, left_mm=left)


def dry_at(session: Session, sheet: Sheet) -> datetime | None:
    """When the ink of a printed sheet is dry enough for film; None when it need not dry."""
    mode_id = session.get_one(Run, sheet.plate.run_id).document.print_mode_id
    mode = session.get(PrintMode, mode_id) if mode_id else None
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
    report(0.1, "Film on")
    with shop.line("laminator") as line:
        line.ask("laminate", name=sheet.name, seed=arguments.get("seed"))

    def publish(session: Session) -> None:
        row = session.get_one(Sheet, sheet.id)
        row.state, row.film = SheetState.LAMINATED, True
        session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id).state = RunState.CUTTER

    return Outcome({"sheet_id": sheet.id}, publish)
