"""The machines at the side of the Floor: what each is at, what waits for it, in which order."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Row, func, select
from sqlalchemy.orm import Session

from etiquette.stations.floor.hands import Hand, Rank
from etiquette.stations.job_pieces import GETS_FILM
from etiquette.store.models import Cutter, Plate, Printer, Run, Sheet, Stock, Task, TaskEvent
from etiquette.store.states import SheetState, TaskState
from etiquette.tasks.following import in_their_order

MOST_IN_LINE = 20


@dataclass(frozen=True)
class InLine:
    """A print that is made, or waits for its printer."""

    task_id: int
    run_id: int
    name: str
    waits: bool


@dataclass(frozen=True)
class MachineSeen:
    kind: str
    id: int
    name: str
    words: str
    waits: int
    tone: str
    """good: it can work or does; look: it wants something; stop: it does not answer."""
    share: float | None = None
    """How far it is with what it does."""
    line: Sequence[InLine] = ()


_PRINTERS = select(Printer.id, Printer.name, Printer.address).where(~Printer.away).order_by(Printer.id)
_CUTTERS = (
    select(Cutter.id, Cutter.name, Cutter.address).where(~Cutter.away, Cutter.printer_id.is_(None)).order_by(Cutter.id)
)
_AT_WORK = select(Task).where(Task.state.in_((TaskState.RUNNING, TaskState.WAITING)), Task.machine != "")
_TO_CUT = (
    select(Run.cutter_id, func.count())
    .select_from(Sheet)
    .join(Plate, Plate.id == Sheet.plate_id)
    .join(Run, Run.id == Plate.run_id)
    .outerjoin(Stock, Stock.id == Run.stock_id)
    .where(
        (Sheet.state == SheetState.LAMINATED) | ((Sheet.state == SheetState.PRINTED) & ~GETS_FILM),
        Run.cutter_id.is_not(None),
    )
    .group_by(Run.cutter_id)
)
"""Put together once: the Floor asks for them again and again."""


def machines(session: Session, lamps: Mapping[str, bool], hands: Sequence[Hand]) -> list[MachineSeen]:
    """Every printer and cutter that is not put away. `lamps`: whether those with an address answer, by name."""
    tasks = in_their_order(session, _AT_WORK)
    at_work = {task.machine: task for task in tasks if task.state == TaskState.RUNNING}
    told = _told(session, [task.id for task in at_work.values()])
    line = _line(session, tasks)
    seen = []
    for printer in session.execute(_PRINTERS):
        key = f"printer {printer.id}"
        own = line.get(key, [])
        waits = sum(one.waits for one in own)
        seen.append(_seen("printer", printer, own, waits, lamps, at_work.get(key), told, ""))
    to_cut, wanting = _to_cut(session), _wanting(hands)
    for cutter in session.execute(_CUTTERS):
        wants = wanting.get(cutter.name, "")
        waits = to_cut[cutter.id]
        seen.append(_seen("cutter", cutter, [], waits, lamps, at_work.get(f"cutter {cutter.id}"), told, wants))
    return seen


def _seen(
    kind: str,
    row: Row[int, str, str],
    line: list[InLine],
    waits: int,
    lamps: Mapping[str, bool],
    task: Task | None,
    told: Mapping[int, TaskEvent],
    wants: str,
) -> MachineSeen:
    event = told.get(task.id) if task else None
    if task is not None:
        first = next((one.name for one in line if not one.waits), "")
        words = first or (event.words if event else "at work")
        share = event.share if event else 0.0
        return MachineSeen(kind, row.id, row.name, words, waits, "good", share, line[:MOST_IN_LINE])
    if not row.address:
        words, tone = "its files are carried to it", "good"
    elif not lamps.get(row.name, False):
        words, tone = "does not answer", "stop"
    elif wants:
        words, tone = wants, "look"
    elif kind == "cutter":
        words, tone = ("ready: load next" if waits else "nothing to cut"), "good"
    else:
        words, tone = ("begins soon" if waits else "free"), "good"
    return MachineSeen(kind, row.id, row.name, words, waits, tone, None, line[:MOST_IN_LINE])


def _told(session: Session, task_ids: Sequence[int]) -> dict[int, TaskEvent]:
    """What each task told last."""
    if not task_ids:
        return {}
    last = select(func.max(TaskEvent.id)).where(TaskEvent.task_id.in_(task_ids)).group_by(TaskEvent.task_id)
    return {event.task_id: event for event in session.scalars(select(TaskEvent).where(TaskEvent.id.in_(last)))}


def _line(session: Session, tasks: Sequence[Task]) -> dict[str, list[InLine]]:
    """What printers have to do, by the key of the printer, in its order."""
    sheet_ids = [int(task.arguments["sheet_id"]) for task in tasks if task.machine.startswith("printer ") and
                 "sheet_id" in task.arguments]  # fmt: skip
    if not sheet_ids:
        return {}
    wanted = select(Sheet.id, Run.id, Run.name, Plate.frame).join(Plate, Plate.id == Sheet.plate_id)
    rows = session.execute(wanted.join(Run, Run.id == Plate.run_id).where(Sheet.id.in_(sheet_ids)))
    named = {sheet: (run, f"{name}, frame {frame}") for sheet, run, name, frame in rows.tuples()}
    line: dict[str, list[InLine]] = {}
    for task in tasks:
        sheet = task.arguments.get("sheet_id")
        if sheet in named and task.machine.startswith("printer "):
            run, name = named[sheet]
            line.setdefault(task.machine, []).append(InLine(task.id, run, name, task.state == TaskState.WAITING))
    return line


def _to_cut(session: Session) -> Counter[int]:
    """Prints that could be laid on each cutter now."""
    rows = session.execute(_TO_CUT).tuples()
    return Counter({number: count for number, count in rows if number is not None})


def _wanting(hands: Sequence[Hand]) -> dict[str, str]:
    """What cutters stopped for, by name."""
    end = " stopped for it"
    return {one.words.removesuffix(end): f"wants: {one.title[0].lower()}{one.title[1:]}" for one in hands
            if one.rank == Rank.TOOL}  # fmt: skip
