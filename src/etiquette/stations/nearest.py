"""What of a run is put away by now, and what stands on the Shelf that is nearest to it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.stations.runs import RunState
from etiquette.store.models import Cutter, Laminator, MarkSet, Printer, PrintMode, Roll, Stock

Gone = Literal["stock", "roll", "printer", "laminator", "cutter", "mark_set", "print_mode"]


@dataclass(frozen=True)
class Gap:
    """A thing that was put away, and the nearest that is not; None: there is none of its kind."""

    kind: Gone
    name: str
    nearest_id: int | None
    nearest: str | None


def gaps(session: Session, state: RunState) -> list[Gap]:
    """In the order in which they would be put right: a stock brings a roll and a print mode along."""
    kit = state.kit
    rows: list[tuple[Gone, Any]] = [
        ("stock", kit.stock),
        ("printer", kit.printer),
        ("laminator", kit.laminator),
        ("cutter", kit.cutter if not kit.stays else None),
        ("mark_set", kit.mark_set if not kit.stays else None),
    ]
    if not kit.stock.away:
        rows.insert(1, ("roll", kit.roll))
        rows.append(("print_mode", kit.mode if kit.printer and not kit.printer.away else None))
    return [_gap(session, kind, row) for kind, row in rows if row is not None and row.away]


def _gap(session: Session, kind: Gone, row: Any) -> Gap:
    model, far = NEAREST[kind]
    others = session.scalars(select(model).where(~model.away)).all()
    apart = sorted((how, one.id, one.name) for one in others if (how := far(row, one)) is not None)
    _, number, name = apart[0] if apart else (None, None, None)
    return Gap(kind, row.name, number, name)


def _stock(was: Stock, one: Stock) -> tuple[float, ...] | None:
    """Of the same ground, as wide, as dear."""
    return (was.ground != one.ground, was.takes_film != one.takes_film, abs(was.width_mm - one.width_mm),
            abs(float(was.price_m2 - one.price_m2)))  # fmt: skip


def _roll(was: Roll, one: Roll) -> tuple[float, ...] | None:
    return (-one.remaining_mm,) if one.stock_id == was.stock_id else None


def _printer(was: Printer, one: Printer) -> tuple[float, ...] | None:
    """With a knife if it had one, laying down what it did, as wide."""
    lacks = len(set(was.plates) - set(one.plates))
    return (was.has_knife and not one.has_knife, lacks, one.print_width_mm < was.print_width_mm,
            abs(one.print_width_mm - was.print_width_mm))  # fmt: skip


def _laminator(was: Laminator, one: Laminator) -> tuple[float, ...] | None:
    return one.film_width_mm < was.film_width_mm, abs(one.film_width_mm - was.film_width_mm)


def _cutter(was: Cutter, one: Cutter) -> tuple[float, ...] | None:
    """One that a sheet is carried to, reading the same marks, reaching as far."""
    if one.printer_id is not None:
        return None
    unread = len(set(was.mark_shapes) - set(one.mark_shapes)) if one.mark_shapes else 0
    short = one.reach_across_mm < was.reach_across_mm or one.reach_along_mm < was.reach_along_mm
    return unread, short, abs(one.reach_across_mm - was.reach_across_mm), abs(one.reach_along_mm - was.reach_along_mm)


def _marks(was: MarkSet, one: MarkSet) -> tuple[float, ...] | None:
    return was.shape != one.shape, was.ink != one.ink, was.code != one.code, abs(was.size_mm - one.size_mm)


def _mode(was: PrintMode, one: PrintMode) -> tuple[float, ...] | None:
    if (one.stock_id, one.printer_id) != (was.stock_id, was.printer_id):
        return None
    return abs(one.dpi - was.dpi), abs(one.passes - was.passes)


NEAREST: dict[Gone, tuple[type[Any], Callable[[Any, Any], tuple[float, ...] | None]]] = {
    "stock": (Stock, _stock),
    "roll": (Roll, _roll),
    "printer": (Printer, _printer),
    "laminator": (Laminator, _laminator),
    "cutter": (Cutter, _cutter),
    "mark_set": (MarkSet, _marks),
    "print_mode": (PrintMode, _mode),
}
"""How far one thing is from another, the smallest first; None: it cannot stand in for it."""
