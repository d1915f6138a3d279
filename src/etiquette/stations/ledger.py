"""The ledger of rolls: what was taken from each, and why."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.store.models import Roll, RollEntry


def book(session: Session, roll_id: int, length_mm: float, reason: str, reference: str) -> None:
    """Once only, however often it is reported."""
    if length_mm <= 0 or session.scalar(select(RollEntry.id).where(RollEntry.reference == reference)) is not None:
        return
    held = session.get_one(Roll, roll_id, with_for_update=True)
    held.remaining_mm = max(0.0, held.remaining_mm - length_mm)
    session.add(RollEntry(roll_id=roll_id, length_mm=-length_mm, reason=reason[:200], reference=reference))
