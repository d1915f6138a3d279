"""Rows by their keys, many in one statement."""

from collections.abc import Iterable
from functools import cache
from typing import Any, TypeVar

from sqlalchemy import Select, bindparam, inspect, select
from sqlalchemy.orm import Session

from etiquette.store.models import Base

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
