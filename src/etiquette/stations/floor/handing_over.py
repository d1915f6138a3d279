"""Good pieces leave the shop: all at once or in parts, each part on a slip of its own."""

from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from etiquette.core.errors import JobError, NotThere
from etiquette.stations.edits import Stale
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.job_pieces import counted
from etiquette.store.models import Handover, HandoverItem


def hand_over(session: Session, job_id: int, version: int, counts: Mapping[int, int] | None, note: str) -> int:
    """So many good pieces of each design of a job leave the shop, or all that are due (None); returns the number of the
    slip. Raises NotThere, Stale, JobError when more are told than are good and here."""
    job = job_there(session, job_id)
    if job.version != version:  # a second press hands nothing over twice
        raise Stale("job", job_id, job.version)
    pieces = counted(session, [design.id for design in job.designs])
    if counts is None:
        counts = {number: one.pieces.to_hand for number, one in pieces.items()}
    given = {number: count for number, count in counts.items() if count}
    if not given:
        raise JobError("Nothing is handed over.", job.name, "Say how many pieces of which design.")
    for number, count in given.items():
        if number not in pieces:
            raise NotThere("This design is not one of the job.", f"design {number}", "Look at the job again.")
        here = pieces[number].pieces.good - pieces[number].pieces.handed
        if count > here:
            name = next(design.name for design in job.designs if design.id == number) or "a design"
            raise JobError(
                f"{count} pieces of {name} cannot be handed over: {max(here, 0)} are good and here.",
                job.name,
                "Count what is cut at the Bench first, or hand over fewer.",
            )
    made = Handover(job_id=job.id, note=note.strip())
    made.items = [HandoverItem(design_id=number, count=count) for number, count in given.items()]
    session.add(made)
    job.version += 1
    session.flush()
    return made.id


def take_back(session: Session, job_id: int, handover_id: int) -> None:
    """A slip was written by mistake, or the customer has brought the pieces back. Raises NotThere."""
    made = session.get(Handover, handover_id)
    if made is None or made.job_id != job_id:
        raise NotThere("There is no such slip.", f"slip {handover_id}", "Look at the job again.")
    session.delete(made)


def handovers_of(session: Session, job_id: int) -> list[Handover]:
    """The newest first, with what was handed over."""
    wanted = select(Handover).where(Handover.job_id == job_id).options(selectinload(Handover.items))
    return list(session.scalars(wanted.order_by(Handover.id.desc())))
