"""What nothing needs any more goes by itself, after a time in which it may be wanted again: lines found for settings
that no design has, plates of runs that were changed before anything was printed, art that was replaced and tables that
were read another way once no undo leads back to them, work that ended long ago, the oldest edits, and then the files
that no row names. Nothing that was printed, cut, counted, shown to a customer or handed over is among it."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import islice
from typing import Any, TypeVar

from sqlalchemy import Text, delete, exists, func, select, type_coerce, update
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations import designs, edits, runs
from etiquette.stations.plate_sets import plate_key
from etiquette.stations.shop import Shop
from etiquette.store.database import FILES_LOCK
from etiquette.store.models import (
    Art,
    Blob,
    DataTable,
    Design,
    Edit,
    LineResult,
    Machine,
    Plate,
    Run,
    Setting,
    Sheet,
    Task,
    TaskEvent,
    now,
)
from etiquette.store.naming import NAMES_OF_ART, is_named, named_files
from etiquette.store.states import ENDED

T = TypeVar("T")
GRACE = timedelta(days=30)
"""So long a row stays that nothing needs."""
FILES_GRACE = timedelta(days=7)
"""And a file that no row needs. Events of work that ended stay as long."""
TASKS_STAY = timedelta(days=90)
STRAY = timedelta(hours=1)
"""A file on the disk without a row for so long was being kept when something was cut off."""
AT_A_TIME = 200
LOCK_SECONDS = 600.0
LAST = "collected last"


@dataclass
class Collected:
    """How much of each went, or would go."""

    lines: int = 0
    plates: int = 0
    art: int = 0
    tables: int = 0
    edits: int = 0
    events: int = 0
    tasks: int = 0
    files: int = 0
    bytes: int = 0


def collect(shop: Shop, at: datetime | None = None, dry: bool = False) -> Collected:
    """Note what is needed by nothing now, and take away what was so for long enough. `dry`: change nothing, and say
    what would go if it were done now. Raises JobError when the shop's files are held for too long."""
    moment, told = at or now(), Collected()
    with shop.database.lock(FILES_LOCK, LOCK_SECONDS) as held:
        if not held:
            raise JobError("A copy is being made just now.", "files", "Try again in a few minutes.")
        for kind, unneeded in ((LineResult, _unneeded_lines(shop)), (Plate, _unneeded_plates(shop))):
            gone = _noted(shop, kind, unneeded, moment, dry)
            setattr(told, "lines" if kind is LineResult else "plates", len(gone))
        within = shop.database.within
        told.edits = within(lambda session: _old_edits(session, dry))
        told.art = within(lambda session: _unreached(session, Art, _of_art(session), moment, dry))
        told.tables = within(lambda session: _unreached(session, DataTable, _of_tables(session), moment, dry))
        told.events, told.tasks = within(lambda session: _ended_work(session, moment, dry))
        told.files, told.bytes = _files(shop, moment, dry)
    return told


@dataclass(frozen=True)
class Last:
    """Of the last time: when, how many files went, and their bytes."""

    at: datetime
    files: int
    bytes: int


def note(session: Session, gone: Collected) -> None:
    session.merge(Setting(name=LAST, value=f"{now().isoformat()} {gone.files} {gone.bytes}"))


def last_of(session: Session) -> Last | None:
    held = session.get(Setting, LAST)
    if held is None:
        return None
    at, files, size = held.value.split()
    return Last(datetime.fromisoformat(at), int(files), int(size))


# --- rows that are made again when they are wanted


def _unneeded_lines(shop: Shop) -> set[str]:
    """Keys of lines that no design is as they were made for. One that cannot be read keeps all that are there: which
    are its own nobody knows."""
    there, numbers = shop.database.within(
        lambda session: (set(session.scalars(select(LineResult.key))), session.scalars(select(Design.id)).all())
    )
    for some in _parts(numbers):
        try:
            there -= shop.database.within(lambda session, some=some: _lines_of(session, some))  # type: ignore[misc]
        except JobError:
            return set()
    return there


def _lines_of(session: Session, numbers: Sequence[int]) -> set[str]:
    left = session.scalars(select(Design.id).where(Design.id.in_(numbers))).all()
    return {state.lines_key for state in designs.states_of(session, left).values() if state.lines_key}


