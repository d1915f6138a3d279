"""One print: handed to the printer, followed, booked; whatever way it ends, a person can go on."""

import time
from dataclasses import replace
from typing import Any, Literal

from sqlalchemy.orm import Session

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.cutting.writers import hpgl
from etiquette.core.errors import JobError
from etiquette.devices import holds
from etiquette.devices.line import DeviceLine, LineBroken
from etiquette.devices.open_directory import drop_job
from etiquette.files.lines_svg import write_lines
from etiquette.stations.ledger import book
from etiquette.stations.plate_sets import lines_on_sheet, plate_files, plate_suffix
from etiquette.stations.print.schemas import PrintWork, SheetPrinted
from etiquette.stations.sheets import wants_film
from etiquette.stations.shop import LOOK_SECONDS, NOTE_SECONDS, Shop
from etiquette.stations.tools import cards_of, cutter_of
from etiquette.store.models import Plate, Printer, PrintMode, Roll, Run, Sheet, now
from etiquette.store.states import RunState, SheetState
from etiquette.tasks.task import Outcome, Report

AGAIN = 3
"""Times a broken line to the printer is taken up again before the operator is asked."""


def print_plate(shop: Shop, wanted: PrintWork, report: Report) -> Outcome[SheetPrinted]:
    """Task: hand the sheet's files to the printer, follow it, book the length on the roll. With `again` nothing is
    handed over: only what became of it is asked and followed. Whatever way it ends, the sheet ends where a person can
    go on."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, wanted.sheet_id))
    plate = shop.database.within(lambda session: session.get_one(Plate, sheet.plate_id))
    run, roll = shop.database.within(lambda session: _run_and_roll(session, plate))
    job = _PrintJob(shop, sheet, plate, run, roll, handed_over=wanted.again)
    try:
        job.follow(report)
    except _Spoiled as spoiled:
        used = spoiled.used_mm
        shop.database.within(
            lambda session: book(session, roll.id, used, f"spoiled: {run.document.name}", f"sheet {sheet.id}")
        )
        shop.database.within(lambda session: _ends(session, sheet.id, "failed"))
        raise JobError(spoiled.what, spoiled.where, spoiled.do) from None
    except holds.LeftBehind:
        raise  # another one has the printer, and the sheet with it
    except Exception:
        state: Literal["failed", "unclear"] = "unclear" if job.handed_over else "failed"
        shop.database.within(lambda session: _ends(session, sheet.id, state), patience_seconds=NOTE_SECONDS)
        raise
    return Outcome(SheetPrinted(sheet_id=sheet.id), lambda session: _printed(session, sheet.id))


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


def left_unclear(session: Session, wanted: PrintWork, begun: bool = True) -> None:
    """The print was broken off, by a crash: nobody knows what the printer did. One that was called off while it waited
    is known to be none, unless it was only asked about."""
    sheet = session.get(Sheet, wanted.sheet_id)
    if sheet is not None and sheet.state == "printing":
        _ends(session, sheet.id, "unclear" if begun or wanted.again else "failed")


class _Spoiled(JobError):
    """The printer gave up in the middle; so much of the roll is gone."""

    def __init__(self, what: str, where: str, do: str, used_mm: float) -> None:
        super().__init__(what, where, do)
        self.used_mm = used_mm


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
            raise JobError(
                f"{line.name} does not say how far it is.",
                line.name,
                "Look at the machine, then say what became of the sheet.",
            )
        return {**status, "state": state, "share": float(share)}

    def _watch(self, line: DeviceLine, report: Report) -> None:
        name = line.name
        while True:
            status = self._status(line)
            if status["state"] == "failed":
                used = status.get("used_mm", 0.0)
                raise _Spoiled(
                    f"{name} stopped: {status.get('why', 'it does not say why')}",
                    name,
                    "Put that right and print it again: the codes stay the same.",
                    float(used) if isinstance(used, (int, float)) else 0.0,
                )
            if status["state"] == "unknown" and not self._waits_there() and self._status(line)["state"] == "unknown":
                raise JobError(
                    f"{name} does not know this sheet any more.",
                    name,
                    "Look at the machine, then say what became of the sheet.",
                )
            report(status["share"], f"Printing {status['share'] * 100:.0f} %", None)
            if status["state"] == "done":
                return
            time.sleep(LOOK_SECONDS)

    def _waits_there(self) -> bool:
        """Whether the job lies in the printer's directory and was not taken yet."""
        return (self._shop.settings.room / "printer" / f"{self._sheet.name}.json").exists()

    def _hand_over(self, line: DeviceLine) -> None:
        if self.handed_over:
            raise JobError(
                f"{line.name} does not know this sheet.",
                line.name,
                "Look at the machine, then say what became of the sheet.",
            )
        shop, run, sheet = self._shop, self._run, self._sheet
        held = line.ask("state")
        machine, lying = str(held.get("machine", "")), (held.get("roll") or {}).get("name", "nothing")
        shop.database.within(lambda session: _know_machine(session, run, line.name, machine))
        if lying != self._roll.name:
            raise JobError(
                f"{line.name} holds {lying}; this run is on {self._roll.name}.",
                line.name,
                f"Put {self._roll.name} on it, then send it again.",
            )
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
        raise JobError(
            f"{machine or 'A machine without a name'} answers at the address of {name}, not {printer.machine}.",
            name,
            "Check the addresses of the machines; if it was exchanged, ask on the Shelf again which one it is.",
        )


def _own_cut(shop: Shop, plate: Plate, run: Run) -> bytes:
    """The cut of a frame as printed: the sheet has not left the machine, so nothing has to be fitted. Forces, passes
    and ties are those of the tool cards of this stock; the offset on them is of another blade, and the printer knows
    its own."""
    profile = PROFILES["knife"]

    def cards(session: Session) -> dict[Any, Any]:
        held = cards_of(session, cutter_of(session, run.document).id, run.document.stock_id)
        return {kind: replace(card, offset_mm=0.0) for kind, card in held.items()}

    tools = shop.database.within(cards)
    return hpgl(plan_motion(lines_on_sheet(shop, plate).lines, profile, tools), profile, tools).encode()


def _mode_words(session: Session, run: Run) -> str:
    mode = session.get(PrintMode, run.document.print_mode_id or 0)
    return mode.name if mode else ""
