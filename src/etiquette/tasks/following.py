"""Looking at tasks from outside: their state, their events, the wish to cancel."""

from collections.abc import Collection, Sequence

from sqlalchemy import ColumnElement, Select, case, func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.store.models import Task, TaskEvent
from etiquette.store.states import TaskState
from etiquette.tasks.task import TASKS


def task_there(session: Session, task_id: int) -> Task:
    task = session.get(Task, task_id)
    if task is None:
        raise NotThere("This work is not known.", f"task {task_id}", "Start it again.")
    return task


def in_their_order(session: Session, wanted: Select[Task]) -> Sequence[Task]:
    """Those of `wanted` that are at work, then those that wait, by their turn."""
    first = case((Task.state == TaskState.RUNNING, 0), else_=1)
    return session.scalars(wanted.order_by(first, by_turn())).all()


def by_turn() -> ColumnElement[float]:
    """By what waiting tasks are taken up."""
    return func.coalesce(Task.turn, Task.id)


def events_after(session: Session, task_id: int, number: int) -> Sequence[TaskEvent]:
    wanted = (
        select(TaskEvent).where(TaskEvent.task_id == task_id, TaskEvent.id > number).order_by(TaskEvent.id).limit(200)
    )
    return session.scalars(wanted).all()


def newest_numbers(session: Session, reach: int) -> set[int]:
    """The numbers of events of all tasks that lie within `reach` of the newest one."""
    newest = select(func.coalesce(func.max(TaskEvent.id), 0)).scalar_subquery()
    return set(session.scalars(select(TaskEvent.id).where(TaskEvent.id > newest - reach)))


def all_events_after(session: Session, number: int) -> Sequence[tuple[TaskEvent, TaskState]]:
    """Events of all tasks with the state of their task now, oldest first."""
    return _with_states(session, TaskEvent.id > number)


def events_of(session: Session, numbers: Collection[int]) -> Sequence[tuple[TaskEvent, TaskState]]:
    """The events with these numbers, likewise."""
    return _with_states(session, TaskEvent.id.in_(numbers))


def _with_states(session: Session, which: ColumnElement[bool]) -> Sequence[tuple[TaskEvent, TaskState]]:
    wanted = select(TaskEvent, Task.state).join(Task, Task.id == TaskEvent.task_id).where(which)
    return [(event, state) for event, state in session.execute(wanted.order_by(TaskEvent.id).limit(500))]


def cancel(session: Session, task_id: int) -> None:
    """Ask a running task to stop and keep the best so far; one that has not begun never does."""
    task = session.get(Task, task_id, with_for_update=True)
    if task is None:
        return
    task.cancel = True
    if task.state == "waiting":
        task.state = TaskState.CANCELLED
        session.add(TaskEvent(task_id=task.id, share=0.0, words="Called off", data=None))
        if kind := TASKS.get(task.name):
            kind.end_broken(session, task.arguments, begun=False)
