"""How wide art is that takes all of the width of a stock."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.files.documents.designs import DesignDocument
from etiquette.stations.kits import kit_of, room_mm
from etiquette.stations.run_edits import first_document
from etiquette.store.models import Roll, Stock

STEP_MM = 0.1


@dataclass(frozen=True)
class WidestOn:
    """The width of the art, mm, with which its line takes all that a new run may use of a stock."""

    stock: str
    width_mm: float


def widest(session: Session, document: DesignDocument) -> list[WidestOn]:
    """On every stock that a roll is there of, the widest first: as a new run on it would be made, between its marks.
    The line that is made here goes round the art by its offset; one that came with the art lies on it."""
    there = select(Roll).join(Stock).where(~Roll.away, ~Stock.away).order_by(Roll.remaining_mm.desc())
    rolls: dict[int, Roll] = {}
    for roll in session.scalars(there):
        rolls.setdefault(roll.stock_id, roll)
    beside = max(0.0, document.offset_mm) if document.follow != "none" else 0.0
    found = []
    for roll in rolls.values():
        run = first_document(session, roll, document.name, [])
        kit = kit_of(session, run)
        width = (room_mm(run, kit)[0] - 2 * beside) // STEP_MM * STEP_MM
        if width >= 1:
            found.append(WidestOn(kit.stock.name, round(width, 1)))
    return sorted(found, key=lambda one: (-one.width_mm, one.stock))
