"""Rows by their keys, many in one statement."""

from collections.abc import Iterable
from typing import Any, TypeVar

from sqlalchemy import inspect, select
from sqlalchemy.orm import Session

from etiquette.store.models import Base

Row = TypeVar("Row", bound=Base)


def loaded(session: Session, kind: type[Row], keys: Iterable[Any]) -> dict[Any, Row]:
    """The rows that are there of those asked for, by key (one column). While the result is held, `session.get` and
    relations find them without asking the database again."""
    wanted = {key for key in keys if key is not None}
    if not wanted:
        return {}
    (column,) = inspect(kind).primary_key
    found = session.scalars(select(kind).where(column.in_(wanted)))
    name = inspect(kind).get_property_by_column(column).key
    return {getattr(row, name): row for row in found}
