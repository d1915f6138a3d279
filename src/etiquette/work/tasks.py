"""Long work as rows: claimed with a lease, reported as numbered events, published only under a live lease."""

import importlib
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Protocol

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.store.database import Database
from etiquette.store.models import Task, TaskEvent, now

LEASE_SECONDS = 20.0
HEARTBEAT_SECONDS = 5.0
MOST_ATTEMPTS = 3
LOOK_FOR_CANCEL_SECONDS = 0.25

TASKS = {
    "find lines": "etiquette.stations.lines:find_lines",
    "nest": "etiquette.stations.nesting:nest_run",
    "improve": "etiquette.stations.nesting:improve_run",
    "make plate": "etiquette.stations.plating:make_plate",
    "print": "etiquette.stations.printing:print_plate",
    "laminate": "etiquette.stations.printing:laminate_sheet",
    "read marks": "etiquette.stations.bench:read_sheet",
    "cut": "etiquette.stations.cutting:cut_sheet",
    "cut roll": "etiquette.stations.rolls:cut_roll",
    "cut mat": "etiquette.stations.mats:cut_mat",
    "cut card": "etiquette.stations.card_cutting:cut_card",
    "read card": "etiquette.stations.card_cutting:read_card",
    "print card": "etiquette.stations.card_printing:print_card",
    "read printed card": "etiquette.stations.card_printing:read_printed_card",
}
"""Registered names and where their functions live; imported when first needed."""


@dataclass(frozen=True)
class Outcome:
    """What a task found. `publish` writes it in the same transaction that marks the task done; what it returns is added
    to the result."""

    result: dict[str, Any]
    publish: Callable[[Session], dict[str, Any] | None] | None = None


class Report(Protocol):
    """Called by a task with the share done, words, and data for the screen; False means stop and keep the best so far."""

    def __call__(self, share: float, words: str, data: dict[str, Any] | None = None) -> bool: ...


def submit(session: Session, name: str, arguments: dict[str, Any], key: str | None = None) -> int:
    """Put a task in the queue; the same `key` never makes a second one. Returns its id."""
    if name not in TASKS:
        raise ValueError(f"no task is called {name}")
    key = key or secrets.token_hex(16)
    known = session.scalar(select(Task.id).where(Task.key == key))
    if known is not None:
        return known
    task = Task(name=name, arguments=arguments, key=key)
    session.add(task)
    session.flush()
    return task.id


def release_all(session: Session) -> None:
    """Give back what workers of a former instance held; call only under the instance lock. A task that failed its
    attempts in crashes is not tried for ever."""
    session.execute(
        update(Task)
        .where(Task.state == "running", Task.attempt < MOST_ATTEMPTS)
        .values(state="waiting", lease_until=None)
    )
    problem = {"what": "The work was cut off several times and was given up.", "where": "", "do": "Start it again."}
    session.execute(update(Task).where(Task.state == "running").values(state="failed", problem=problem))


class Worker:
    """Claims waiting tasks one after the other and runs them."""

    def __init__(self, database: Database, context: Any) -> None:
        self._database = database
        self._context = context

    def run_one(self) -> bool:
        """Run the oldest waiting task. Returns False when there is none."""
        claimed = self._database.within(self._claim)
        if claimed is None:
            return False
        task_id, name, arguments, attempt = claimed
        report = _Reporter(self._database, task_id, attempt)
        try:
            module, function = TASKS[name].split(":")
            outcome: Outcome = getattr(importlib.import_module(module), function)(self._context, arguments, report)
        except JobError as error:
            problem = {"what": error.what, "where": error.where, "do": error.do}
            self._database.within(lambda session: self._finish(session, task_id, attempt, problem=problem))
        except Exception:
            import traceback

            traceback.print_exc()
            problem = {
                "what": f"“{name}” stopped because of a fault in Etiquette.",
                "where": name,
                "do": "Try it again. The log holds the details.",
            }
            self._database.within(lambda session: self._finish(session, task_id, attempt, problem=problem))
        else:
            self._publish(task_id, attempt, outcome)
        finally:
            report.stop()
        return True

    def _publish(self, task_id: int, attempt: int, outcome: Outcome) -> None:
        try:
            self._database.within(lambda session: self._finish(session, task_id, attempt, outcome=outcome))
        except JobError as error:
            problem = {"what": error.what, "where": error.where, "do": error.do}
            self._database.within(lambda session: self._finish(session, task_id, attempt, problem=problem))

    @staticmethod
    def _claim(session: Session) -> tuple[int, str, dict[str, Any], int] | None:
        expired = (Task.state == "running") & (Task.lease_until < now()) & (Task.attempt < MOST_ATTEMPTS)
        wanted = (
            select(Task)
            .where((Task.state == "waiting") | expired)
            .order_by(Task.id)
            .limit(1)
            .with_for_update(skip_locked=True)
        )
        task = session.scalar(wanted)
        if task is None:
            return None
        task.state, task.attempt = "running", task.attempt + 1
        task.lease_until, task.heartbeat_at = now() + timedelta(seconds=LEASE_SECONDS), now()
        return task.id, task.name, task.arguments, task.attempt

    @staticmethod
    def _finish(
        session: Session,
        task_id: int,
        attempt: int,
        outcome: Outcome | None = None,
        problem: dict[str, Any] | None = None,
    ) -> None:
        task = session.get(Task, task_id, with_for_update=True)
        if task is None or task.state != "running" or task.attempt != attempt:
            return  # another worker has it now: what this one found is not published
        if outcome is not None:
            more = outcome.publish(session) if outcome.publish else None
            task.result = {**outcome.result, **(more or {})}
            task.state = "done"
            words = "Done"
        else:
            task.problem, task.state, words = problem, "failed", problem["what"] if problem else "Failed"
        task.lease_until = None
        session.add(TaskEvent(task_id=task_id, share=1.0, words=words, data=None))


class _Reporter:
    """Writes events, keeps the lease alive, and notices a wish to cancel."""

    def __init__(self, database: Database, task_id: int, attempt: int) -> None:
        self._database, self._task_id, self._attempt = database, task_id, attempt
        self._looked, self._said = 0.0, ""
        self._cancelled = False
        self._ended = threading.Event()
        threading.Thread(target=self._beat, daemon=True).start()

    def __call__(self, share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        moment = time.monotonic()
        if moment - self._looked < LOOK_FOR_CANCEL_SECONDS and data is None:
            return not self._cancelled
        self._looked = moment
        self._cancelled = self._database.within(lambda session: self._write(session, share, words, data))
        return not self._cancelled

    def _write(self, session: Session, share: float, words: str, data: dict[str, Any] | None) -> bool:
        session.add(TaskEvent(task_id=self._task_id, share=min(max(share, 0.0), 1.0), words=words, data=data))
        return bool(session.scalar(select(Task.cancel).where(Task.id == self._task_id)))

    def _beat(self) -> None:
        while not self._ended.wait(HEARTBEAT_SECONDS):
            self._database.within(self._renew)

    def _renew(self, session: Session) -> None:
        session.execute(
            update(Task)
            .where(Task.id == self._task_id, Task.attempt == self._attempt, Task.state == "running")
            .values(lease_until=now() + timedelta(seconds=LEASE_SECONDS), heartbeat_at=now())
        )

    def stop(self) -> None:
        self._ended.set()