def _unneeded_plates(shop: Shop) -> set[int]:
    """Plates of which nothing was printed, and that their run as it is now would not be printed from. Those of a run
    that cannot be read stay."""
    of_runs = defaultdict[int, dict[str, int]](dict)
    for plate, run, key in shop.database.within(lambda session: session.execute(_unprinted()).tuples().all()):
        of_runs[run][key] = plate
    found: set[int] = set()
    for run, plates in of_runs.items():
        try:
            wanted = shop.database.within(lambda session, run=run: _keys_of(shop, session, run))  # type: ignore[misc]
        except JobError:
            continue
        found |= {plate for key, plate in plates.items() if key not in wanted}
    return found


def _unprinted() -> Any:
    working = exists().where(Task.state.not_in(ENDED), func.json_value(Task.arguments, "$.run_id") == Plate.run_id)
    printed = exists().where(Sheet.plate_id == Plate.id)
    return select(Plate.id, Plate.run_id, Plate.key).where(~printed, ~working, Plate.cleared_at.is_(None))


def _keys_of(shop: Shop, session: Session, run: int) -> set[str]:
    state = runs.state_of(shop, session, run)
    return {plate_key(state, frame) for frame in range(len(state.plans))}


def _noted(
    shop: Shop, kind: type[LineResult] | type[Plate], unneeded: Collection[Any], moment: datetime, dry: bool
) -> list[Any]:
    """Those of `unneeded` that were so for long enough; they are gone then, and the others are noted."""
    (key,) = kind.__table__.primary_key  # type: ignore[attr-defined]
    since = kind.__table__.c.unneeded_since
    noted = select(key, since).where(since.is_not(None))
    held = dict(shop.database.within(lambda session: session.execute(noted).tuples().all()))
    gone = [one for one, at in held.items() if one in unneeded and at <= moment - GRACE]
    if not dry:
        for some in _parts(held.keys() - unneeded):
            _set(shop, update(kind).where(key.in_(some)).values(unneeded_since=None))
        for some in _parts(unneeded - held.keys()):
            _set(shop, update(kind).where(key.in_(some)).values(unneeded_since=moment))
        for some in _parts(gone):
            of_nothing = delete(kind).where(key.in_(some), since <= moment - GRACE)
            if kind is Plate:  # printed since it was looked at
                of_nothing = of_nothing.where(~exists().where(Sheet.plate_id == Plate.id))
            _set(shop, of_nothing)
    return gone


def _set(shop: Shop, statement: Any) -> None:
    shop.database.within(lambda session: session.execute(statement.execution_options(synchronize_session=False)))


# --- rows that nothing leads to any more


def _of_art(session: Session) -> set[int]:
    wanted = [func.json_value(Design.document_json, path) for path in NAMES_OF_ART]
    return {int(number) for row in session.execute(select(*wanted)) for number in row if number is not None}


def _of_tables(session: Session) -> set[int]:
    named = session.scalars(select(func.json_value(Design.document_json, "$.rows.table_id")))
    return {int(number) for number in named if number is not None}


def _unreached(
    session: Session, kind: type[Art] | type[DataTable], named: Collection[int], moment: datetime, dry: bool
) -> int:
    """Take away rows that no design names, no run, and no edit that can be undone or done again."""
    old = select(kind.id).where(kind.created_at <= moment - GRACE)
    candidates = (number for number in session.scalars(old.order_by(kind.id)).all() if number not in named)
    gone = list(islice((one for one in candidates if not _is_told_of(session, kind, one)), AT_A_TIME))
    if gone and not dry:
        session.execute(delete(kind).where(kind.id.in_(gone)).execution_options(synchronize_session=False))
    return len(gone)


def _is_told_of(session: Session, kind: type[Art] | type[DataTable], number: int) -> bool:
    """Whether a document or an edit names it anywhere: rather too often than too seldom."""
    names = "(art_id|of|white_art_id|clear_art_id)" if kind is Art else "table_id"
    pattern = f'"{names}": ?{number}[^0-9]'
    told = (Edit.forward, Edit.backward, Design.document_json, Run.document_json)
    return any(session.scalar(select(exists().where(type_coerce(one, Text).regexp_match(pattern)))) for one in told)


# --- what is bounded


