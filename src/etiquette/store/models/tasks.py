"""Long work and the machines that it holds."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column, validates

from etiquette.store.models.base import Base, now, who
from etiquette.store.states import TASK_STEPS, TaskState, kept_as, step


class Task(Base):
    """Long work: a registered name with arguments. Who has it still may publish its result."""

    __tablename__ = "task"
    __table_args__ = (Index("ix_task_state", "state", "id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40))
    arguments: Mapped[dict[str, Any]]
    key: Mapped[str] = mapped_column(String(120), unique=True)
    state: Mapped[TaskState] = mapped_column(kept_as(TaskState, 12), default=TaskState.WAITING)
    attempt: Mapped[int] = mapped_column(default=0)
    heartbeat_at: Mapped[datetime | None]
    """Changes every few seconds while a worker has it."""
    machine: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """The key of the machine that it moves; empty: none."""
    turn: Mapped[float | None]
    """Its place among those that wait, where it was given another than by its number."""
    cancel: Mapped[bool] = mapped_column(default=False)
    result: Mapped[dict[str, Any] | None]
    problem: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)

    @validates("state")
    def _allowed(self, _: str, wanted: TaskState) -> TaskState:
        return step(TASK_STEPS, self.state, TaskState(wanted))


class Machine(Base):
    """The lock of a machine: whoever holds it may move knife, ink or media. Every holder gets a higher fence, and has
    to show it before each instruction."""

    __tablename__ = "machine"
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    label: Mapped[str] = mapped_column(String(120), default="", server_default="")
    """What it is called in sentences."""
    fence: Mapped[int] = mapped_column(default=0)
    task_id: Mapped[int | None]
    """The task that holds it; None: nobody, or hands until `held_until`."""
    held_for: Mapped[str] = mapped_column(String(200), default="")
    """What it is held for, in words."""
    held_until: Mapped[datetime | None]
    holder: Mapped[str] = mapped_column(String(120), default="")
    """The process that holds it: host, number, and when it began."""


class TaskEvent(Base):
    """One numbered event of a task; a stream resumes after the last number seen."""

    __tablename__ = "task_event"
    id: Mapped[int] = mapped_column(primary_key=True)
    task_id: Mapped[int] = mapped_column(ForeignKey("task.id"), index=True)
    share: Mapped[float]
    words: Mapped[str] = mapped_column(Text)
    data: Mapped[dict[str, Any] | None]
    at: Mapped[datetime] = mapped_column(default=now)
