"""The states of tasks, runs and prints, and from each the steps that are allowed."""

from collections.abc import Mapping
from enum import StrEnum
from typing import TypeVar

from sqlalchemy import Enum


class WrongStep(RuntimeError):
    """A state was to follow another that it cannot follow: a mistake in the program, never one of its user."""


class TaskState(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


class RunState(StrEnum):
    """Where the print of a run is that was last at work."""

    PLANNED = "planned"
    PRINTING = "printing"
    FILM = "film"
    """It waits for its film."""
    CUTTER = "cutter"
    """It waits for the cutter."""
    CUT = "cut"
    DONE = "done"
    """It is not cut at all, and needs nothing more."""


class SheetState(StrEnum):
    """Where one print is. `unclear`: nobody knows whether it was printed, until somebody asks or looks."""

    HELD = "held"
    PRINTING = "printing"
    UNCLEAR = "unclear"
    FAILED = "failed"
    PRINTED = "printed"
    LAMINATED = "laminated"
    LOADED = "loaded"
    READ = "read"
    CUT = "cut"
    DONE = "done"
    """Of a run that is only printed: it needs nothing more."""


T, R, S = TaskState, RunState, SheetState
ENDED: frozenset[TaskState] = frozenset((T.DONE, T.FAILED, T.CANCELLED))
ON_SHELF: frozenset[SheetState] = frozenset((S.PRINTED, S.LAMINATED))

TASK_STEPS: Mapping[StrEnum, frozenset[StrEnum]] = {
    T.WAITING: frozenset((T.RUNNING, T.CANCELLED)),
    T.RUNNING: ENDED | {T.WAITING},  # a worker was lost, and the work is begun again
    **{end: frozenset() for end in ENDED},
}
SHEET_STEPS: Mapping[StrEnum, frozenset[StrEnum]] = {
    S.HELD: frozenset((S.PRINTING,)),
    # held: it had only waited; cut: by the printer's own knife
    S.PRINTING: frozenset((S.HELD, S.PRINTED, S.FAILED, S.UNCLEAR, S.CUT, S.DONE)),
    S.UNCLEAR: frozenset((S.PRINTING, S.PRINTED, S.FAILED, S.CUT, S.DONE)),
    S.FAILED: frozenset(),
    # read although another one was laid on: the code says which sheet lies there
    S.PRINTED: frozenset((S.LAMINATED, S.LOADED, S.READ, S.DONE)),
    S.LAMINATED: frozenset((S.LOADED, S.READ)),
    S.LOADED: ON_SHELF | {S.READ},
    S.READ: ON_SHELF | {S.LOADED, S.CUT},
    S.CUT: frozenset((S.LOADED, S.READ)),  # laid on again; or what is spoiled is cut once more where it lies
    S.DONE: frozenset(),
}
RUN_STEPS: Mapping[StrEnum, frozenset[StrEnum]] = {  # a run has any number of prints: each may be anywhere
    state: frozenset(RunState) - {state} for state in RunState
}
State = TypeVar("State", bound=StrEnum)


def kept_as(states: type[StrEnum], length: int) -> Enum:
    """The column of a state: its word, so that a person can read the table."""
    return Enum(states, native_enum=False, length=length, values_callable=lambda kind: [one.value for one in kind])


def step(steps: Mapping[StrEnum, frozenset[StrEnum]], now: State | None, wanted: State) -> State:
    """`wanted`, if it may follow `now` (None: nothing was before). Raises WrongStep."""
    if now is not None and wanted != now and wanted not in steps[now]:
        raise WrongStep(f"{wanted} cannot follow {now}.")
    return wanted
