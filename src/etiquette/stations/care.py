"""Care of machines: what is due and why. The Floor shows it, and nothing white is printed while its own is due."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.production.care import CareWish, why_due
from etiquette.store.models import BenchEntry, Care, Cutter, Laminator, Plate, Printer, Run, Sheet, now
from etiquette.store.models.base import who

MachineKind = Literal["printer", "laminator", "cutter"]
MACHINES: Mapping[str, type[Printer | Cutter | Laminator]] = {
    "printer": Printer, "laminator": Laminator, "cutter": Cutter,
}  # fmt: skip


@dataclass(frozen=True)
class Due:
    """Care that is due, on which machine, and why."""

    care: Care
    machine: str
    why: str


def all_care(session: Session) -> list[Care]:
    return list(session.scalars(select(Care).where(~Care.away).order_by(Care.machine_kind, Care.machine_id, Care.id)))


def due_care(session: Session) -> list[Due]:
    """All that is due, in the same number of statements for any number of machines."""
    cares = all_care(session)
    if not cares:
        return []
    names, moment, found = _names(session), now(), []
    work = _Work.since(session, min(one.last_at for one in cares))
    for one in cares:
        key = (one.machine_kind, one.machine_id)
        if key not in names:  # put away, or gone
            continue
        wish = CareWish(one.every_days, one.every_metres, one.idle_hours)
        why = why_due(wish, one.last_at, moment, work.metres(key, one.last_at), work.last.get(key))
        if why:
            found.append(Due(one, names[key], why))
    return found


def due_before_white(session: Session, printer_id: int) -> list[Due]:
    """What has to be done on a printer before anything white is printed."""
    return [
        one for one in due_care(session)
        if one.care.before_white and (one.care.machine_kind, one.care.machine_id) == ("printer", printer_id)
    ]  # fmt: skip


def done(session: Session, care_id: int) -> None:
    """Somebody has done it just now. Raises NotThere."""
    row = care_there(session, care_id)
    row.last_at, row.last_who = now(), who()


def care_of(session: Session, kind: MachineKind, machine_id: int) -> list[tuple[Care, str | None]]:
    """The care of one machine, and of what is due why."""
    dues = {one.care.id: one.why for one in due_care(session)}
    return [
        (one, dues.get(one.id)) for one in all_care(session) if (one.machine_kind, one.machine_id) == (kind, machine_id)
    ]


def add(session: Session, kind: MachineKind, machine_id: int, values: Mapping[str, Any]) -> None:
    """Begins to count now; what was put away under the same name comes out again. Raises NotThere, JobError."""
    if session.get(MACHINES[kind], machine_id) is None:
        raise NotThere(f"There is no such {kind}.", f"{kind} {machine_id}", "Look at the Shelf again.")
    of_name = select(Care).where(Care.machine_kind == kind, Care.machine_id == machine_id, Care.name == values["name"])
    row = session.scalar(of_name)
    if row is None:
        row = Care(machine_kind=kind, machine_id=machine_id)
        session.add(row)
    elif not row.away:
        raise JobError(f"It has “{row.name}” already.", "name", "Change that one, or give this one another name.")
    _set(row, {**values, "away": False})
    row.last_at = now()


def change(session: Session, care_id: int, values: Mapping[str, Any]) -> None:
    """Raises NotThere, JobError when it would never be due."""
    _set(care_there(session, care_id), values)


def _set(row: Care, values: Mapping[str, Any]) -> None:
    for name, value in values.items():
        setattr(row, name, value)
    if not row.away and row.every_days is None and row.every_metres is None and row.idle_hours is None:
        raise JobError("It would never be due.", row.name, "Say after how many days, metres or idle hours.")


def care_there(session: Session, care_id: int) -> Care:
    """Raises NotThere."""
    row = session.get(Care, care_id, with_for_update=True)
    if row is None:
        raise NotThere("There is no such care.", f"care {care_id}", "Look at the machine on the Shelf again.")
    return row


def _names(session: Session) -> dict[tuple[str, int], str]:
    return {
        (kind, number): name
        for kind, model in MACHINES.items()
        for number, name in session.execute(select(model.id, model.name).where(~model.away)).tuples()
    }


Key = tuple[str, int]


@dataclass(frozen=True)
class _Work:
    """What machines did: when last at all, and the metres of each piece of work since a moment."""

    last: Mapping[Key, datetime]
    pieces: Mapping[Key, list[tuple[datetime, float]]]

    def metres(self, key: Key, since: datetime) -> float:
        return sum(length for at, length in self.pieces.get(key, ()) if at > since) / 1000

    @staticmethod
    def since(session: Session, moment: datetime) -> "_Work":
        printed = (
            select(Run.printer_id, Sheet.printed_at, Plate.length_mm)
            .join(Plate, Plate.id == Sheet.plate_id)
            .join(Run, Run.id == Plate.run_id)
            .where(Sheet.printed_at > moment)
        )
        cut = (
            select(Sheet.cutter_id, func.max(BenchEntry.at), Plate.length_mm)
            .join(Sheet, Sheet.id == BenchEntry.sheet_id)
            .join(Plate, Plate.id == Sheet.plate_id)
            .where(BenchEntry.at > moment, Sheet.state == "cut")
            .group_by(Sheet.id)
        )
        pieces: dict[Key, list[tuple[datetime, float]]] = {}
        last: dict[Key, datetime] = {}
        for kind, rows in (("printer", session.execute(printed)), ("cutter", session.execute(cut))):
            _gather(kind, rows, pieces, last)
        return _Work(last, pieces)


def _gather(
    kind: str,
    rows: Iterable[tuple[int | None, datetime | None, float | None]],
    pieces: dict[Key, list[tuple[datetime, float]]],
    last: dict[Key, datetime],
) -> None:
    for number, at, length in rows:
        if number is not None and at is not None:
            key = (kind, number)
            pieces.setdefault(key, []).append((at, length or 0.0))
            last[key] = max(at, last.get(key, at))
