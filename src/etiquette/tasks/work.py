"""Long work as rows: claimed by one worker, reported as numbered events, published only by who has it still.

Work that computes is taken up again when its worker is lost. Work that moves a machine never is: it stands as broken
off, and a person looks and chooses."""

import secrets
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

import structlog
from sqlalchemy import select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from structlog.contextvars import bind_contextvars, clear_contextvars

from etiquette.core.errors import JobError, of_disk
from etiquette.devices import holds, registry
from etiquette.store.database import Database
from etiquette.store.models import Task, TaskEvent, now
from etiquette.store.models.base import WHO
from etiquette.store.states import TaskState
from etiquette.tasks.ending import ENDING, WorkEnds
from etiquette.tasks.following import by_turn
from etiquette.tasks.task import TASKS, A, Context, Outcome, TaskType

LEASE_SECONDS = 20.0
HEARTBEAT_SECONDS, MISSED_SECONDS = 5.0, 1.0
"""So long after a heartbeat, or after one that the database did not take, comes the next."""
MOST_ATTEMPTS = 3
LOOK_FOR_CANCEL_SECONDS = 0.25
PATIENCE_SECONDS = 60.0
"""For so long a worker that has something to say waits for a database that is away."""
Lane = Literal["computing", "devices"]
"""What a worker does: work that computes, or work that moves machines, so that a cut never keeps a line from being
found."""
log = structlog.stdlib.get_logger(__name__)


@dataclass(frozen=True)
class Claimed:
    """A task that this worker has now."""

    id: int
    name: str
    arguments: dict[str, Any]
    attempt: int
    hold: holds.Hold | None
    who: str


def submit(session: Session, task_type: TaskType[A, Any], arguments: A, key: str | None = None) -> int:
    """Put a task in the queue; the same `key` never makes a second one. Returns its id. Raises Busy when its machine is
    held and it may not wait for it."""
    key = key or secrets.token_hex(16)
    known = session.scalar(select(Task.id).where(Task.key == key))
    if known is not None:
        return known
    machine = task_type.machine(session, arguments) if task_type.machine else ""
    if machine and not task_type.queues:
        holds.refuse_busy(session, machine)
        _refuse_behind(session, machine)
    given = arguments.model_dump(mode="json", exclude_defaults=True)
    task = Task(name=task_type.name, arguments=given, key=key, machine=machine)
    session.add(task)
    session.flush()
    return task.id


def _refuse_behind(session: Session, machine: str) -> None:
    """Raises Busy when a task waits that will take the machine in a moment."""
    waiting = session.scalar(select(Task.name).where(Task.state == "waiting", Task.machine == machine).limit(1))
    if waiting is not None:
        raise holds.busy(session, machine, TASKS[waiting].words)


def release_all(session: Session) -> None:
    """Give back what workers of a former instance held; call only under the instance lock."""
    for task in session.scalars(select(Task).where(Task.state == "running").with_for_update()):
        _give_up_or_again(session, task)


