"""Care that machines want again and again."""

from datetime import datetime

from sqlalchemy import String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.store.models.base import Base, now, who


class Care(Base):
    """One thing to do on a machine: after so many days, so many metres or so many hours without work, whichever comes
    first; None: not for that."""

    __tablename__ = "care"
    __table_args__ = (UniqueConstraint("machine_kind", "machine_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    machine_kind: Mapped[str] = mapped_column(String(10))
    """printer, laminator or cutter."""
    machine_id: Mapped[int]
    name: Mapped[str] = mapped_column(String(120))
    every_days: Mapped[float | None]
    every_metres: Mapped[float | None]
    idle_hours: Mapped[float | None]
    before_white: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Nothing with white is printed while it is due."""
    last_at: Mapped[datetime] = mapped_column(default=now)
    last_who: Mapped[str] = mapped_column(String(120), default=who)
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: it is not asked for any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}
