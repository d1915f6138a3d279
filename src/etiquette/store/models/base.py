"""What all tables have in common: names of keys, moments, who."""

from contextvars import ContextVar
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import JSON, DateTime, Double, MetaData, Numeric, String
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

SHOP = "the shop"
"""Who did what was done before anybody signed in, and what Etiquette does by itself."""
NAMES = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}
Moment = DateTime().with_variant(DATETIME(fsp=6), "mysql", "mariadb")
Sha = String(64)


WHO: ContextVar[str] = ContextVar("who", default=SHOP)
"""Who is at work: set for a request by its guard, for a task by its worker."""


@dataclass
class Doing:
    """What a request does, for the trail: written with the first change that it makes."""

    did: str
    what: str
    way: str
    address: str
    written: bool = False


DOING: ContextVar[Doing | None] = ContextVar("doing", default=None)


def now() -> datetime:
    """This moment in UTC without an offset, as the database keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


def who() -> str:
    return WHO.get()


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {dict[str, Any]: JSON, float: Double, datetime: Moment, Decimal: Numeric(12, 4)}


class Setting(Base):
    """One shop-wide setting: time zone, currency, units."""

    __tablename__ = "setting"
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))