def _old_edits(session: Session, dry: bool) -> int:
    """Of each subject the newest edits stay (edits.MOST_EDITS)."""
    counted = select(Edit.subject, Edit.subject_id, func.count()).group_by(Edit.subject, Edit.subject_id)
    over = session.execute(counted.having(func.count() > edits.MOST_EDITS)).tuples().all()
    if not dry:
        for subject, subject_id, _ in over:
            own = select(Edit.id).where(Edit.subject == subject, Edit.subject_id == subject_id)
            first = session.scalar(own.order_by(Edit.id.desc()).offset(edits.MOST_EDITS - 1).limit(1))
            older = delete(Edit).where(Edit.subject == subject, Edit.subject_id == subject_id, Edit.id < first)
            session.execute(older.execution_options(synchronize_session=False))
    return sum(count - edits.MOST_EDITS for *_, count in over)


def _ended_work(session: Session, moment: datetime, dry: bool) -> tuple[int, int]:
    """Events of work that ended, but the last, which says how; and work that ended long ago."""
    last = select(func.max(TaskEvent.id)).group_by(TaskEvent.task_id)
    ended = select(Task.id).where(Task.state.in_(ENDED))
    holding = select(Machine.task_id).where(Machine.task_id.is_not(None))
    old = ended.where(Task.created_at <= moment - TASKS_STAY, Task.id.not_in(holding))
    tasks = session.scalars(old.order_by(Task.id)).all()
    said = select(TaskEvent.id).where(TaskEvent.task_id.in_(ended), TaskEvent.at <= moment - FILES_GRACE)
    events = session.scalars(said.where(TaskEvent.id.not_in(last)).order_by(TaskEvent.id)).all()
    if not dry:
        for some in _parts(events):
            session.execute(delete(TaskEvent).where(TaskEvent.id.in_(some)))
        for some in _parts(tasks):
            session.execute(delete(TaskEvent).where(TaskEvent.task_id.in_(some)))
            session.execute(delete(Task).where(Task.id.in_(some)))
    return len(events), len(tasks)


# --- files


def _files(shop: Shop, moment: datetime, dry: bool) -> tuple[int, int]:
    """Files that no row needs: how many, and their bytes."""
    rows = select(Blob.sha256, Blob.unneeded_since, Blob.size)
    known, needed = shop.database.within(
        lambda session: ({sha: (since, size) for sha, since, size in session.execute(rows)}, named_files(session))
    )
    if not dry:
        _adopt_strays(shop, known, moment)
        for sha in known.keys() - needed:
            if known[sha][0] is None:
                _set(shop, update(Blob).where(Blob.sha256 == sha).values(unneeded_since=moment))
        for some in _parts(sha for sha in needed if sha in known and known[sha][0]):
            _set(shop, update(Blob).where(Blob.sha256.in_(some)).values(unneeded_since=None))
    gone = [
        (sha, size)
        for sha, (since, size) in known.items()
        if since is not None and since <= moment - FILES_GRACE and sha not in needed and shop.blobs.has(sha)
    ]
    if dry:
        return len(gone), sum(size for _, size in gone)
    freed = [shop.database.within(lambda session, sha=sha: _drop(shop, session, sha, moment)) for sha, _ in gone]  # type: ignore[misc]
    return sum(one is not None for one in freed), sum(one or 0 for one in freed)


def _adopt_strays(shop: Shop, known: Collection[str], moment: datetime) -> None:
    """Files whose row was never written get one: all that goes, goes under the lock of its row."""
    for file in shop.blobs.lying():
        if file.sha256 in known:
            continue
        if datetime.fromtimestamp(file.written, UTC).replace(tzinfo=None) > now() - STRAY:
            continue  # its row may be on the way
        row = {"sha256": file.sha256, "size": file.size, "media_type": "application/octet-stream"}
        shop.database.within(lambda session, row=row: session.merge(Blob(**row, unneeded_since=moment)))  # type: ignore[misc]


def _drop(shop: Shop, session: Session, sha: str, moment: datetime) -> int | None:
    """Remove the file and its row, both or none; of work that was cleared the row stays. None: it is needed again."""
    row = session.scalar(select(Blob).where(Blob.sha256 == sha).with_for_update())
    if row is None or row.unneeded_since is None or row.unneeded_since > moment - FILES_GRACE:
        return None
    if is_named(session, sha):
        row.unneeded_since = None
        return None
    if not is_named(session, sha, cleared=True):
        session.delete(row)
        session.flush()  # a row that names it since refuses this, before the file is gone
    return shop.blobs.drop(sha)


def _parts(those: Iterable[T]) -> Iterator[Sequence[T]]:
    """So many at a time: no statement names thousands, and no lock is held for long."""
    held = list(those)
    for at in range(0, len(held), AT_A_TIME):
        yield held[at : at + AT_A_TIME]
