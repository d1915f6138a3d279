"""How many pieces of a design a run has, and a plate: kept beside the documents that say so, because a list of ten
thousand jobs cannot read every document. They are written with them, whoever writes them."""

from collections import Counter
from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, ForeignKey, Index, event, inspect
from sqlalchemy.orm import Mapped, Mapper, mapped_column

from etiquette.store.models.base import Base
from etiquette.store.models.runs import Plate, Run


class RunItem(Base):
    """So many pieces of a design are asked for in a run."""

    __tablename__ = "run_item"
    __table_args__ = (Index("ix_run_item_design_id", "design_id"),)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    design_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    count: Mapped[int]


class PlateItem(Base):
    """So many pieces of a design are on a plate, and so on every print of it."""

    __tablename__ = "plate_item"
    __table_args__ = (Index("ix_plate_item_design_id", "design_id"),)
    plate_id: Mapped[int] = mapped_column(ForeignKey("plate.id", ondelete="CASCADE"), primary_key=True)
    design_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    count: Mapped[int]


def items_of(document: Mapping[str, Any]) -> dict[int, int]:
    """Pieces by design of a run's document as it is written."""
    counts = Counter[int]()
    for item in document.get("items", []):
        counts[item["design_id"]] += item["count"]
    return dict(counts)


def placed_on(summary: Mapping[str, Any]) -> dict[int, int]:
    """Pieces by design of a plate's summary as it is written; a former version did not say."""
    return dict(Counter(summary.get("placed") or []))


@event.listens_for(Run, "after_insert")
@event.listens_for(Run, "after_update")
def _keep_items(_: Mapper[Run], connection: Connection, run: Run) -> None:
    changed = inspect(run).attrs.document_json.history
    if changed.deleted and items_of(changed.deleted[0] or {}) == items_of(run.document_json):
        return
    if changed.added:
        _keep(connection, RunItem, "run_id", run.id, items_of(run.document_json))


@event.listens_for(Plate, "after_insert")
def _keep_placed(_: Mapper[Plate], connection: Connection, plate: Plate) -> None:
    _keep(connection, PlateItem, "plate_id", plate.id, placed_on(plate.summary_json))


def _keep(connection: Connection, kind: type[Base], owner: str, number: int, counts: Mapping[int, int]) -> None:
    table = kind.__table__
    connection.execute(table.delete().where(table.c[owner] == number))  # type: ignore[attr-defined]
    rows = [{owner: number, "design_id": design, "count": count} for design, count in counts.items()]
    if rows:
        connection.execute(table.insert(), rows)  # type: ignore[attr-defined]
