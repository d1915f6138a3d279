"""Jobs: made, renamed, given a customer and a day; designs moved between them."""

from datetime import date
from typing import Any

from sqlalchemy import case, select
from sqlalchemy.orm import Session, selectinload

from etiquette.core.errors import NotThere
from etiquette.stations.clock import today
from etiquette.stations.designs import WALK_IN
from etiquette.stations.edits import Stale
from etiquette.store.models import Design, Job, Laminator, Stock

JOBS_SHOWN = 60


def job_there(session: Session, job_id: int) -> Job:
    """With its designs, but for their documents: there may be thousands. Raises NotThere."""
    designs = selectinload(Job.designs).load_only(Design.name, Design.due_count, Design.is_ready, raiseload=True)
    wanted = select(Job).where(Job.id == job_id).options(designs)
    job = session.scalar(wanted.with_for_update(of=Job))
    if job is None:
        raise NotThere("There is no such job.", f"job {job_id}", "Go back to the Floor and choose one that is there.")
    return job


def add(session: Session, name: str, customer: str, due: date | None) -> int:
    job = Job(name=name.strip(), customer=customer.strip() or WALK_IN, due=due)
    session.add(job)
    session.flush()
    return job.id


def change(session: Session, job_id: int, version: int, changes: dict[str, Any]) -> None:
    """Set some of name, customer, due, notes, stock, film and spares. Raises NotThere, Stale."""
    job = job_there(session, job_id)
    if job.version != version:
        raise Stale("job", job_id, job.version)
    stock_id = changes.get("stock_id")
    if stock_id is not None and session.get(Stock, stock_id) is None:
        raise NotThere("There is no such stock.", f"stock {stock_id}", "Choose one that stands on the Shelf.")
    laminator_id = changes.get("laminator_id")
    if laminator_id is not None and session.get(Laminator, laminator_id) is None:
        where = f"laminator {laminator_id}"
        raise NotThere("There is no such laminator.", where, "Choose one that stands on the Shelf.")
    for name, value in changes.items():
        setattr(job, name, value.strip() if isinstance(value, str) else value)
    job.customer = job.customer or WALK_IN


def move_here(session: Session, job_id: int, design_id: int) -> None:
    """A design becomes one of this job. What its customer means by words of two meanings is asked of the new one.
    Raises NotThere."""
    job = job_there(session, job_id)
    design = session.get(Design, design_id, with_for_update=True)
    if design is None:
        raise NotThere("There is no such design.", f"design {design_id}", "Choose one that is there.")
    design.job_id = job.id


def found(session: Session, text: str, month: str | None, skip: int) -> tuple[list[Job], bool]:
    """Jobs whose name or customer holds `text`, due in `month` (YYYY-MM): those of today and later, the soonest first,
    those without a day, then the past, the latest first; what is put away only if a text or a month is given; and
    whether there are more after JOBS_SHOWN of them."""
    wanted = select(Job).options(selectinload(Job.designs).load_only(Design.name, raiseload=True))
    words = text.split()
    for word in words:
        wanted = wanted.where(Job.name.contains(word, autoescape=True) | Job.customer.contains(word, autoescape=True))
    if not (words or month):
        wanted = wanted.where(~Job.away)
    if month:
        first = date.fromisoformat(f"{month}-01")
        after = date(first.year + first.month // 12, first.month % 12 + 1, 1)
        wanted = wanted.where(Job.due >= first, Job.due < after)
    day = today(session)
    to_come = case((Job.due >= day, 0), (Job.due.is_(None), 1), else_=2)
    ordered = wanted.order_by(to_come, case((Job.due >= day, Job.due)), Job.due.desc(), Job.id.desc())
    jobs = list(session.scalars(ordered.offset(skip).limit(JOBS_SHOWN + 1)))
    return jobs[:JOBS_SHOWN], len(jobs) > JOBS_SHOWN
