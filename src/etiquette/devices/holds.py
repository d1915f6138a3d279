"""Locks of machines: nothing that moves knife, ink or media happens while somebody else holds the machine.

Every holder gets a fence higher than the one before. It is shown before each instruction that moves something, in the
same transaction that notes the instruction; whoever has been left behind is told so there and stops."""

import os
import signal
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.devices import registry
from etiquette.store.database import Database
from etiquette.store.models import Machine, Task, now

HANDS_SECONDS = 150.0
"""For as long hands may hold a machine (loading, leading its head); longer than its slowest answer."""


class Busy(JobError):
    """Somebody else holds the machine."""


class LeftBehind(JobError):
    """Another one holds the machine by now: what this one began is not to go on."""


@dataclass(frozen=True)
class Hold:
    """The right to move a machine, for as long as its fence is the latest."""

    machine: str
    fence: int


def take(session: Session, machine: str, words: str, task_id: int | None = None) -> Hold:
    """Take a machine for a task, or for hands (None). `words`: what for, like “a sheet is being cut”. Raises Busy."""
    row = _locked(session, machine)
    refuse_held(session, row)
    row.fence += 1
    row.label = registry.named(session, machine)
    row.task_id, row.held_for, row.holder = task_id, words, _this_process()
    row.held_until = None if task_id else now() + timedelta(seconds=HANDS_SECONDS)
    return Hold(machine, row.fence)


def give_back(session: Session, hold: Hold) -> None:
    """The machine is free; nothing happens when somebody else has it by now."""
    row = _locked(session, hold.machine)
    if row.fence == hold.fence:
        row.task_id, row.held_until = None, None


def check(session: Session, hold: Hold) -> None:
    """Raises LeftBehind when the machine has another holder now, or none."""
    row = _locked(session, hold.machine)
    if row.fence != hold.fence or (row.task_id is None and row.held_until is None):
        raise LeftBehind(
            f"{row.label or hold.machine} was given to another task in the meantime; this one has stopped.",
            row.label or hold.machine,
            "Look at the machine and the sheet, then choose how to go on.",
        )


def refuse_busy(session: Session, machine: str) -> None:
    """Raises Busy when the machine is held, or when a task that waits will take it."""
    refuse_held(session, _locked(session, machine))


def refuse_held(session: Session, row: Machine) -> None:
    """Raises Busy when the machine of this locked row is held."""
    if _is_held(session, row):
        raise busy(session, row.name, row.held_for)


def busy(session: Session, machine: str, words: str) -> Busy:
    """What is said while a machine is held for `words`."""
    name = registry.named(session, machine)
    return Busy(f"{name} is busy: {words}.", name, "Wait until that has ended, or hold it there.")


def is_free(session: Session, machine: str) -> bool:
    """Whether nobody holds the machine just now."""
    return not _is_held(session, _locked(session, machine))


@contextmanager
def held_by_hands(database: Database, machine: str, words: str) -> Iterator[Hold]:
    """Hold a machine while hands do something with it. Raises Busy."""
    hold = database.within(lambda session: take(session, machine, words))
    try:
        yield hold
    finally:
        database.within(lambda session: give_back(session, hold), patience_seconds=HANDS_SECONDS)


def end_holder(session: Session, machine: str, task_id: int) -> None:
    """The task was left by its worker: end that process should it be frozen only, then let the machine go. What it has
    sent already the machine still does; the next holder is answered after that."""
    row = _locked(session, machine)
    if row.task_id != task_id:
        return
    host, process, started = row.holder.rsplit("/", 2)
    if host == socket.gethostname() and _started(int(process)) == started and int(process) != os.getpid():
        os.kill(int(process), signal.SIGKILL)
    row.task_id, row.held_until = None, None


def _is_held(session: Session, row: Machine) -> bool:
    if row.task_id is not None:
        task = session.get(Task, row.task_id)
        return task is not None and task.state == "running"
    return row.held_until is not None and row.held_until > now()


def _locked(session: Session, machine: str) -> Machine:
    row = session.get(Machine, machine, with_for_update=True, populate_existing=True)
    if row is None:
        session.execute(
            text("INSERT IGNORE INTO machine (name, label, fence, held_for, holder) VALUES (:name, '', 0, '', '')"),
            {"name": machine},
        )
        row = session.get_one(Machine, machine, with_for_update=True)
    return row


def _this_process() -> str:
    return f"{socket.gethostname()[:80]}/{os.getpid()}/{_started(os.getpid())}"


def _started(process: int) -> str:
    """When a process began, in ticks since the machine did: with its number that names it for good. Empty: it is
    gone."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (FileNotFoundError, ProcessLookupError):
        return ""
