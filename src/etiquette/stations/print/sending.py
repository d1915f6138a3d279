"""Print: send the plates of a run to the printer, now or later, and put film on what is printed."""

from typing import Literal

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.stations import runs
from etiquette.stations.edits import Stale, locked
from etiquette.stations.ledger import book
from etiquette.stations.machines import printer_of_sheet
from etiquette.stations.plate_sets import plate_key, plate_there
from etiquette.stations.print.following import _ends, _printed, _run_and_roll
from etiquette.stations.print.own_knife import refuse_other_tool
from etiquette.stations.print.schemas import PrintWork
from etiquette.stations.print.tasks import print_sheet
from etiquette.stations.run_rolls import roll_for
from etiquette.stations.sheets import goes_on, printed_with, sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Frame, Plate, Run, Sheet, Task, now
from etiquette.store.states import RunState, SheetState, TaskState
from etiquette.tasks.work import submit


def new_sheet(session: Session, plate_id: int, hold: bool = False) -> int:
    """A sheet that is about to be printed, or with `hold` waits to be sent. Raises NotThere, and JobError when the roll
    is too short."""
    plate = plate_there(session, plate_id)
    run = session.get_one(Run, plate.run_id)
    roll = roll_for(session, run, plate)
    sheet = _named_sheet(session, plate, SheetState.HELD if hold else SheetState.PRINTING)
    sheet.roll_id = roll.id
    if not hold:
        run.state = RunState.PRINTING
    return sheet.id


def ask_for_sheet(
    shop: Shop, session: Session, plate_id: int, revision: int | None, key: str | None, hold: bool
) -> int:
    """A print of a plate, now or with `hold` later; returns the sheet. The same `key` makes one sheet, however often it
    is sent. Raises NotThere, Stale when the run is another one than the plate shows, and JobError when the roll is too
    short or the printer's own knife holds another tool than the run wants."""
    plate = plate_there(session, plate_id)
    run = locked(session, "run", plate.run_id)  # first, so that the same key sent twice at once is one after the other
    known = session.scalar(select(Sheet.id).where(Sheet.key == key)) if key else None
    if known is not None:
        return known
    _refuse_old_plate(shop, session, plate, run, revision)
    if not hold:
        refuse_other_tool(shop, session, plate)
    sheet_id = new_sheet(session, plate_id, hold)
    session.get_one(Sheet, sheet_id).key = key
    return sheet_id


def printed_elsewhere(shop: Shop, session: Session, plate_id: int, revision: int | None, key: str | None) -> int:
    """A plate was printed on a machine that is none of ours, from its saved files: its sheet is on the shelf. No roll
    of ours was used. The same `key` makes one sheet. Raises NotThere, Stale."""
    plate = plate_there(session, plate_id)
    run = locked(session, "run", plate.run_id)
    known = session.scalar(select(Sheet.id).where(Sheet.key == key)) if key else None
    if known is not None:
        return known
    _refuse_old_plate(shop, session, plate, run, revision)
    sheet = _named_sheet(session, plate, SheetState.PRINTED)
    sheet.key, sheet.printed_at = key, now()
    goes_on(session, sheet, session.get_one(Run, plate.run_id))
    return sheet.id


def _named_sheet(session: Session, plate: Plate, state: SheetState) -> Sheet:
    """A new sheet of a plate, with a name that was never given before."""
    code = plate.summary.code
    frame = session.scalars(select(Frame).where(Frame.code == code).with_for_update()).one()
    frame.prints += 1
    sheet = Sheet(plate_id=plate.id, name=f"{code}-{frame.prints}", state=state, pieces=plate.summary.pieces)
    session.add(sheet)
    session.flush()
    return sheet


