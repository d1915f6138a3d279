"""Proofs of jobs, and the customer's yes to them. Whether a yes still holds is kept in the job's row by the database
side of the models, whoever writes designs: lists of thousands read no documents."""

from datetime import datetime
from typing import Any

from sqlalchemy import Connection, ForeignKey, String, UniqueConstraint, event, inspect, text
from sqlalchemy.orm import Mapped, Mapper, mapped_column

from etiquette.store.models.base import Base, Sha, now, who
from etiquette.store.models.designs import Design

NEVER_ASKED = frozenset(("ready", "turning", "tiles", "tile", "folds"))
"""Settings of a design that no customer is asked about."""


class Proof(Base):
    """What a customer was shown of a job, as PDF; `fingerprint` names all that it showed."""

    __tablename__ = "proof"
    __table_args__ = (UniqueConstraint("job_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id", ondelete="CASCADE"))
    number: Mapped[int]
    fingerprint: Mapped[str] = mapped_column(Sha)
    pdf_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)
    answer: Mapped[str] = mapped_column(String(4), default="", server_default="")
    """yes, no, or nothing yet."""
    answered_at: Mapped[datetime | None]
    answered_by: Mapped[str] = mapped_column(String(120), default="", server_default="")
    note: Mapped[str] = mapped_column(String(400), default="", server_default="")


CHANGED = text("UPDATE job SET yes = 'changed' WHERE id = :job AND yes = 'given'")


@event.listens_for(Design, "after_insert")
@event.listens_for(Design, "after_delete")
def _other_designs(_: Mapper[Design], connection: Connection, design: Design) -> None:
    connection.execute(CHANGED, {"job": design.job_id})


@event.listens_for(Design, "after_update")
def _design_changed(_: Mapper[Design], connection: Connection, design: Design) -> None:
    documents, jobs = (inspect(design).attrs[name].history for name in ("document_json", "job_id"))
    if jobs.has_changes() or _shown(documents.deleted) != _shown(documents.added):
        for job_id in {*(jobs.deleted or ()), design.job_id}:
            connection.execute(CHANGED, {"job": job_id})


def _shown(documents: Any) -> object:
    held = documents[0] if documents else None
    return {key: value for key, value in held.items() if key not in NEVER_ASKED} if held else None
