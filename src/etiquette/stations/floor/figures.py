"""What the Floor says in figures: today, the week, rolls running low, and the line under each station's name."""

import hashlib
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import ColumnElement, Select, case, func, select, text
from sqlalchemy.orm import Session

from etiquette.stations.clock import Clock
from etiquette.stations.clock import days as days_before
from etiquette.stations.job_pieces import GETS_FILM
from etiquette.store.models import BenchEntry, Design, Job, Plate, Roll, RollEntry, Run, Sheet, Stock
from etiquette.store.states import RunState, SheetState

DAYS_OF_WEEK = 7
LOW_SHARE = 0.12
"""Of a whole roll: what is less is said to run low."""


@dataclass(frozen=True)
class DayUsed:
    """What was taken off rolls on a day, and how much of it was spoiled, mm."""

    day: date
    used_mm: float
    spoiled_mm: float


def week(session: Session, clock: Clock, today: date) -> list[DayUsed]:
    """The last seven days, today last: by the ledger of the rolls, with what was counted spoiled of the cut."""
    days = days_before(today, DAYS_OF_WEEK)
    first = clock.begin(days[0])
    day = clock.grouped(RollEntry.at, days)
    printed = RollEntry.reference.like("sheet %") & (RollEntry.length_mm < 0)
    spoiled = func.sum(case((RollEntry.reason.like("spoiled:%"), -RollEntry.length_mm), else_=0.0))
    taken = select(day, func.sum(-RollEntry.length_mm), spoiled).where(printed, RollEntry.at >= first)
    used = {one: (float(all_mm), float(lost)) for one, all_mm, lost in session.execute(taken.group_by(day))}
    of_cut = clock.grouped(Sheet.printed_at, days)
    share = Plate.length_mm * (Sheet.pieces - Sheet.good) / func.nullif(Sheet.pieces, 0)
    counted = select(of_cut, func.sum(share)).join(Plate, Plate.id == Sheet.plate_id)
    counted = counted.where(Sheet.printed_at >= first, Sheet.good.is_not(None)).group_by(of_cut)
    lost = {one: float(mm or 0.0) for one, mm in session.execute(counted)}
    return [DayUsed(one, *_with(used.get(one, (0.0, 0.0)), lost.get(one, 0.0))) for one in days]


def _with(used: tuple[float, float], lost: float) -> tuple[float, float]:
    return used[0], min(used[0], used[1] + lost)


def good_since(session: Session, begin: datetime) -> int:
    """Pieces of the sheets that were at the Bench since, that are cut and good, and of those that were only printed."""
    at_bench = select(BenchEntry.sheet_id).where(BenchEntry.at >= begin).distinct()
    cut = Sheet.id.in_(at_bench) & (Sheet.state == SheetState.CUT)
    printed = (Sheet.state == SheetState.DONE) & (Sheet.printed_at >= begin)
    wanted = select(func.sum(Sheet.good)).where(cut | printed)
    return int(session.scalar(wanted) or 0)


@dataclass(frozen=True)
class Low:
    name: str
    left_mm: float
    length_mm: float


_FULLEST = select(func.max(Roll.remaining_mm)).where(Roll.stock_id == Stock.id, ~Roll.away)
_LOW = (
    select(Roll.name, Roll.remaining_mm, Roll.length_mm)
    .join(Stock)
    .where(~Roll.away, ~Stock.away, Roll.remaining_mm < Roll.length_mm * LOW_SHARE)
    .where(Roll.remaining_mm >= _FULLEST.correlate(Stock).scalar_subquery())
    .order_by(Roll.remaining_mm / Roll.length_mm)
    .limit(12)
)


def running_low(session: Session) -> list[Low]:
    """Rolls that are nearly used up while no fuller one of their stock is on hand."""
    return [Low(*row) for row in session.execute(_LOW).tuples()]


@dataclass(frozen=True)
class Live:
    """The line under the name of each station."""

    open: int
    to_check: int
    planned: int
    printing: int
    to_cut: int
    rolls: int


def _live() -> Select[*tuple[int, ...]]:
    S = SheetState
    cuttable = (Sheet.state == S.LAMINATED) | ((Sheet.state == S.PRINTED) & ~GETS_FILM)
    to_cut = select(func.count()).select_from(Sheet).join(Plate, Plate.id == Sheet.plate_id)
    to_cut = to_cut.join(Run, Run.id == Plate.run_id).outerjoin(Stock, Stock.id == Run.stock_id)
    lines = (
        select(func.count())
        .select_from(Job)
        .join(Design)
        .where(Job.closed_at.is_(None), ~Job.away, Design.is_ready.is_not(True), ~Design.away)
    )
    figures: dict[str, ColumnElement[int]] = {
        "open": select(func.count()).where(Job.closed_at.is_(None), ~Job.away).scalar_subquery(),
        "to_check": lines.scalar_subquery(),
        "planned": select(func.count()).where(Run.state == RunState.PLANNED, ~Run.away).scalar_subquery(),
        "printing": select(func.count()).where(Sheet.state == S.PRINTING).scalar_subquery(),
        "to_cut": to_cut.where(cuttable | Sheet.state.in_((S.LOADED, S.READ)), Run.cutter_id.is_not(None))
        .scalar_subquery(),
        "rolls": select(func.count()).where(~Roll.away).scalar_subquery(),
    }  # fmt: skip
    return select(*(one.label(name) for name, one in figures.items()))


_LIVE = _live()  # put together once, in one statement: every page asks for it every few seconds


def live(session: Session) -> Live:
    return Live(**session.execute(_LIVE).one()._mapping)


PULSE = text("""
    SELECT SUM(CRC32(CONCAT(table_name, update_time))), MAX(IF(update_time >= NOW() - INTERVAL 1 SECOND, NOW(), NULL))
    FROM information_schema.tables WHERE table_schema = DATABASE()
""")
"""The database notes to the second when a table was changed: within that second it may change once more, so the moment
itself counts until the second is over."""


def pulse(session: Session, *more: object) -> str:
    """Changes whenever anything in the database does: a page asks for this small thing again and again, and for all the
    rest only when it is another one."""
    seen = tuple(session.execute(PULSE).one())
    return hashlib.sha256(repr((seen, more)).encode()).hexdigest()[:16]
