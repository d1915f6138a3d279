"""What is shown of jobs."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import UTC
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.production.job_progress import Pieces, Yes, standing
from etiquette.stations.floor import jobs
from etiquette.stations.floor.handing_over import handovers_of
from etiquette.stations.floor.job_files import files_of
from etiquette.stations.floor.job_schemas import (
    DesignOfJob,
    FileShown,
    HandedShown,
    HandoverShown,
    JobListed,
    JobNamed,
    JobShown,
    JobsShown,
    Named,
    PiecesShown,
    ProofShown,
    RunOfJob,
)
from etiquette.stations.floor.money_schemas import HandStepAsked
from etiquette.stations.floor.proofs import proofs_of, still_so
from etiquette.stations.job_pieces import Counted, RunNamed, counted, runs_of
from etiquette.store.models import Design, Handover, Job, KeptFile, Laminator, Proof, Stock

PICTURES = 3
YES: dict[str, Yes] = {"": "not asked", "asked": "asked", "given": "given", "changed": "changed"}
OTHERS = 12


def jobs_shown(session: Session, text: str, month: str | None, skip: int) -> JobsShown:
    rows, more = jobs.found(session, text, month, skip)
    pieces = counted(session, [design.id for job in rows for design in job.designs])
    return JobsShown(jobs=[JobListed(**listed(job, pieces)) for job in rows], more=more)


def job_shown(session: Session, job_id: int) -> JobShown:
    """Raises NotThere."""
    job = jobs.job_there(session, job_id)
    pieces = counted(session, [design.id for design in job.designs])
    runs = runs_of(session, [design.id for design in job.designs])
    return JobShown(
        **listed(job, pieces),
        version=job.version,
        cleared_at=job.cleared_at.replace(tzinfo=UTC) if job.cleared_at else None,
        notes=job.notes,
        stock_id=job.stock_id,
        spare_count=job.spare_count,
        spare_percent=job.spare_percent,
        hand_steps=[HandStepAsked(**one) for one in job.hand_steps or ()],
        stocks=_stocks(session, job.stock_id),
        laminator_id=job.laminator_id,
        without_film=job.without_film,
        films=_films(session, job.laminator_id),
        files=[_file(one) for one in files_of(session, job_id)],
        proofs=[_proof(session, job, one) for one in proofs_of(session, job_id)],
        recipe=job.recipe["name"] if job.recipe else None,
        handovers=[_handover(one, job) for one in handovers_of(session, job_id)],
        parts=[_part(design, pieces[design.id], runs[design.id]) for design in job.designs],
        others=_others(session, job),
    )


def listed(job: Job, pieces: Mapping[int, Counted]) -> dict[str, Any]:
    own = [pieces[design.id] for design in job.designs]
    whole = sum((one.pieces for one in own), Pieces())
    said = standing([one.pieces for one in own], sum(one.uncounted for one in own), YES[job.yes])
    return {
        "id": job.id,
        "name": job.name,
        "customer": job.customer,
        "due": job.due,
        "words": said.words,
        "tone": said.tone,
        "done": said.done,
        "away": job.away,
        "pieces": PiecesShown(**asdict(whole)),
        "steps": whole.shares(),
        "designs": [design.id for design in job.designs[:PICTURES]],
    }


def _part(design: Design, counted: Counted, runs: Sequence[RunNamed]) -> DesignOfJob:
    return DesignOfJob(
        id=design.id,
        name=design.name or f"Design {design.id}",
        width_mm=design.document_json.get("width_mm"),
        pieces=PiecesShown(**asdict(counted.pieces)),
        missing=counted.pieces.missing,
        wanted=counted.pieces.wanted,
        to_hand=counted.pieces.to_hand,
        steps=counted.pieces.shares(),
        runs=[RunOfJob(id=run.id, name=run.name, state=run.state) for run in runs],
    )


def _proof(session: Session, job: Job, made: Proof) -> ProofShown:
    return ProofShown(
        number=made.number,
        at=made.at.replace(tzinfo=UTC),
        answer=made.answer,  # type: ignore[arg-type]
        answered_at=made.answered_at.replace(tzinfo=UTC) if made.answered_at else None,
        answered_by=made.answered_by,
        note=made.note,
        still_so=still_so(session, job, made),
    )


def _handover(made: Handover, job: Job) -> HandoverShown:
    names = {design.id: design.name or f"Design {design.id}" for design in job.designs}
    items = [HandedShown(name=names.get(one.design_id, "moved to another job"), count=one.count) for one in made.items]
    return HandoverShown(id=made.id, at=made.at.replace(tzinfo=UTC), who=made.who, note=made.note, items=items)


def _file(held: KeptFile) -> FileShown:
    return FileShown(id=held.id, name=held.name, size=held.size, at=held.at.replace(tzinfo=UTC))


def _stocks(session: Session, chosen: int | None) -> list[Named]:
    """Those that are offered, and the one that was chosen even if it was put away since."""
    wanted = select(Stock.id, Stock.name).where(~Stock.away | (Stock.id == chosen)).order_by(Stock.name)
    return [Named(id=number, name=name) for number, name in session.execute(wanted)]


def _films(session: Session, chosen: int | None) -> list[Named]:
    """By the laminators that lay them, as stocks are offered."""
    wanted = select(Laminator.id, Laminator.name).where(~Laminator.away | (Laminator.id == chosen))
    return [Named(id=number, name=name) for number, name in session.execute(wanted.order_by(Laminator.name))]


def _others(session: Session, job: Job) -> list[JobNamed]:
    wanted = select(Job.id, Job.name, Job.customer).where(Job.id != job.id)
    ordered = wanted.order_by((Job.customer == job.customer).desc(), Job.id.desc()).limit(OTHERS)
    return [JobNamed(id=number, name=name, customer=customer) for number, name, customer in session.execute(ordered)]