def submit_print(session: Session, sheet_id: int) -> int:
    """The task that prints a sheet; a sheet is printed once. One that had only waited, and was held, gets another."""
    key = f"print {sheet_id}"
    asked = select(Task).where(or_(Task.key == key, Task.key.startswith(f"{key}, "))).order_by(Task.id.desc())
    last = session.scalar(asked.limit(1))
    if last is not None:
        key = f"{key}, after {last.id}" if last.state == TaskState.CANCELLED else last.key
    return submit(session, print_sheet, PrintWork(sheet_id=sheet_id), key)


def _refuse_old_plate(shop: Shop, session: Session, plate: Plate, run: Run | Design, revision: int | None) -> None:
    """A plate is sent for the run as it is now and no other. Raises Stale."""
    if revision is not None and run.revision != revision:
        raise Stale("run", run.id, run.revision)
    state = runs.state_of(shop, session, run.id)
    frame = plate.summary.frame - 1
    if frame >= len(state.plans) or plate.key != plate_key(state, frame):
        raise Stale("run", run.id, run.revision)


def send_held(shop: Shop, session: Session, sheet_id: int) -> int:
    """A held sheet is to be printed now, with all that is one print with it; returns the sheet that is followed. Raises
    NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    if sheet.bed and sheet.state == SheetState.PRINTING:  # sent with another blank of its bed
        return printed_with(sheet)[0].id
    if sheet.state != "held":
        raise JobError("This sheet is not held any more.", sheet.name, "Look at the list of printed sheets.")
    run = session.get_one(Run, sheet.plate.run_id)
    refuse_other_tool(shop, session, sheet.plate)
    together = printed_with(sheet)
    for one in together:
        one.roll_id = roll_for(session, run, one.plate).id
        one.state, run.state = SheetState.PRINTING, RunState.PRINTING
    return together[0].id


def let_go(session: Session, sheet_id: int) -> None:
    """A held sheet is not wanted any more. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None or sheet.state != "held":
        raise JobError("This sheet is not held any more.", "sheet", "Look at the list of printed sheets.")
    session.delete(sheet)


def refuse_while_the_printer_has_it(shop: Shop, sheet_id: int) -> None:
    """A print that its printer still has, or says it made, has not come to nothing: sent again it would be printed
    twice. What the printer does not know, or while it does not answer, a person may say. Raises NotThere, JobError."""
    # it knows a bed by the first of its blanks
    name = shop.database.within(lambda session: printed_with(sheet_there(session, sheet_id))[0].name)
    printer = shop.database.within(lambda session: printer_of_sheet(session, sheet_id))
    try:
        state = printer.driver().progress(name).state
    except JobError:
        return
    if state not in ("unknown", "failed", "cancelled"):
        raise JobError(
            f"{printer.name} has this print{' and says that it is done' if state == 'done' else ''}.",
            printer.name,
            "Ask the printer: then it is followed to its end, and can be cancelled.",
        )


def settle_print(session: Session, sheet_id: int, how: Literal["ask", "printed", "spoiled", "nothing"]) -> int | None:
    """What became of a sheet of which it is not known whether it was printed: the printer is asked (returns the task),
    or a person has looked: it is printed, it is spoiled, or nothing came out. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    if sheet.state != "unclear":
        raise JobError("It is known what became of this sheet.", sheet.name, "Look at the list of printed sheets.")
    together = printed_with(sheet)
    if how == "ask":
        for one in together:
            one.state = SheetState.PRINTING
        session.get_one(Run, sheet.plate.run_id).state = RunState.PRINTING
        return submit(session, print_sheet, PrintWork(sheet_id=together[0].id, again=True))
    if how == "printed":
        _printed(session, sheet_id)
    elif how == "nothing":
        _ends(session, sheet_id, "failed")
    else:
        run, roll = _run_and_roll(session, sheet)
        # all of it is booked: better to hold too little on the shelf than to run out in the middle of a print
        length = sum(one.plate.summary.plan.stock_mm for one in together)
        book(session, roll.id, length, f"spoiled: {run.document.name}", f"sheet {sheet_id}")
        _ends(session, sheet_id, "failed")
    return None
