"""What is shown of jobs."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import UTC
from typing import Any

from sqlalchemy import func, select
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
    ItemShown,
    JobListed,
    JobNamed,
    JobShown,
    JobsShown,
    Named,
    NextOfJob,
    PartsShown,
    PiecesShown,
    ProofShown,
    RunOfJob,
)
from etiquette.stations.floor.money_schemas import HandStepAsked
from etiquette.stations.floor.proofs import fingerprint_of, proofs_of
from etiquette.stations.job_pieces import Counted, RunNamed, counted, runs_of
from etiquette.stations.schemas import MOST_ITEMS
from etiquette.store.models import Design, Handover, Job, KeptFile, Laminator, Proof, Run, RunItem, Stock

PICTURES = 3
PARTS = 40
"""Designs of a job on a page."""
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
    parts = _page(session, job.designs, pieces, 0)
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
        proofs=_proofs(session, job),
        recipe=job.recipe["name"] if job.recipe else None,
        handovers=[_handover(one, job) for one in handovers_of(session, job_id)],
        parts=parts.parts,
        more_parts=parts.more,
        next=_next(session, job, pieces),
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


def parts_shown(session: Session, job_id: int, text: str, skip: int) -> PartsShown:
    """Designs of a job whose names have all words of `text`. Raises NotThere."""
    words = text.casefold().split()
    job = jobs.job_there(session, job_id)
    fitting = [one for one in job.designs if all(word in (one.name or "").casefold() for word in words)]
    return _page(session, fitting, None, skip)


def _page(session: Session, designs: Sequence[Design], pieces: Mapping[int, Counted] | None, skip: int) -> PartsShown:
    here = designs[skip : skip + PARTS]
    ids = [design.id for design in here]
    known, runs, widths = pieces or counted(session, ids), runs_of(session, ids), _widths(session, ids)
    parts = [_part(design, known[design.id], runs[design.id], widths[design.id]) for design in here]
    return PartsShown(parts=parts, more=len(designs) > skip + PARTS)


def _widths(session: Session, ids: Sequence[int]) -> dict[int, float | None]:
    wanted = select(Design.id, func.json_value(Design.document_json, "$.width_mm")).where(Design.id.in_(ids))
    return {number: None if width is None else float(width) for number, width in session.execute(wanted).tuples()}


def wanted_of(session: Session, job_id: int) -> list[ItemShown]:
    """What the next run of a job is made of: pieces of designs whose lines are ready, as many as one run takes. Raises
    NotThere."""
    job = jobs.job_there(session, job_id)
    return _wanted(counted(session, [design.id for design in job.designs]))[:MOST_ITEMS]


def _wanted(pieces: Mapping[int, Counted]) -> list[ItemShown]:
    found = sorted((number, one.pieces) for number, one in pieces.items())
    return [ItemShown(design_id=number, count=one.wanted)
            for number, one in found if one.missing and one.ready >= one.due]  # fmt: skip


def _next(session: Session, job: Job, pieces: Mapping[int, Counted]) -> NextOfJob:
    own = [(design, pieces[design.id].pieces) for design in job.designs]
    waits = next((design for design, one in own if one.ready < one.due), None)
    wanted = _wanted(pieces)
    with_any = select(Run.id, Run.name, Run.state).join(RunItem, RunItem.run_id == Run.id)
    of_it = with_any.join(Design, Design.id == RunItem.design_id).where(Design.job_id == job.id)
    run = session.execute(of_it.order_by(Run.id.desc()).limit(1)).first()
    return NextOfJob(
        designs=len(own),
        waits=Named(id=waits.id, name=waits.name or f"Design {waits.id}") if waits else None,
        wanted=sum(one.count for one in wanted[:MOST_ITEMS]),
        wants_more=len(wanted) > MOST_ITEMS,
        here=sum(one.to_hand for _, one in own),
        whole=all(one.handed + one.to_hand >= one.due for _, one in own),
        run=RunOfJob(id=run.id, name=run.name or f"Run {run.id}", state=run.state) if run else None,
    )


def _part(design: Design, counted: Counted, runs: Sequence[RunNamed], width_mm: float | None) -> DesignOfJob:
    return DesignOfJob(
        id=design.id,
        name=design.name or f"Design {design.id}",
        width_mm=width_mm,
        pieces=PiecesShown(**asdict(counted.pieces)),
        missing=counted.pieces.missing,
        wanted=counted.pieces.wanted,
        to_hand=counted.pieces.to_hand,
        steps=counted.pieces.shares(),
        runs=[RunOfJob(id=run.id, name=run.name, state=run.state) for run in runs],
    )


def _proofs(session: Session, job: Job) -> list[ProofShown]:
    made = proofs_of(session, job.id)
    known = fingerprint_of(session, job) if made else ""
    return [_proof(one, one.fingerprint == known) for one in made]


def _proof(made: Proof, still_so: bool) -> ProofShown:
    return ProofShown(
        number=made.number,
        at=made.at.replace(tzinfo=UTC),
        answer=made.answer,  # type: ignore[arg-type]
        answered_at=made.answered_at.replace(tzinfo=UTC) if made.answered_at else None,
        answered_by=made.answered_by,
        note=made.note,
        still_so=still_so,
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
