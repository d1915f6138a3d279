"""The next design of a job whose line nobody has looked at."""

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.stations.designs import state_of
from etiquette.store.models import Design


@dataclass(frozen=True)
class Waits:
    """`waiting`: how many designs of the job, this one apart, nobody has looked at; the next of them by its number and
    name, and whether its line is still to be found."""

    waiting: int
    id: int | None = None
    name: str = ""
    lineless: bool = False


def next_of_job(session: Session, design_id: int) -> Waits:
    """After the design, then from the first of its job on. Raises NotThere."""
    own = state_of(session, design_id).design
    others = (Design.job_id == own.job_id, Design.id != own.id, Design.is_ready.is_not(True), ~Design.away)
    count = session.scalar(select(func.count()).where(*others)) or 0
    found = session.scalar(select(Design.id).where(*others).order_by(Design.id < own.id, Design.id).limit(1))
    if found is None:
        return Waits(0)
    state = state_of(session, found)
    lineless = state.document.width_mm is not None and state.lines_key is not None and state.lines is None
    return Waits(count, found, state.document.name, lineless)
