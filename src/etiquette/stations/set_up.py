"""What a shop still lacks before it can work, read off its Shelf: nothing of the set-up is kept beside it."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import Row, exists, or_, select
from sqlalchemy.orm import Session

from etiquette.store.models import CardReading, Cutter, Laminator, MarkSet, Printer, Roll, Stock

Place = Literal["printer", "stock", "film", "cutter", "test"]
FIRST_CARDS = ("force", "knife", "print-to-cut")
"""What is worth knowing before the first work, in this order: each needs what the one before it set."""


@dataclass(frozen=True)
class Open:
    """Something that is open: what, what is to be done about it, and at which place of the way of the work."""

    what: str
    words: str
    place: Place


_THERE = {
    "anything": or_(*(exists(select(kind.id)) for kind in (Printer, Stock, Cutter, Laminator, MarkSet))),
    "printer": exists(select(Printer.id).where(~Printer.away)),
    "stock": exists(select(Stock.id).where(~Stock.away)),
    "takes film": exists(select(Stock.id).where(~Stock.away, Stock.takes_film)),
    "roll": exists(select(Roll.id).where(~Roll.away)),
    "laminator": exists(select(Laminator.id).where(~Laminator.away)),
    "knife": exists(select(Cutter.id).where(~Cutter.away, Cutter.printer_id.is_not(None))),
    "mark set": exists(select(MarkSet.id).where(~MarkSet.away)),
    "reading": exists(select(CardReading.id).where(CardReading.card.in_(FIRST_CARDS))),
}
"""What is there and not put away; "anything": put away or not."""
_ASKED = select(*_THERE.values())  # put together once, in one statement: every page asks every few seconds
_BY_ITSELF = (
    select(Cutter.name, Cutter.address).where(~Cutter.away, Cutter.printer_id.is_(None)).order_by(Cutter.id).limit(1)
)


def still_open(session: Session) -> list[Open]:
    """In the order of the work. A printer without an address is none of them: its files are saved and carried to it. A
    test is asked for once there is a cutter, until one was read."""
    return bare_and_open(session)[1]


def bare_and_open(session: Session) -> tuple[bool, list[Open]]:
    """Whether nothing stands on the Shelf yet, put away or not; and what is `still_open`."""
    there = dict(zip(_THERE, map(bool, session.execute(_ASKED).one()), strict=True))
    cutter = session.execute(_BY_ITSELF).one_or_none() if there["anything"] else None
    return not there["anything"], _open(there, cutter)


def _open(there: Mapping[str, bool], cutter: Row[str, str] | None) -> list[Open]:
    found = []
    if not there["printer"]:
        found.append(Open("A printer", "put it on", "printer"))
    if not there["stock"]:
        found.append(Open("A stock", "put it on", "stock"))
    elif not there["roll"]:
        found.append(Open("A roll of it", "put it on", "stock"))
    if not there["laminator"] and (not there["stock"] or there["takes film"]):
        found.append(Open("Film, or none", "decide", "film"))
    if cutter is None and there["knife"]:
        return found
    if cutter is None:
        return [*found, Open("A cutter, or only print", "decide", "cutter")]
    if not cutter.address:
        found.append(Open(f"How {cutter.name} is reached", "say it", "cutter"))
    if not there["mark set"]:
        found.append(Open("The marks it reads", "choose", "cutter"))
    if not there["reading"]:
        found.append(Open("A test sheet", "later", "test"))
    return found
