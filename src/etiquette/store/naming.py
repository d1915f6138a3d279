"""Which files rows need: any column of any table that names files, but those of what was cleared."""

from collections.abc import Iterator
from typing import Any

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import Session

from etiquette.store.models import Base

STAYS = {("art", "thumb_sha"), ("plate", "preview_sha"), ("plate", "lines_sha")}
"""What is still shown of work that was cleared: table and column."""

NAMES_OF_ART = ("$.art_id", "$.arranged.of", "$.white_art_id", "$.clear_art_id")
"""Where the document of a design names art."""


def is_named(session: Session, sha: str, cleared: bool = False) -> bool:
    """Whether a row needs the file; with `cleared`, whether one names it, be it of work that was cleared."""
    return any(session.scalar(_of(column, func.count(), cleared).where(column == sha)) for column in _columns())


def named_files(session: Session, cleared: bool = False) -> dict[str, str]:
    """Every file that a row needs, or with `cleared` names, with one of the tables that name it."""
    found: dict[str, str] = {}
    for column in _columns():
        named = session.scalars(_of(column, column, cleared).where(column.is_not(None)).distinct())
        found |= {sha: column.table.name for sha in named}
    return found


def _columns() -> Iterator[Any]:
    for table in Base.metadata.sorted_tables:
        for column in table.c:
            if any(key.column.table.name == "blob" for key in column.foreign_keys):
                yield column


def _of(column: Any, what: ColumnElement[Any], cleared: bool) -> Select[Any]:
    wanted = select(what).select_from(column.table)
    if not cleared and "cleared_at" in column.table.c and (column.table.name, column.name) not in STAYS:
        wanted = wanted.where(column.table.c.cleared_at.is_(None))
    return wanted
