"""Pieces that were spoiled and have to be made again: they join the next run on their stock, or get one of their own at
once where their job is late."""

from collections.abc import Collection, Mapping, Sequence
from datetime import date, datetime, timedelta
from itertools import groupby

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.runs import RunItem
from etiquette.stations import edits, run_edits
from etiquette.stations.clock import clock_of
from etiquette.stations.job_pieces import counted
from etiquette.stations.sheet_log import noted
from etiquette.store.models import Design, Job, Plate, PlateItem, Run, Sheet, now
from etiquette.store.models import RunItem as Planned
from etiquette.store.states import SheetState

REST = timedelta(minutes=10)
"""So long nothing more is marked as spoiled on the sheets of a run before a run of what is begins by itself: pieces are
marked one by one."""
LIKE_BEFORE = ("stock_id", "roll_id", "printer_id", "laminator_id", "cutter_id", "mark_set_id", "gap_mm",
               "print_mode_id", "standard")  # fmt: skip
MOST = 40
"""Designs that join a run at once: what would be more is a run of its own."""


def waiting(session: Session, stock_id: int | None, but: Collection[int] = ()) -> dict[int, int]:
    """Pieces by design, of open jobs, that were printed on this stock last, spoiled, and are in no run since: beyond
    what spares make up for. `but`: designs that are left out."""
    newest = (
        select(Run.stock_id).join(Planned, Planned.run_id == Run.id).where(Planned.design_id == Design.id)
        .order_by(Run.id.desc()).limit(1).correlate(Design).scalar_subquery()
    )  # fmt: skip
    spoiled = (
        select(Design.id).join(Job).join(PlateItem, PlateItem.design_id == Design.id)
        .join(Plate, Plate.id == PlateItem.plate_id).join(Sheet, Sheet.plate_id == Plate.id)
        .where(Sheet.good < Sheet.pieces, Job.closed_at.is_(None), ~Job.away, ~Design.away, Design.is_ready.is_(True))
        .where(func.coalesce(Job.stock_id, newest) == stock_id)
        .distinct().order_by(Design.id).limit(MOST)
    )  # fmt: skip
    ids = [number for number in session.scalars(spoiled) if number not in but]
    found = counted(session, ids)
    return {number: one.pieces.missing for number, one in found.items() if one.pieces.spoiled and one.pieces.missing}


def join(session: Session, run_id: int) -> list[str]:
    """What waits to be made again on the stock of a new run goes into it, as one edit that can be undone; returns it
    in words. Raises NotThere."""
    run = edits.locked(session, "run", run_id)
    document = run.document
    if document.laying != "nest" or document.way == "only":
        return []
    again = waiting(session, document.stock_id, {item.design_id for item in document.items})
    if not again:
        return []
    items = [*document.items, *(RunItem(design_id=number, count=count) for number, count in again.items())]
    changes = {"items": [item.model_dump() for item in items]}
    edits.apply(session, "run", run_id, None, "with what was spoiled", changes)
    named = select(Design.id, Design.name, Job.name).join(Job).where(Design.id.in_(again)).order_by(Design.id)
    return [f"{again[number]} {name} of {job} again" for number, name, job in session.execute(named).tuples()]


def spoiled_now(sheet: Sheet) -> None:
    """Somebody has counted a cut sheet: what is spoiled on it has its time from now on."""
    sheet.remake_at = now() + REST if sheet.good is not None and sheet.good < sheet.pieces else None


def run_like(session: Session, old: Run, counts: Mapping[int, int]) -> int:
    """A new run of so many pieces by design, on the stock and the machines of a run before; returns its id."""
    name = f"{old.document.name}, again"[:120]
    made = run_edits.create(session, name, [{"design_id": design, "count": count} for design, count in counts.items()])
    values = {key: getattr(old.document, key) for key in LIKE_BEFORE}
    run_edits.change(session, made, None, "like the run before", values)
    return made


def begin_late(session: Session, at: datetime) -> list[int]:
    """Of what was spoiled, of jobs whose day is over at the moment `at`, a run for each run that it was spoiled in;
    returns them. Each sheet is asked about once: a run that somebody deletes does not come back."""
    day = clock_of(session).day(at)
    late = (
        select(PlateItem.plate_id).join(Design, Design.id == PlateItem.design_id).join(Job, Job.id == Design.job_id)
        .where(Job.due < day, Job.closed_at.is_(None), ~Job.away, ~Design.away)
    )  # fmt: skip
    wanted = (
        select(Sheet, Plate.run_id).join(Plate, Plate.id == Sheet.plate_id)
        .where(Sheet.remake_at <= at, Sheet.state == SheetState.CUT, Sheet.plate_id.in_(late))
        .order_by(Plate.run_id, Sheet.id).with_for_update(of=Sheet)
    )  # fmt: skip
    made = []
    for run_id, rows in groupby(session.execute(wanted).tuples(), key=lambda row: row[1]):
        if not _still_marked(session, run_id, at):
            made += _begin(session, session.get_one(Run, run_id), [sheet for sheet, _ in rows], day)
    return made


def _still_marked(session: Session, run_id: int, at: datetime) -> bool:
    """Whether pieces of a run are being marked."""
    newest = select(func.max(Sheet.remake_at)).join(Plate, Plate.id == Sheet.plate_id).where(Plate.run_id == run_id)
    last = session.scalar(newest)
    return last is not None and last > at


def _begin(session: Session, run: Run, sheets: Sequence[Sheet], day: date) -> list[int]:
    for sheet in sheets:
        sheet.remake_at = None
    document = run.document
    if document.laying != "nest" or document.way == "only" or sheets[0].plate.summary.plan.own_marks:
        return []  # which pages or blanks these are is for a person to say
    on_them = select(PlateItem.design_id).where(PlateItem.plate_id.in_({sheet.plate_id for sheet in sheets}))
    of_late = select(Design.id).join(Job).where(Design.id.in_(on_them), Job.due < day, Job.closed_at.is_(None))
    ids = [number for number in session.scalars(of_late.order_by(Design.id)) if number not in document.filled]
    found = {number: one.pieces for number, one in counted(session, ids).items()}
    counts = {number: min(one.spoiled, one.missing) for number, one in found.items() if one.spoiled and one.missing > 0}
    if not counts:
        return []
    try:
        with session.begin_nested():
            made = run_like(session, run, counts)
    except JobError as error:
        noted(
            session, sheets[0].id, "stop", f"What is spoiled is late and was not begun again. {error.what} {error.do}"
        )
        return []
    for sheet in sheets:
        sheet.remade_run_id = made
        noted(session, sheet.id, "look", f"{sheet.name}: what is spoiled is made again at once, its job is late.")
    return [made]
