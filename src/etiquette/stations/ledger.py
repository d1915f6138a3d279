"""The ledger of rolls: what was put on the shelf, what was taken off and why, what was measured. It always adds up to
what is left."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.store.models import Roll, RollEntry

HAIR_MM = 0.5
"""A measurement that differs by less says nothing new."""


def opened(session: Session, roll: Roll) -> None:
    """A roll has come to the shelf with what is on it."""
    session.add(
        RollEntry(roll_id=roll.id, length_mm=roll.remaining_mm, reason="put on the shelf", reference=f"roll {roll.id}")
    )


def book(session: Session, roll_id: int, length_mm: float, reason: str, reference: str) -> None:
    """So much was taken off. Once only, however often it is reported. A roll that held more than was thought ends at
    nothing, and the ledger says by how much it was wrong."""
    if length_mm <= 0 or session.scalar(select(RollEntry.id).where(RollEntry.reference == reference)) is not None:
        return
    held = session.get_one(Roll, roll_id, with_for_update=True)
    _enter(session, held, -length_mm, reason, reference)
    if held.remaining_mm < 0:
        _enter(session, held, -held.remaining_mm, "it held more than was thought", f"{reference}, more"[:80])


def correct(session: Session, roll: Roll, left_mm: float, reason: str) -> None:
    """Hands have measured what is left, or taken some off. Raises JobError without a reason."""
    if abs(left_mm - roll.remaining_mm) < HAIR_MM:
        return
    if not reason.strip():
        raise JobError(f"Say why {roll.name} has another length now.", roll.name, "Choose or type a reason.")
    entries = session.scalar(select(func.count()).select_from(RollEntry).where(RollEntry.roll_id == roll.id)) or 0
    _enter(session, roll, left_mm - roll.remaining_mm, reason.strip(), f"roll {roll.id}, entry {entries + 1}")


def ledger_of(session: Session, roll_id: int) -> Sequence[RollEntry]:
    """All entries of a roll, newest first."""
    return session.scalars(select(RollEntry).where(RollEntry.roll_id == roll_id).order_by(RollEntry.id.desc())).all()


def _enter(session: Session, roll: Roll, by_mm: float, reason: str, reference: str) -> None:
    roll.remaining_mm = round(roll.remaining_mm + by_mm, 6)
    session.add(RollEntry(roll_id=roll.id, length_mm=by_mm, reason=reason[:200], reference=reference))
