"""Orders that come in by themselves: from watched folders, or from a shop's own system."""

from datetime import date, datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.store.models.base import Base, now
from etiquette.store.states import kept_as


class OrderState(StrEnum):
    """Where an order is on its way to its print files."""

    WAITING = "waiting"
    """Its art is in; lines, run and plates are made."""
    GATHERED = "gathered"
    """Its line is ready; it waits for others to share a run."""
    ASKS = "asks"
    """A person has to look: `words` say at what."""
    DONE = "done"
    REFUSED = "refused"


class DropFolder(Base):
    """A watched folder: what is put into it is treated by its recipe."""

    __tablename__ = "drop_folder"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    path: Mapped[str] = mapped_column(String(500))
    recipe_id: Mapped[int | None] = mapped_column(ForeignKey("recipe.id", ondelete="SET NULL"))
    pattern: Mapped[str] = mapped_column(String(200), default="", server_default="")
    """How names of files are read (core.production.file_names); empty: each is a name and nothing else."""
    gather: Mapped[str] = mapped_column(String(8), default="each", server_default="each")
    """each: a run for every file; metres: when so many are together; hour: at a set hour; frame: when a frame of the
    cutter is full."""
    gather_metres: Mapped[float] = mapped_column(default=2.0, server_default="2")
    gather_hour: Mapped[int] = mapped_column(default=16, server_default="16")
    gathered_on: Mapped[date | None]
    """The day on which it made its run of that hour last."""
    problem: Mapped[str] = mapped_column(String(300), default="", server_default="")
    """Why it cannot be watched; empty: it is."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Order(Base):
    """One file of a folder, or one order of a shop's system."""

    __tablename__ = "art_order"
    __table_args__ = (Index("ix_art_order_folder_state", "folder_id", "state"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(200), unique=True)
    """The same key is the same order, however often it comes."""
    folder_id: Mapped[int | None] = mapped_column(ForeignKey("drop_folder.id", ondelete="SET NULL"))
    file_name: Mapped[str] = mapped_column(String(255))
    recipe: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """What its recipe said when it came."""
    state: Mapped[OrderState] = mapped_column(kept_as(OrderState, 10), default=OrderState.WAITING)
    words: Mapped[str] = mapped_column(String(400), default="", server_default="")
    tries: Mapped[int] = mapped_column(default=1, server_default="1")
    put_by: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Its file lies in done/ or refused/."""
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id", ondelete="SET NULL"))
    designs: Mapped[list[int]] = mapped_column(JSON, default=list)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="SET NULL"))
    newer_of: Mapped[int | None] = mapped_column(ForeignKey("design.id", ondelete="SET NULL"))
    """An open design of the same name and customer: it may be its newer art."""
    at: Mapped[datetime] = mapped_column(default=now)
