"""The log of sheets: what happened to them, in words an owner can read."""

from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.store.models import BenchEntry

SHOWN = 200


def noted(session: Session, sheet_id: int | None, state: Literal["good", "look", "stop"], words: str) -> None:
    """A line in the log of the Bench, of one sheet or of none."""
    session.add(BenchEntry(sheet_id=sheet_id, state=state, words=words[:400]))


def latest(session: Session) -> list[BenchEntry]:
    """The newest entries, newest first."""
    return list(session.scalars(select(BenchEntry).order_by(BenchEntry.id.desc()).limit(SHOWN)))
