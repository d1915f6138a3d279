"""Open jobs by the day they are due: as many of each day as can be taken in at a glance, and how many there are."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from itertools import groupby

from sqlalchemy import Date, Select, bindparam, case, func, select
from sqlalchemy.orm import Session, selectinload

from etiquette.stations.job_pieces import Counted, counted
from etiquette.store.models import Design, Job

LATE, NO_DAY = date.min, date.max
DAYS_AHEAD = 5
MOST_LATE, MOST_TODAY, MOST_A_DAY = 8, 18, 6


@dataclass(frozen=True)
class Day:
    """Open jobs that are late (LATE), due on a day, or without one (NO_DAY): the first of them, and how many."""

    day: date
    count: int
    jobs: list[Job]


@dataclass(frozen=True)
class Board:
    days: list[Day] = field(default_factory=list)
    pieces: dict[int, Counted] = field(default_factory=dict)
    """Of the designs of all jobs that are shown, by their numbers."""

    @property
    def jobs(self) -> list[Job]:
        return [job for day in self.days for job in day.jobs]

    @property
    def open(self) -> int:
        return sum(day.count for day in self.days)


_OPEN = (Job.closed_at.is_(None), ~Job.away)
_COUNTS = select(Job.due, func.count()).where(*_OPEN).group_by(Job.due)


def board(session: Session, today: date) -> Board:
    """What is late, today, the next few days on which anything is due, and what has no day."""
    counts: dict[date, int] = {}
    for due, count in session.execute(_COUNTS).tuples():
        key = NO_DAY if due is None else LATE if due < today else due
        counts[key] = counts.get(key, 0) + count
    ahead = sorted(day for day in counts if today < day < NO_DAY)[:DAYS_AHEAD]
    shown = [day for day in (LATE, today, *ahead, NO_DAY) if day in counts]
    jobs = _first_jobs(session, today, ahead[-1] if ahead else today)
    days = [Day(day, counts[day], jobs.get(day, [])) for day in shown]
    later = sum(counts.values()) - sum(day.count for day in days)
    if later:  # counted with what has no day: both are looked for by name, customer and month
        days = [day for day in days if day.day != NO_DAY]
        days.append(Day(NO_DAY, counts.get(NO_DAY, 0) + later, jobs.get(NO_DAY, [])))
    return Board(days, counted(session, [design.id for day in days for job in day.jobs for design in job.designs]))


def _firsts() -> Select[Job]:
    """The first jobs of each day up to `last`; of those that are late, the latest day first, which is nearest."""
    today, last = bindparam("today", type_=Date), bindparam("last", type_=Date)
    bucket = case((Job.due.is_(None), NO_DAY), (Job.due < today, LATE), else_=Job.due)
    place = func.row_number().over(partition_by=bucket, order_by=(case((Job.due < today, Job.due)).desc(), Job.id))
    most = case((Job.due < today, MOST_LATE), (Job.due == today, MOST_TODAY), else_=MOST_A_DAY)
    open_jobs = select(Job.id, place.label("place"), most.label("most"))
    first = open_jobs.where(*_OPEN, Job.due.is_(None) | (Job.due <= last)).subquery()
    designs = selectinload(Job.designs).load_only(Design.name, Design.is_ready, Design.due_count, raiseload=True)
    wanted = select(Job).join(first, first.c.id == Job.id).where(first.c.place <= first.c.most).options(designs)
    return wanted.order_by(case((Job.due < today, Job.due)).desc(), Job.id)


_FIRST_JOBS = _firsts()  # put together once


def _first_jobs(session: Session, today: date, last: date) -> dict[date, list[Job]]:
    ordered: Sequence[Job] = session.scalars(_FIRST_JOBS, {"today": today, "last": last}).all()

    def day_of(job: Job) -> date:
        return NO_DAY if job.due is None else LATE if job.due < today else job.due

    return {day: list(jobs) for day, jobs in groupby(sorted(ordered, key=day_of), key=day_of)}