class Silent:
    """Tasks of whose worker nothing was heard for LEASE_SECONDS, counted by who listens: clocks that are put forward or
    back, or that differ from machine to machine, take no task from anybody. Nor does a database that is away or answers
    late: of the time in which it was not asked, or gave no answer, no more counts than one heartbeat, because whoever
    is at work could say nothing either, and says so within the next."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock, self._listened = clock, clock()
        self._heard: dict[int, tuple[tuple[int, datetime | None], float]] = {}
        """By task: what was heard last, and for how many seconds it is the same."""

    def end(self, session: Session) -> None:
        """Give back what the silent ones have in hand."""
        running = select(Task.id, Task.attempt, Task.heartbeat_at).where(Task.state == "running")
        told = session.execute(running).tuples().all()
        moment = self._clock()  # not before: the answer may have come late
        passed, self._listened = min(moment - self._listened, HEARTBEAT_SECONDS), moment
        heard: dict[int, tuple[tuple[int, datetime | None], float]] = {}
        for task_id, attempt, beat in told:
            said, silent = self._heard.get(task_id, (None, 0.0))
            silent = silent + passed if said == (attempt, beat) else 0.0
            heard[task_id] = (attempt, beat), silent
            if silent > LEASE_SECONDS:
                self._give_back(session, task_id, attempt, beat)
        self._heard = heard  # at once: the threads of a worker listen together

    @staticmethod
    def _give_back(session: Session, task_id: int, attempt: int, beat: datetime | None) -> None:
        asked = select(Task).where(Task.id == task_id).with_for_update(skip_locked=True)
        task = session.scalar(asked.execution_options(populate_existing=True))
        if task and (task.state, task.attempt, task.heartbeat_at) == ("running", attempt, beat):
            _give_up_or_again(session, task)


def _give_up_or_again(session: Session, task: Task) -> None:
    kind = TASKS.get(task.name)
    if kind and kind.machine:
        holds.end_holder(session, task.machine, task.id)
        kind.end_broken(session, task.arguments)
        _end(session, task, TaskState.FAILED, {
            "what": f"Broken off while {kind.words}: Etiquette or its machine stopped. Nothing goes on by itself.",
            "where": registry.named(session, task.machine),
            "do": "Look at the machine and the sheet, then choose how to go on.",
        })  # fmt: skip
    elif kind is None or task.attempt >= MOST_ATTEMPTS:
        if kind:
            kind.end_broken(session, task.arguments)
        _end(
            session,
            task,
            TaskState.FAILED,
            {"what": "The work was cut off several times and was given up.", "where": "", "do": "Start it again."},
        )
    else:
        task.state = TaskState.WAITING


def _end(session: Session, task: Task, state: TaskState, problem: dict[str, Any] | None) -> None:
    task.state, task.problem = state, problem
    words = problem["what"] if problem else "Done"
    session.add(TaskEvent(task_id=task.id, share=1.0, words=words, data=None))


class Worker:
    """Claims waiting tasks of its lane one after the other and runs them. Whatever goes wrong ends the task, never the
    worker."""

    def __init__(
        self,
        database: Database,
        context: Context,
        lane: Lane | None = None,
        machines: Sequence[str] = (),
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """`machines`: the keys or names of those that it reaches; none: all."""
        self._silent = Silent(clock)
        self._database, self._context, self._lane, self._machines = database, context, lane, machines

    def run_one(self, task_id: int | None = None) -> bool:
        """Run the oldest waiting task, or the one that is named if it waits. Returns False when there is none."""
        self._database.within(self._silent.end)
        claimed = self._database.within(lambda session: self._claim(session, task_id))
        if claimed is None:
            return False
        kind = TASKS[claimed.name]
        report = _Reporter(self._database, claimed, stands=bool(kind.machine and not kind.goes_on))
        try:
            WHO.set(claimed.who)
            bind_contextvars(task=claimed.id, name=claimed.name, machine=claimed.hold.machine if claimed.hold else None)
            context = self._context.holding(claimed.hold) if claimed.hold else self._context
            outcome = kind.work(context, kind.arguments.model_validate(claimed.arguments), report)
        except holds.LeftBehind as error:
            log.warning("a task stopped", why=error.what)
        except WorkEnds:
            self._database.within(lambda session: self._put_back(session, claimed, kind))
        except JobError as error:  # of which it has settled what it was about
            self._finish(claimed, problem=_problem(claimed, error))
        except Exception as error:
            self._finish(claimed, problem=_problem(claimed, error), broken=True)
        else:
            self._publish(claimed, outcome)
        finally:
            report.stop()
            clear_contextvars()
        return True

    @staticmethod
    def _put_back(session: Session, claimed: Claimed, kind: TaskType[Any, Any]) -> None:
        """As if it had not been begun: the next start takes it up."""
        task = session.get(Task, claimed.id, with_for_update=True)
        if task is None or task.state != "running" or task.attempt != claimed.attempt:
            return
        task.state, task.attempt = TaskState.WAITING, task.attempt - 1
        task.arguments = kind.put_back(task.arguments)
        if claimed.hold:
            holds.give_back(session, claimed.hold)

    def _publish(self, claimed: Claimed, outcome: Outcome[Any]) -> None:
        try:
            self._finish(claimed, outcome=outcome)
        except Exception as error:  # of any kind: a task that stays “running” would be followed for ever
            self._finish(claimed, problem=_problem(claimed, error), broken=True)

    def _claim(self, session: Session, task_id: int | None = None) -> Claimed | None:
        physical = [name for name, one in TASKS.items() if one.machine]
        wanted = select(Task).where(Task.state == "waiting").order_by(by_turn())
        if self._lane is not None:
            wanted = wanted.where(Task.name.in_(physical) if self._lane == "devices" else Task.name.not_in(physical))
        if task_id is not None:
            wanted = wanted.where(Task.id == task_id)
        held: set[str] = set()
        while True:
            task = session.scalar(wanted.where(Task.machine.not_in(held)).limit(1).with_for_update(skip_locked=True))
            if task is None:
                return None
            try:
                self._name_machine(session, task)
            except JobError as error:  # what it was for is gone
                _end(session, task, TaskState.FAILED, {"what": error.what, "where": error.where, "do": error.do})
                continue
            if self._reaches(session, task.machine) and (not task.machine or holds.is_free(session, task.machine)):
                return self._claimed(session, task)
            held.add(task.machine)

    def _reaches(self, session: Session, machine: str) -> bool:
        return not self._machines or not {machine, registry.named(session, machine)}.isdisjoint(self._machines)

    @staticmethod
    def _name_machine(session: Session, task: Task) -> None:
        """A task that a former version queued names no machine: it is found before anything moves."""
        kind = TASKS.get(task.name)
        if kind and kind.machine and not task.machine:
            task.machine = kind.machine(session, kind.arguments.model_validate(task.arguments))
            session.flush()

    @staticmethod
    def _claimed(session: Session, task: Task) -> Claimed:
        hold = holds.take(session, task.machine, TASKS[task.name].words, task.id) if task.machine else None
        task.state, task.attempt = TaskState.RUNNING, task.attempt + 1
        task.heartbeat_at = now()
        return Claimed(task.id, task.name, task.arguments, task.attempt, hold, task.who)

    def _finish(
        self,
        claimed: Claimed,
        outcome: Outcome[Any] | None = None,
        problem: dict[str, Any] | None = None,
        broken: bool = False,
    ) -> None:
        """`broken`: it may not have settled what it was about. Raises what `publish` of the outcome raises."""

        def finish(session: Session) -> None:
            task = session.get(Task, claimed.id, with_for_update=True)
            if task is None or task.state != "running" or task.attempt != claimed.attempt:
                return  # another worker has it now: what this one found is not published
            if outcome is not None:
                if claimed.hold:
                    holds.check(session, claimed.hold)
                published = outcome.publish(session) if outcome.publish else None
                task.result = (published or outcome.result).model_dump(mode="json")
            if broken:
                TASKS[claimed.name].end_broken(session, claimed.arguments)
            _end(session, task, TaskState.FAILED if problem else TaskState.DONE, problem)
            if claimed.hold:
                holds.give_back(session, claimed.hold)

        self._database.within(finish, patience_seconds=PATIENCE_SECONDS)


def _problem(claimed: Claimed, error: Exception) -> dict[str, Any]:
    if isinstance(error, JobError):
        return {"what": error.what, "where": error.where, "do": error.do}
    log.error("a task failed", exc_info=error)
    if isinstance(error, OSError) and (told := of_disk(error)):
        return _problem(claimed, told)
    if isinstance(error, SQLAlchemyError):
        return {
            "what": "The database was away or refused.",
            "where": claimed.name,
            "do": "Try it again. The log holds the details.",
        }
    return {
        "what": f"“{claimed.name}” stopped because of a fault in Etiquette.",
        "where": claimed.name,
        "do": "Try it again. The log holds the details.",
    }


class _Reporter:
    """Writes events, keeps being heard of, and notices a wish to cancel, or that the server ends: what moves a machine
    is told to stop then, as by a person."""

    def __init__(self, database: Database, claimed: Claimed, stands: bool) -> None:
        self._stands = stands
        self._database, self._task_id, self._attempt = database, claimed.id, claimed.attempt
        self._looked = 0.0
        self._cancelled = False
        self._ended = threading.Event()
        threading.Thread(target=self._beat, daemon=True).start()

    def __call__(self, share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        if ENDING.is_set():
            if not self._stands:
                raise WorkEnds
            self._cancelled = True
        moment = time.monotonic()
        if moment - self._looked < LOOK_FOR_CANCEL_SECONDS and data is None:
            return not self._cancelled
        self._looked = moment
        self._cancelled |= self._database.within(
            lambda session: self._write(session, share, words, data), patience_seconds=PATIENCE_SECONDS
        )
        return not self._cancelled

    def _write(self, session: Session, share: float, words: str, data: dict[str, Any] | None) -> bool:
        session.add(TaskEvent(task_id=self._task_id, share=min(max(share, 0.0), 1.0), words=words, data=data))
        return bool(session.scalar(select(Task.cancel).where(Task.id == self._task_id)))

    def _beat(self) -> None:
        pause = HEARTBEAT_SECONDS
        while not self._ended.wait(pause):
            try:
                self._database.within(self._renew)
                pause = HEARTBEAT_SECONDS
            except SQLAlchemyError as error:  # it beats again, and soon: silence is several beats
                pause = MISSED_SECONDS
                log.warning("a heartbeat missed", task=self._task_id, error=type(error).__name__)

    def _renew(self, session: Session) -> None:
        session.execute(
            update(Task)
            .where(Task.id == self._task_id, Task.attempt == self._attempt, Task.state == "running")
            .values(heartbeat_at=now())
        )

    def stop(self) -> None:
        self._ended.set()
