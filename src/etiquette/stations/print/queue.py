"""What waits for a printer: in which order, put earlier or later, held."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.stations import runs
from etiquette.stations.edits import Stale, locked
from etiquette.stations.plate_sets import plates_of
from etiquette.stations.print.beds import by_prints
from etiquette.stations.print.sending import ask_for_sheet, submit_print
from etiquette.stations.print.tasks import print_sheet
from etiquette.stations.run_rolls import allotted, rolls_of, waiting_mm
from etiquette.stations.sheets import printed_with
from etiquette.stations.shop import Shop
from etiquette.stations.views import each_readable
from etiquette.store.models import Plate, Run, Sheet, Task
from etiquette.store.rows import loaded
from etiquette.store.states import RunState, SheetState, TaskState
from etiquette.tasks.following import in_their_order


@dataclass(frozen=True)
class Queued:
    """A sheet that is printed, or waits for it."""

    task_id: int
    sheet: Sheet
    waits: bool


def queue_of(session: Session, machine: str) -> list[Queued]:
    """What the printer `machine` has to do, in the order in which it will be done."""
    tasks = _tasks(session, machine)
    sheets = loaded(session, Sheet, (int(task.arguments["sheet_id"]) for task in tasks))
    found = [(task, sheets.get(int(task.arguments["sheet_id"]))) for task in tasks]
    return [Queued(task.id, sheet, task.state == TaskState.WAITING) for task, sheet in found if sheet is not None]


def _tasks(session: Session, machine: str) -> Sequence[Task]:
    at_work = Task.state.in_((TaskState.RUNNING, TaskState.WAITING))
    return in_their_order(session, select(Task).where(at_work, Task.name == print_sheet.name, Task.machine == machine))


MOST_READY = 60
"""Runs that are offered to be sent together: the newest."""


def not_sent(session: Session, printer_id: int | None, but: int) -> list[Run]:
    """The newest runs for a printer of which nothing was sent or held yet, without the run `but`."""
    any_sheet = select(Sheet.id).join(Plate, Sheet.plate_id == Plate.id).where(Plate.run_id == Run.id).exists()
    wanted = select(Run).where(Run.state == RunState.PLANNED, Run.id != but, ~any_sheet).order_by(Run.id.desc())
    found = each_readable(lambda run: (run.document.printer_id, run), session.scalars(wanted.limit(4 * MOST_READY)))
    return [run for printer, run in found if printer == printer_id][:MOST_READY]


def send_several(shop: Shop, session: Session, wanted: Sequence[tuple[int, int]], key: str) -> list[int]:
    """Every frame of several runs (number and revision), one run after the other, or none of any; returns the tasks.
    The same `key` sends them once. Raises NotThere, Stale, JobError."""
    return [
        task
        for run_id, revision in dict(wanted).items()
        for task in send_all(shop, session, run_id, revision, f"{key}, {run_id}")
    ]


def send_all(shop: Shop, session: Session, run_id: int, revision: int | None, key: str) -> list[int]:
    """Every frame of a run as it is now, in their order, in one action; returns the tasks. The same `key` sends them
    once. What is not severed is one length on each roll; frames for another roll than the first are held until that is
    on the printer. Raises NotThere, Stale, JobError when the rolls are too short for all of them."""
    run = locked(session, "run", run_id)
    if revision is not None and run.revision != revision:
        raise Stale("run", run_id, run.revision)
    state = runs.state_of(shop, session, run_id)
    plates = plates_of(session, state)
    if not plates:
        raise JobError("The print files of this run are not made yet.", state.document.name, "Wait until they are.")
    prints = by_prints(plates)
    known = session.scalar(select(Sheet.id).where(Sheet.key == _own(key, 1)))
    if known is not None:
        firsts = [ask_for_print(shop, session, one, revision, key, hold=False)[0] for one in prints]
        return [submit_print(session, one.id) for one in firsts if one.state != SheetState.HELD]
    lengths = [sum(plate.summary.plan.stock_mm for plate in one) for one in prints]
    held, waits = rolls_of(session, state.document), waiting_mm(session)
    rolls = allotted(held, lengths, waits)
    if sum(len(one.frames) for one in rolls) < len(prints):
        has = sum(one.remaining_mm - waits.get(one.id, 0.0) for one in held)
        names = ", ".join(one.name for one in held)
        besides = " besides what waits for the printer" if any(waits.get(one.id) for one in held) else ""
        raise JobError(
            f"All frames of {state.document.name} need {sum(lengths) / 1000:.2f} m; "
            f"{names} has {has / 1000:.2f} m left{besides}.",
            names,
            "Send them one by one, choose another roll in Run, or one more on which it goes on.",
        )
    tasks = []
    hang = not state.document.sever and state.document.sheet_mm is None and not state.document.apart
    first = next(one.roll.id for one in rolls if one.frames)
    for roll in rolls:
        for number in roll.frames:
            hold = roll.roll.id != first
            sheets = ask_for_print(shop, session, prints[number - 1], revision, key, hold)
            for sheet in sheets:
                sheet.roll_id = roll.roll.id
                if hang and len(roll.frames) > 1:
                    sheet.length = f"{key}, roll {roll.roll.id}"[-80:]
            if not hold:
                tasks.append(submit_print(session, sheets[0].id))
    return tasks


def ask_for_print(
    shop: Shop, session: Session, plates: Sequence[Plate], revision: int | None, key: str, hold: bool
) -> list[Sheet]:
    """The sheets of one print, of which the first is followed: of a frame, or of the blanks of a bed. The same `key`
    makes them once. Raises as ask_for_sheet does."""
    sheets = []
    for plate in plates:
        made = ask_for_sheet(shop, session, plate.id, revision, _own(key, plate.summary.frame), hold)
        sheets.append(session.get_one(Sheet, made))
    if len(sheets) > 1:
        for one in sheets:
            one.bed = _own(key, plates[0].summary.frame)
    return sheets


def _own(key: str, frame: int) -> str:
    return f"{key}, frame {frame}"[:80]


def put(session: Session, task_id: int, way: Literal["earlier", "later"]) -> None:
    """A sheet that waits changes places with the one before or behind it. Raises NotThere, JobError."""
    task = _waiting(session, task_id)
    waiting = [one for one in _tasks(session, task.machine) if one.state == TaskState.WAITING]
    at = waiting.index(task)
    other = at - 1 if way == "earlier" else at + 1
    if 0 <= other < len(waiting):
        one = waiting[other]
        task.turn, one.turn = one.turn or float(one.id), task.turn or float(task.id)


def put_at(session: Session, task_id: int, place: int) -> None:
    """A sheet that waits takes the place `place` (from 0) among those that wait; the others move up or down. Raises
    NotThere, JobError."""
    task = _waiting(session, task_id)
    waiting = [one for one in _tasks(session, task.machine) if one.state == TaskState.WAITING]
    turns = sorted(one.turn or float(one.id) for one in waiting)
    waiting.remove(task)
    waiting.insert(place, task)
    for one, turn in zip(waiting, turns, strict=True):
        one.turn = turn


def hold(session: Session, task_id: int) -> None:
    """A sheet that waits is put by, to be sent later. Raises NotThere, JobError."""
    task = _waiting(session, task_id)
    sheet = session.get_one(Sheet, int(task.arguments["sheet_id"]), with_for_update=True)
    if task.arguments.get("again"):  # sent as a held sheet, it might be printed twice
        raise JobError(
            "The printer may have this sheet already: it is only asked about.", sheet.name, "Wait for its answer."
        )
    task.state = TaskState.CANCELLED
    for one in printed_with(sheet):
        one.state = SheetState.HELD
    sheet.length = None  # the others go on without it
    session.get_one(Run, sheet.plate.run_id).state = RunState.PLANNED


def _waiting(session: Session, task_id: int) -> Task:
    task = session.get(Task, task_id, with_for_update=True)
    if task is None or task.name != print_sheet.name:
        raise NotThere("There is no such print.", f"task {task_id}", "Look at the queue again.")
    if task.state != TaskState.WAITING:
        raise JobError("This sheet does not wait any more.", "queue", "Look at the queue again.")
    return task
