"""Which frame of a run is printed on which of its rolls: on the first as long as it lasts, then on the next. A frame is
never parted, and nothing goes back to a roll that was left."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.runs import RunDocument
from etiquette.store.models import Plate, Roll, Run, Sheet
from etiquette.store.states import SheetState


@dataclass(frozen=True)
class Allotted:
    """The frames (from 1) that a roll takes, and what is left on it then, mm."""

    roll: Roll
    frames: tuple[int, ...]
    left_mm: float


def rolls_of(session: Session, document: RunDocument) -> list[Roll]:
    """The rolls of a run in their order."""
    return [session.get_one(Roll, key) for key in dict.fromkeys([document.roll_id, *document.more_rolls])]


def waiting_mm(session: Session) -> dict[int, float]:
    """What is sent, of any run, and not yet booked, by roll in mm."""
    waits: dict[int, float] = {}
    for sheet in session.scalars(select(Sheet).where(Sheet.state == SheetState.PRINTING)):
        roll = roll_of(session, sheet)
        waits[roll.id] = waits.get(roll.id, 0.0) + sheet.plate.summary.plan.stock_mm
    return waits


NOTHING_WAITS: Mapping[int, float] = {}


def allotted(
    rolls: Sequence[Roll], lengths_mm: Sequence[float], waits_mm: Mapping[int, float] = NOTHING_WAITS
) -> list[Allotted]:
    """Frames of `lengths_mm` in their order on `rolls`, of which `waits_mm` by roll is spoken for; those for which none
    has enough are on none."""
    left = [roll.remaining_mm - waits_mm.get(roll.id, 0.0) for roll in rolls]
    frames: list[list[int]] = [[] for _ in rolls]
    at = 0
    for number, length in enumerate(lengths_mm, 1):
        while at < len(rolls) and left[at] < length:
            at += 1
        if at == len(rolls):
            break
        left[at] -= length
        frames[at].append(number)
    return [Allotted(roll, tuple(own), rest) for roll, own, rest in zip(rolls, frames, left, strict=True)]


def roll_of(session: Session, sheet: Sheet) -> Roll:
    """The roll that a sheet is printed on."""
    run = session.get_one(Run, sheet.plate.run_id)
    return session.get_one(Roll, sheet.roll_id or run.told("roll_id"))


def roll_wanted(session: Session, run: Run) -> Roll:
    """The roll that has to lie on the printer next: that of the frame that is sent, else of one that is held for
    another roll, else the first that has anything left for the run."""
    of_run = select(Sheet).join(Plate).where(Plate.run_id == run.id, Sheet.roll_id.is_not(None)).order_by(Sheet.id)
    for state in (SheetState.PRINTING, SheetState.HELD):
        sheet = session.scalar(of_run.where(Sheet.state == state).limit(1))
        if sheet is not None:
            return roll_of(session, sheet)
    rolls = rolls_of(session, run.document)
    return next((roll for roll in rolls if roll.remaining_mm > 0), rolls[0])


def roll_for(session: Session, run: Run, plate: Plate) -> Roll:
    """The first roll of the run with enough on it for a frame besides what waits for it already. Raises JobError."""
    length = plate.summary.plan.stock_mm
    rolls, waits = rolls_of(session, run.document), waiting_mm(session)
    for roll in rolls:
        if roll.remaining_mm - waits.get(roll.id, 0.0) >= length:
            return roll
    last = rolls[-1]
    besides = " besides what waits for the printer" if waits.get(last.id) else ""
    raise JobError(
        f"The run needs {length:.0f} mm; {last.name} has "
        f"{last.remaining_mm - waits.get(last.id, 0.0):.0f} mm left{besides}.",
        last.name,
        "Choose another roll in Run, or one more on which it goes on.",
    )
