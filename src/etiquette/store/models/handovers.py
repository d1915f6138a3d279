"""What was handed over of a job, and when. A job is closed when all that is due of it was: kept in its row by the
database, whoever writes designs and hand-overs, because the Floor looks for open jobs among many thousands."""

from datetime import datetime
from typing import Any

from sqlalchemy import Connection, ForeignKey, Index, String, event, inspect, text
from sqlalchemy.orm import Mapped, Mapper, mapped_column, relationship

from etiquette.store.models.base import Base, now, who
from etiquette.store.models.designs import Design


class Handover(Base):
    """Good pieces of a job that left the shop at one time, on one slip."""

    __tablename__ = "handover"
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), index=True)
    note: Mapped[str] = mapped_column(String(400), default="", server_default="")
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)
    items: Mapped[list["HandoverItem"]] = relationship(order_by="HandoverItem.design_id", cascade="all, delete-orphan")


class HandoverItem(Base):
    """So many pieces of a design."""

    __tablename__ = "handover_item"
    __table_args__ = (Index("ix_handover_item_design_id", "design_id"),)
    handover_id: Mapped[int] = mapped_column(ForeignKey("handover.id", ondelete="CASCADE"), primary_key=True)
    design_id: Mapped[int] = mapped_column(ForeignKey("design.id"), primary_key=True, autoincrement=False)
    count: Mapped[int]


CLOSED = text("""
    UPDATE job SET closed_at = IF(
        EXISTS (SELECT 1 FROM design WHERE design.job_id = job.id) AND NOT EXISTS (
            SELECT 1 FROM design WHERE design.job_id = job.id AND design.due_count > (
                SELECT COALESCE(SUM(item.count), 0) FROM handover_item AS item WHERE item.design_id = design.id
            )
        ), COALESCE(closed_at, :now), NULL
    ) WHERE id = :job
""")


def _settle(connection: Connection, job_id: int | None) -> None:
    if job_id is not None:
        connection.execute(CLOSED, {"job": job_id, "now": now()})


@event.listens_for(Design, "after_insert")
@event.listens_for(Design, "after_update")
def _design_changed(_: Mapper[Design], connection: Connection, design: Design) -> None:
    documents, jobs = (inspect(design).attrs[name].history for name in ("document_json", "job_id"))
    if jobs.has_changes() or _due(documents.deleted) != _due(documents.added):
        for job_id in {*(jobs.deleted or ()), design.job_id}:
            _settle(connection, job_id)


def _due(documents: Any) -> object:
    return documents[0].get("due_count") if documents and documents[0] else None


@event.listens_for(HandoverItem, "after_insert")
@event.listens_for(HandoverItem, "after_delete")
def _handed(_: Mapper[HandoverItem], connection: Connection, item: HandoverItem) -> None:
    _settle(connection, connection.scalar(text("SELECT job_id FROM design WHERE id = :id"), {"id": item.design_id}))
