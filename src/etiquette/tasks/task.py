"""Tasks: work that takes time, declared beside what it does by `@task`, with typed arguments and a typed result.

A declaration imports what computes inside its body, so that a process that only queues tasks stays small.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar, get_args, get_type_hints

from pydantic import BaseModel
from sqlalchemy.orm import Session

from etiquette.devices import holds
from etiquette.store.database import Database

C = TypeVar("C")
A = TypeVar("A", bound=BaseModel)
A_in = TypeVar("A_in", bound=BaseModel, contravariant=True)
R = TypeVar("R", bound=BaseModel)


@dataclass(frozen=True)
class Outcome(Generic[R]):
    """What a task found. `publish` writes it in the same transaction that marks the task done, and may say more than
    was known before; what it returns is then the result."""

    result: R
    publish: Callable[[Session], R | None] | None = None

    def published(self, database: Database) -> R:
        """The result, published here and now instead of by the queue."""
        return (database.within(self.publish) if self.publish else None) or self.result


class Report(Protocol):
    """Called by a task with the share done, words, and data for the screen; False means stop and keep the best so
    far."""

    def __call__(self, share: float, words: str, data: dict[str, Any] | None = None) -> bool: ...


class Context(Protocol):
    """What tasks are given; a physical one with the hold of its machine."""

    def holding(self, hold: holds.Hold) -> "Context": ...


class Broken(Protocol[A_in]):
    """Puts the subject of a task where a person can go on, when the task was broken off, or with `begun` False called
    off before it began."""

    def __call__(self, session: Session, arguments: A_in, begun: bool) -> None: ...


@dataclass(frozen=True)
class TaskType(Generic[A, R]):
    """A kind of task. A physical one moves a machine, which `machine` finds by its arguments: it is never taken up
    again by itself, holds the machine alone while it works, and `words` say what for."""

    name: str
    arguments: type[A]
    result: type[R]
    work: Callable[[Any, A, Report], Outcome[R]]
    machine: Callable[[Session, A], str] | None = None
    """The key of the machine (devices/registry.py); None: it only computes."""
    words: str = ""
    queues: bool = False
    """Whether it may wait for its machine; else it is refused while another holds that."""
    broken: Broken[A] | None = None
    goes_on: Callable[[A], A] | None = None
    """Of a physical one that moves nothing any more once it reports: with what arguments it is taken up again when the
    server was ended meanwhile. None: it stops where it can stand, and a person goes on."""

    def put_back(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """The arguments to take it up again with."""
        if self.goes_on is None:
            return arguments
        return self.goes_on(self.arguments.model_validate(arguments)).model_dump(mode="json", exclude_defaults=True)

    def end_broken(self, session: Session, arguments: dict[str, Any], begun: bool = True) -> None:
        if self.broken:
            self.broken(session, self.arguments.model_validate(arguments), begun)


TASKS: dict[str, TaskType[Any, Any]] = {}
"""Every kind of task of the modules that were imported, by its name in the table."""


def task(
    name: str,
    machine: Callable[[Session, Any], str] | None = None,
    words: str = "",
    queues: bool = False,
    broken: Broken[Any] | None = None,
    goes_on: Callable[[Any], Any] | None = None,
) -> Callable[[Callable[[C, A, Report], Outcome[R]]], TaskType[A, R]]:
    """Declare the function below as a task; its annotations say what it is given and what it finds."""

    def declare(work: Callable[[C, A, Report], Outcome[R]]) -> TaskType[A, R]:
        hints = get_type_hints(work)
        _, arguments, _ = (kind for argument, kind in hints.items() if argument != "return")
        (result,) = get_args(hints["return"])
        TASKS[name] = TaskType(name, arguments, result, work, machine, words, queues, broken, goes_on)
        return TASKS[name]

    return declare
