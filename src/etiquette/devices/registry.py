"""The machines of the shop by key, like “cutter 2”: what a task that moves one is queued and held under."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.store.models import Cutter, Laminator, Printer

Row = Printer | Cutter | Laminator
KINDS: dict[str, type[Row]] = {
    "printer": Printer,
    "cutter": Cutter,
    "laminator": Laminator,
}


@dataclass(frozen=True)
class Machine:
    """One row of the Shelf that can be spoken with."""

    kind: str
    id: int
    name: str

    @property
    def key(self) -> str:
        """“cutter 2”: names the machine wherever it is held, locked or asked."""
        return f"{self.kind} {self.id}"


def machine(session: Session, kind: str, row_id: int | None) -> Machine:
    """Raises NotThere."""
    row = _row(session, kind, row_id)
    if row is None:
        raise NotThere(f"That {kind} is not on the Shelf any more.", kind, "Choose another one.")
    return Machine(kind, row.id, row.name)


def named(session: Session, key: str) -> str:
    """What the machine of a key is called in sentences."""
    kind, _, number = key.partition(" ")
    row = _row(session, kind, int(number) if number.isdigit() else None)
    return row.name if row else f"The {kind or 'machine'}"


def _row(session: Session, kind: str, row_id: int | None) -> Row | None:
    if kind not in KINDS or not row_id:
        return None
    return session.get(KINDS[kind], row_id)  # type: ignore[return-value]
