"""What happens to finished work is the shop's choice: it is kept, its print files go, or all of it goes but what
records tell. Nothing that is under way, or shared with what is, is ever touched."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal, get_args

from sqlalchemy import ColumnElement, Select, exists, func, or_, select
from sqlalchemy.orm import Session

from etiquette.stations.designs import states_of
from etiquette.stations.shop import Shop
from etiquette.stations.web_uses import used_in_webs
from etiquette.store.database import FILES_LOCK
from etiquette.store.models import (
    Art,
    Blob,
    DataTable,
    Design,
    Job,
    KeptFile,
    LineResult,
    Plate,
    PlateItem,
    RunItem,
    Setting,
    Sheet,
    Task,
    now,
)
from etiquette.store.naming import NAMES_OF_ART, is_named
from etiquette.store.rows import loaded
from etiquette.store.states import SheetState, TaskState

Way = Literal["kept", "without print files", "cleared"]
LEAST_DAYS, MOST_DAYS, FIRST_DAYS = 1, 3650, 90
WAY, DAYS = "finished work", "finished work days"
UNDER_WAY = tuple(set(SheetState) - {SheetState.FAILED, SheetState.CUT, SheetState.DONE})
AT_WORK = (TaskState.WAITING, TaskState.RUNNING)
PDFS = ("pdf_sha", "primer_sha", "white_sha", "clear_sha", "height_sha", "braille_sha")
ART = ("content_sha", "picture_sha", "vectors_sha")
LINES = ("lines_sha", "print_sha", "print_picture_sha", "under_sha", "areas_sha", "white_sha", "clear_sha",
         "specials_sha")  # fmt: skip
TABLES = ("source_sha", "rows_sha")


@dataclass(frozen=True)
class Choice:
    """`days`: so long after all of a job was handed over."""

    way: Way = "kept"
    days: int = FIRST_DAYS


@dataclass(frozen=True)
class Gone:
    """What went, or what would go."""

    jobs: int = 0
    print_files: int = 0
    bytes: int = 0


def choice_of(session: Session) -> Choice:
    held = loaded(session, Setting, (WAY, DAYS))
    way = held[WAY].value if WAY in held else "kept"
    days = int(held[DAYS].value) if DAYS in held else FIRST_DAYS
    return Choice(next((one for one in get_args(Way) if one == way), "kept"), days)


def choose(session: Session, choice: Choice) -> None:
    for name, value in ((WAY, choice.way), (DAYS, str(choice.days))):
        session.merge(Setting(name=name, value=value))


def would_go(session: Session, choice: Choice, at: datetime | None = None) -> Gone:
    """What the choice takes now; of bytes those of print files and art, each file once."""
    if choice.way == "kept":
        return Gone()
    limit = _limit(choice, at)
    plates = list(session.scalars(_plates(limit)))
    rows = list(loaded(session, Plate, plates).values())
    shas = _files(rows, PDFS) | _files((more for row in rows for more in row.more), ("sha",))
    jobs = list(session.scalars(_jobs(session, limit))) if choice.way == "cleared" else []
    for number in jobs:
        job = session.get_one(Job, number)
        shas |= _files(_own_art(session, job), ART) | _files(_kept(session, number), ("content_sha",))
        shas |= _files(_tables(session, number), TABLES)
    size = select(func.coalesce(func.sum(Blob.size), 0)).where(Blob.sha256.in_(shas))
    return Gone(len(jobs), len(plates), int(session.scalar(size) or 0))


def sweep(shop: Shop, at: datetime | None = None) -> Gone:
    """Do what the shop chose, one job and one plate set at a time. A file is removed only when nothing else names it,
    and in the transaction that says so."""
    choice = shop.database.within(choice_of)
    if choice.way == "kept":
        return Gone()
    with shop.database.lock(FILES_LOCK, 0) as held:
        return _swept(shop, choice, at) if held else Gone()  # a copy is being made: the next time


def _swept(shop: Shop, choice: Choice, at: datetime | None) -> Gone:
    limit, gone = _limit(choice, at), Gone()
    for number in shop.database.within(lambda session: session.scalars(_plates(limit)).all()):
        freed = shop.database.within(lambda session, number=number: _clear_plate(shop, session, number, limit))  # type: ignore[misc]
        gone = Gone(gone.jobs, gone.print_files + 1, gone.bytes + freed)
    if choice.way == "cleared":
        for number in shop.database.within(lambda session: session.scalars(_jobs(session, limit)).all()):
            freed = shop.database.within(lambda session, number=number: _clear_job(shop, session, number, limit))  # type: ignore[misc]
            gone = Gone(gone.jobs + 1, gone.print_files, gone.bytes + freed)
    return gone


def _limit(choice: Choice, at: datetime | None) -> datetime:
    return (at or now()) - timedelta(days=choice.days)


# --- what may go


def _open(limit: datetime) -> ColumnElement[bool]:
    """A job that is not finished for long enough."""
    return or_(Job.closed_at.is_(None), Job.closed_at > limit)


def _plates(limit: datetime) -> Select[int]:
    """Plate sets all of whose pieces are of finished jobs, and with no print under way."""
    of_run = select(RunItem.run_id).join(Design, Design.id == RunItem.design_id).join(Job).where(_open(limit))
    printed = select(PlateItem.plate_id).join(Design, Design.id == PlateItem.design_id).join(Job).where(_open(limit))
    return (
        select(Plate.id)
        .where(Plate.cleared_at.is_(None), Plate.run_id.in_(select(RunItem.run_id)))
        .where(Plate.run_id.not_in(of_run), Plate.id.not_in(printed), Plate.id.not_in(_at_the_bench()))
        .where(~exists().where(Task.state.in_(AT_WORK), func.json_value(Task.arguments, "$.run_id") == Plate.run_id))
        .order_by(Plate.id)
    )


def _at_the_bench() -> Select[int]:
    """Plate sets with a print that is somewhere between the printer and the count of what was good."""
    uncounted = (Sheet.state == SheetState.CUT) & Sheet.good.is_(None)
    return select(Sheet.plate_id).where(Sheet.state.in_(UNDER_WAY) | uncounted)


def _jobs(session: Session, limit: datetime) -> Select[int]:
    """Finished jobs none of whose pieces are on a print under way, or in a run with pieces of jobs that are open; and
    whose art stands in no label web, which is never finished."""
    in_webs = select(Design.job_id).where(Design.id.in_(list(used_in_webs(session))))
    at_the_bench = (
        select(Design.job_id).join(PlateItem, PlateItem.design_id == Design.id)
        .where(PlateItem.plate_id.in_(_at_the_bench()))
    )  # fmt: skip
    shared = select(RunItem.run_id).join(Design, Design.id == RunItem.design_id).join(Job).where(_open(limit))
    with_others = select(Design.job_id).join(RunItem, RunItem.design_id == Design.id).where(RunItem.run_id.in_(shared))
    at_work = (
        select(Design.job_id)
        .join(Task, func.json_value(Task.arguments, "$.design_id") == Design.id)
        .where(Task.state.in_(AT_WORK))
    )
    return (
        select(Job.id)
        .where(~_open(limit), Job.cleared_at.is_(None), Job.id.not_in(at_the_bench))
        .where(Job.id.not_in(with_others), Job.id.not_in(at_work), Job.id.not_in(in_webs))
        .order_by(Job.id)
    )


# --- how it goes


def _clear_plate(shop: Shop, session: Session, number: int, limit: datetime) -> int:
    plate = session.get_one(Plate, number, with_for_update=True)
    shas = _held(session, _files([plate], PDFS) | _files(plate.more, ("sha",)))
    if session.scalar(_plates(limit).where(Plate.id == number)) is None:
        return 0  # somebody began something with it
    plate.cleared_at = now()
    plate.more = []  # these rows name nothing but files
    session.flush()
    return _drop(shop, session, shas)


def _clear_job(shop: Shop, session: Session, number: int, limit: datetime) -> int:
    job = session.get_one(Job, number, with_for_update=True)
    if session.scalar(_jobs(session, limit).where(Job.id == number)) is None:
        return 0
    kept, art, tables = _kept(session, number), _own_art(session, job), _tables(session, number)
    keys = [state.lines_key for state in states_of(session, [design.id for design in job.designs]).values()]
    lines = list(loaded(session, LineResult, keys).values()) if art else []
    shas = _held(
        session, _files(art, ART) | _files(lines, LINES) | _files(kept, ("content_sha",)) | _files(tables, TABLES)
    )
    for row in art:
        row.cleared_at = now()
    for gone in (*lines, *kept, *tables):
        session.delete(gone)
    job.cleared_at, job.away = now(), True
    session.flush()
    return _drop(shop, session, shas)


def _kept(session: Session, job_id: int) -> Sequence[KeptFile]:
    return session.scalars(select(KeptFile).where(KeptFile.job_id == job_id)).all()


def _tables(session: Session, job_id: int) -> Sequence[DataTable]:
    """Tables of rows that came for this job or that its designs are filled from, but those that designs of other jobs
    are filled from."""
    named = func.json_value(Design.document_json, "$.rows.table_id")
    others = select(named).join(Job).where(Design.job_id != job_id, Job.cleared_at.is_(None), named.is_not(None))
    own = select(named).where(Design.job_id == job_id, named.is_not(None))
    used, wanted = ({int(number) for number in session.scalars(asked)} for asked in (others, own))
    wanted |= set(session.scalars(select(DataTable.id).where(DataTable.job_id == job_id)))
    return list(loaded(session, DataTable, wanted - used).values())


def _own_art(session: Session, job: Job) -> list[Art]:
    """Art that designs of this job alone are made of."""
    wanted = [func.json_value(Design.document_json, path) for path in NAMES_OF_ART]
    of_job = session.execute(select(*wanted).where(Design.job_id == job.id)).all()
    numbers = {int(number) for row in of_job for number in row if number is not None}
    if not numbers:
        return []
    others = select(*wanted).join(Job).where(Design.job_id != job.id, Job.cleared_at.is_(None))
    asked = others.where(or_(*(column.in_([str(number) for number in numbers]) for column in wanted)))
    numbers -= {int(number) for row in session.execute(asked) for number in row if number is not None}
    return [row for row in loaded(session, Art, numbers).values() if row.cleared_at is None]


def _files(rows: Iterable[Any], names: Sequence[str]) -> set[str]:
    return {sha for row in rows for name in names if (sha := getattr(row, name))}


def _held(session: Session, shas: set[str]) -> list[str]:
    """Their rows are held until the transaction ends: whoever puts the same file meanwhile waits."""
    wanted = select(Blob.sha256).where(Blob.sha256.in_(shas)).order_by(Blob.sha256).with_for_update()
    return list(session.scalars(wanted)) if shas else []


def _drop(shop: Shop, session: Session, shas: Iterable[str]) -> int:
    return sum(shop.blobs.drop(sha) for sha in shas if not is_named(session, sha))
