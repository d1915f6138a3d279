"""The customer's yes: a proof of a job as PDF (each design at its size with its lines, count, colours and bleed), the
answer to it, and whether what was said yes to is still what there is."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict
from html import escape

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.sandbox.papers import pdf_of
from etiquette.stations.clock import today
from etiquette.stations.designs import DesignState, states_of
from etiquette.stations.edits import Stale
from etiquette.stations.floor.job_schemas import ProofMade
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.floor.papers import page_of
from etiquette.stations.floor.proof_views import Shown, drawn, shown_of
from etiquette.stations.schemas import OfJob
from etiquette.stations.shop import Shop
from etiquette.store.models import Job, Proof, now
from etiquette.store.models.proofs import NEVER_ASKED
from etiquette.tasks.task import Outcome, Report

LATER = ("braille", "clear_area", "specials", "both_sides")
"""Values of a design that came after proofs: where there are none, a proof of before still is what it was."""


def make(shop: Shop, wanted: OfJob, report: Report) -> Outcome[ProofMade]:
    """Task: a proof of the job as it is now. Raises NotThere, JobError."""
    job_id = wanted.job_id
    name, shown, known = shop.database.within(lambda session: _shown(shop, session, job_id))
    parts = []
    for number, design in enumerate(shown):
        of = f" {number + 1} of {len(shown)}" if len(shown) > 1 else ""
        if not report(0.8 * number / len(shown), f"Drawing design{of}"):
            raise JobError("The proof was called off.", name, "Make it when you want it.")
        parts.append(drawn(design))

    def page(session: Session) -> tuple[str, int]:
        job = job_there(session, job_id)
        number = (session.scalar(select(func.max(Proof.number)).where(Proof.job_id == job_id)) or 0) + 1
        return _page(session, job, number, "".join(parts)), number

    report(0.8, "Laying the pages out")
    pdf = pdf_of(shop.database.within(page)[0], name, len(parts))

    def keep(session: Session) -> ProofMade:
        job = job_there(session, job_id)
        if fingerprint_of(session, job) != known:
            raise JobError(f"{name} was changed while its proof was drawn.", name, "Make the proof again.")
        number = page(session)[1]
        sha = shop.blobs.put(session, pdf, "application/pdf")
        session.add(Proof(job_id=job_id, number=number, fingerprint=known, pdf_sha=sha))
        job.yes = "asked"
        return ProofMade(job_id=job_id, number=number)

    return Outcome(ProofMade(job_id=job_id, number=0), keep)


def answer(session: Session, job_id: int, number: int, version: int, says: str, by: str, note: str) -> None:
    """The customer said yes or no to a proof. Raises NotThere, Stale, and JobError for a yes to what is not so any
    more."""
    job = job_there(session, job_id)
    if job.version != version:
        raise Stale("job", job_id, job.version)
    proof = proof_there(session, job_id, number)
    if says == "yes" and proof.fingerprint != fingerprint_of(session, job):
        what = f"{job.name} was changed since proof {number} was made."
        raise JobError(what, job.name, "Make a new proof and ask again.")
    proof.answer, proof.answered_at, proof.answered_by, proof.note = says, now(), by.strip(), note.strip()
    job.yes = "given" if says == "yes" else "asked"


def proofs_of(session: Session, job_id: int) -> Sequence[Proof]:
    """The newest first."""
    return session.scalars(select(Proof).where(Proof.job_id == job_id).order_by(Proof.number.desc())).all()


def proof_there(session: Session, job_id: int, number: int) -> Proof:
    """Raises NotThere."""
    proof = session.scalar(select(Proof).where(Proof.job_id == job_id, Proof.number == number))
    if proof is None:
        raise NotThere("There is no such proof.", f"proof {number}", "Look at the job again.")
    return proof


def fingerprint_of(session: Session, job: Job) -> str:
    """Names all that a proof of the job as it is now shows: another one was made of something else."""
    return _fingerprint(states_of(session, [design.id for design in job.designs]))


def _fingerprint(designs: dict[int, DesignState]) -> str:
    parts = []
    for number, one in sorted(designs.items()):
        document = {
            key: value
            for key, value in one.document.written().items()
            if key not in NEVER_ASKED and (value or key not in LATER)
        }
        other = [one.other.art.content_sha] if one.other else []
        parts.append(
            [number, document, one.art.content_sha, one.lines_key, [asdict(to) for to in one.replaced], *other]
        )
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def _shown(shop: Shop, session: Session, job_id: int) -> tuple[str, list[Shown], str]:
    """Raises NotThere, and JobError when there is nothing to show yet."""
    job = job_there(session, job_id)
    designs = states_of(session, [design.id for design in job.designs])
    due = {number: one for number, one in designs.items() if one.document.due_count}
    if not due:
        raise JobError(f"{job.name} has no art yet.", job.name, "Take art in first.")
    for one in due.values():
        if not one.document.width_mm or not one.height_mm or one.lines is None:
            name = one.document.name
            raise JobError(f"{name} has no size or no line yet.", name, "Open it in Lines first.")
    return job.name, [shown_of(shop, session, one) for one in due.values()], _fingerprint(designs)


def _page(session: Session, job: Job, number: int, parts: str) -> str:
    due = f" · due {job.due:%-d %b %Y}" if job.due else ""
    body = f"""
<header><div><h1>{escape(job.name)}</h1><p>for {escape(job.customer)}{due}</p></div>
<div><p><b>Proof {number}</b></p><p>{today(session):%-d %B %Y}</p></div></header>{parts}
<p>Sizes, counts and lines are made as they stand here. Colours look different on every screen and on paper.</p>
<p class="sign slate">yes, to be made as it stands here</p>"""
    return page_of(session, job, f"Proof {number}", body)
