"""What lies on the beds of flat printers."""

from typing import Any

from sqlalchemy import JSON, String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.store.models.base import Base


class Holder(Base):
    """A holder for blanks: its size, and where the blanks lie in it."""

    __tablename__ = "holder"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    width_mm: Mapped[float]
    length_mm: Mapped[float]
    play_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """How much wider than its blank an opening is, on every side."""
    places: Mapped[list[dict[str, Any]]] = mapped_column(JSON, default=list, server_default="[]")
    """Its blanks (files.documents.runs.Blank), measured from its left and its near edge."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: not offered any more."""
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    __mapper_args__ = {"version_id_col": version}
