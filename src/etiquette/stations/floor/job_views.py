"""What is shown of jobs."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.production.job_progress import Pieces, standing
from etiquette.stations.floor import jobs
from etiquette.stations.floor.job_schemas import (
    DesignOfJob,
    JobListed,
    JobNamed,
    JobShown,
    JobsShown,
    PiecesShown,
    RunOfJob,
)
from etiquette.stations.job_pieces import Counted, counted, runs_of
from etiquette.store.models import Design, Job, Run

PICTURES = 3
OTHERS = 12


def jobs_shown(session: Session, text: str, month: str | None, skip: int) -> JobsShown:
    rows, more = jobs.found(session, text, month, skip)
    pieces = counted(session, [design for job in rows for design in job.designs])
    return JobsShown(jobs=[JobListed(**_listed(job, pieces)) for job in rows], more=more)


def job_shown(session: Session, job_id: int) -> JobShown:
    """Raises NotThere."""
    job = jobs.job_there(session, job_id)
    pieces = counted(session, job.designs)
    runs = runs_of(session, [design.id for design in job.designs])
    return JobShown(
        **_listed(job, pieces),
        version=job.version,
        notes=job.notes,
        parts=[_part(design, pieces[design.id], runs[design.id]) for design in job.designs],
        others=_others(session, job),
    )


def _listed(job: Job, pieces: Mapping[int, Counted]) -> dict[str, Any]:
    own = [pieces[design.id] for design in job.designs]
    whole = sum((one.pieces for one in own), Pieces())
    said = standing([one.pieces for one in own], sum(one.uncounted for one in own))
    return {
        "id": job.id,
        "name": job.name,
        "customer": job.customer,
        "due": job.due,
        "words": said.words,
        "tone": said.tone,
        "done": said.done,
        "pieces": PiecesShown(**asdict(whole)),
        "steps": whole.shares(),
        "designs": [design.id for design in job.designs[:PICTURES]],
    }


def _part(design: Design, counted: Counted, runs: Sequence[Run]) -> DesignOfJob:
    held = design.document_json  # also of a design that another version has written
    return DesignOfJob(
        id=design.id,
        name=str(held.get("name", f"Design {design.id}")),
        width_mm=held.get("width_mm"),
        pieces=PiecesShown(**asdict(counted.pieces)),
        missing=counted.pieces.missing,
        steps=counted.pieces.shares(),
        runs=[RunOfJob(id=run.id, name=_name_of(run), state=run.state) for run in runs],
    )


def _name_of(run: Run) -> str:
    try:
        return run.document.name
    except JobError:
        return f"Run {run.id}"


def _others(session: Session, job: Job) -> list[JobNamed]:
    wanted = select(Job.id, Job.name, Job.customer).where(Job.id != job.id)
    ordered = wanted.order_by((Job.customer == job.customer).desc(), Job.id.desc()).limit(OTHERS)
    return [JobNamed(id=number, name=name, customer=customer) for number, name, customer in session.execute(ordered)]
