"""Rows by their keys, many in one statement; rows by their names."""

from collections.abc import Iterable, Sequence
from functools import cache
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Select, bindparam, inspect, select
from sqlalchemy.orm import Session

from etiquette.store.models import Base, Design, Run

Row = TypeVar("Row", bound=Base)


def loaded(session: Session, kind: type[Row], keys: Iterable[Any]) -> dict[Any, Row]:
    """The rows that are there of those asked for, by key (one column). While the result is held, `session.get` and
    relations find them without asking the database again."""
    wanted = {key for key in keys if key is not None}
    if not wanted:
        return {}
    by_key, name = _by_key(kind)
    return {getattr(row, name): row for row in session.scalars(by_key, {"keys": list(wanted)})}


@cache
def _by_key(kind: type[Row]) -> tuple[Select[Row], str]:
    """Put together once a kind: rows are looked up for every page."""
    (column,) = inspect(kind).primary_key
    by_key = select(kind).where(column.in_(bindparam("keys", expanding=True)))
    return by_key, inspect(kind).get_property_by_column(column).key


MOST_LOOKED_AT = 1_000_000


def all_in(column: Any, words: Sequence[str]) -> list[ColumnElement[bool]]:
    """All of the words are somewhere in it, whatever their case."""
    return [column.contains(word, autoescape=True) for word in words]


def newest_named(session: Session, model: type[Design | Run], words: Sequence[str], most: int) -> Sequence[int]:
    """The numbers of the newest that have all words in their names. By the index of names alone, and sorted after that:
    sorting in the same breath, the database would read every document that it finds."""
    named = select(model.id).where(*all_in(model.name, words)).limit(MOST_LOOKED_AT)
    numbers = named.with_hint(model, f"FORCE INDEX (ix_{model.__tablename__}_name)").subquery().c.id
    return session.scalars(select(numbers).order_by(numbers.desc()).limit(most)).all()
