"""The customer's yes: a proof of a job as PDF (each design at its size with its lines, count, colours and bleed), the
answer to it, and whether what was said yes to is still what there is."""

import hashlib
import json
from base64 import b64encode
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from html import escape
from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError, NotThere
from etiquette.sandbox.papers import pdf_of
from etiquette.sandbox.proofing import Changed, picture_seen
from etiquette.stations.clock import today
from etiquette.stations.designs import DesignState, areas_of, lines_of, states_of
from etiquette.stations.edits import Stale
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.floor.papers import page_of
from etiquette.stations.schemas import LineShown
from etiquette.stations.shop import Shop
from etiquette.stations.views import lines_shown
from etiquette.store.models import Job, Proof, now
from etiquette.store.models.proofs import NEVER_ASKED

WIDEST_MM, HIGHEST_MM = 170.0, 120.0
"""How large a design can be on a page of a proof; a smaller one is shown at its size."""
LATER = ("braille", "clear_area", "specials", "both_sides")
"""Values of a design that came after proofs: where there are none, a proof of before still is what it was."""
ROUND_MM = 3.0
"""Room round a design for what is cut outside it."""
STROKES: dict[Kind, tuple[str, str]] = {
    "kiss": ("#008069", ""),
    "through": ("#5d4037", "2.4 0.6"),
    "perforation": ("#9a6b00", "3 1.5"),
    "crease": ("#6d3bbf", "0.4 1"),
    "score": ("#334155", "2 0.8 0.4 0.8"),
    "pen": ("#1f2937", ""),
}


@dataclass(frozen=True)
class _Picture:
    """What is drawn of a design, and where: x, y, width, height in mm from the top left of its art."""

    file: Path
    box: tuple[float, float, float, float]


@dataclass(frozen=True)
class _Shown:
    """One design as the customer sees it."""

    name: str
    width_mm: float
    height_mm: float
    count: int
    pictures: list[_Picture]
    changed: Changed
    lines: list[LineShown]
    facts: list[str] = field(default_factory=list)


def make(shop: Shop, job_id: int) -> int:
    """A proof of the job as it is now; returns its number. Raises NotThere, JobError."""
    name, shown, fingerprint = shop.database.within(lambda session: _shown(shop, session, job_id))
    drawn = [[picture_seen(one.file, design.changed) for one in design.pictures] for design in shown]

    def page(session: Session) -> tuple[str, int]:
        job = job_there(session, job_id)
        number = (session.scalar(select(func.max(Proof.number)).where(Proof.job_id == job_id)) or 0) + 1
        return _page(session, job, number, shown, drawn), number

    pdf = pdf_of(shop.database.within(page)[0], name)

    def keep(session: Session) -> int:
        job = job_there(session, job_id)
        if _fingerprint(states_of(session, [design.id for design in job.designs])) != fingerprint:
            raise JobError(f"{name} was changed while its proof was drawn.", name, "Make the proof again.")
        number = page(session)[1]
        sha = shop.blobs.put(session, pdf, "application/pdf")
        session.add(Proof(job_id=job_id, number=number, fingerprint=fingerprint, pdf_sha=sha))
        job.yes = "asked"
        return number

    return shop.database.within(keep)


def answer(session: Session, job_id: int, number: int, version: int, says: str, by: str, note: str) -> None:
    """The customer said yes or no to a proof. Raises NotThere, Stale, and JobError for a yes to what is not so any
    more."""
    job = job_there(session, job_id)
    if job.version != version:
        raise Stale("job", job_id, job.version)
    proof = proof_there(session, job_id, number)
    if says == "yes" and not still_so(session, job, proof):
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


def still_so(session: Session, job: Job, proof: Proof) -> bool:
    """Whether the job is what the proof shows."""
    return _fingerprint(states_of(session, [design.id for design in job.designs])) == proof.fingerprint


def _fingerprint(designs: dict[int, DesignState]) -> str:
    """Names all that a proof shows."""
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


def _shown(shop: Shop, session: Session, job_id: int) -> tuple[str, list[_Shown], str]:
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
    return job.name, [_design(shop, one) for one in due.values()], _fingerprint(designs)


def _design(shop: Shop, state: DesignState) -> _Shown:
    document, width, height = state.document, state.document.width_mm or 0.0, state.height_mm or 0.0
    file = lines_of(shop, state)
    lines = lines_shown(file) if file else []
    return _Shown(
        document.name, width, height, document.due_count, _pictures(shop, state, width, height),
        Changed(state.replaced, document.correction()), lines, _facts(shop, state, lines),
    )  # fmt: skip


def _pictures(shop: Shop, state: DesignState, width: float, height: float) -> list[_Picture]:
    """Bleed first, where it is a picture of its own; then the art without its lines."""
    whole, found = (0.0, 0.0, width, height), state.lines
    if found is None:
        return [_Picture(shop.blobs.path(state.art.picture_sha), whole)]
    bleed = found.summary.bleed
    x, y, wide, high = bleed.box if bleed else whole
    box = (x, height - y - high, wide, high)  # y down
    under = [_Picture(shop.blobs.path(found.under_sha), box)] if found.under_sha else []
    printed = found.print_picture_sha or state.art.picture_sha
    grown = bleed is not None and not under and found.print_picture_sha is not None
    return [*under, _Picture(shop.blobs.path(printed), box if grown else whole)]


def _facts(shop: Shop, state: DesignState, lines: Sequence[LineShown]) -> list[str]:
    """What is to be known of it besides the picture, in words."""
    document = state.document
    of_kind: dict[str, int] = {}
    for line in lines:
        of_kind[line.kind] = of_kind.get(line.kind, 0) + 1
    facts = ["cut: " + ", ".join(f"{count} {kind}" for kind, count in of_kind.items()) if of_kind else "not cut"]
    facts.append(f"bleed {document.bleed_mm:g} mm" if document.bleed_mm else "no bleed")
    facts += [f"with {state.called.get(plate, plate)}" for plate, areas in areas_of(shop, state).items() if areas]
    if document.both_sides:
        facts.append(f"from the other side: {state.other.document.name if state.other else 'the same'}")
    if document.second_surface:
        facts.append("seen through the stock: printed mirrored")
    spots = ", ".join(
        f"{spot}: {meant if isinstance(meant, str) else meant.name}" for spot, meant in state.inks.items()
    )
    return [*facts, f"colours by name: {spots}"] if spots else facts


def _page(session: Session, job: Job, number: int, shown: Sequence[_Shown], drawn: Sequence[Sequence[bytes]]) -> str:
    parts = "".join(_one(design, pictures) for design, pictures in zip(shown, drawn, strict=True))
    due = f" · due {job.due:%-d %b %Y}" if job.due else ""
    body = f"""
<header><div><h1>{escape(job.name)}</h1><p>for {escape(job.customer)}{due}</p></div>
<div><p><b>Proof {number}</b></p><p>{today(session):%-d %B %Y}</p></div></header>{parts}
<p>Sizes, counts and lines are made as they stand here. Colours look different on every screen and on paper.</p>
<p class="sign slate">yes, to be made as it stands here</p>"""
    return page_of(session, job, f"Proof {number}", body)


def _one(design: _Shown, pictures: Sequence[bytes]) -> str:
    wide, high = design.width_mm + 2 * ROUND_MM, design.height_mm + 2 * ROUND_MM
    scale = min(1.0, WIDEST_MM / wide, HIGHEST_MM / high)
    images = "".join(
        f'<image x="{one.box[0]:.3f}" y="{one.box[1]:.3f}" width="{one.box[2]:.3f}" height="{one.box[3]:.3f}" '
        f'preserveAspectRatio="none" href="data:image/png;base64,{b64encode(png).decode()}"/>'
        for one, png in zip(design.pictures, pictures, strict=True)
    )
    strokes = "".join(_stroke(line, 1 / scale) for line in design.lines)
    at = "at its size" if scale == 1 else f"shown at {scale * 100:.0f} %"
    return f"""
<section style="break-inside: avoid; margin-top: 7mm">
<svg style="width: {wide * scale:.2f}mm; height: {high * scale:.2f}mm; display: block"
 viewBox="{-ROUND_MM} {-ROUND_MM} {wide:.3f} {high:.3f}">{images}{strokes}</svg>
<p><b>{escape(design.name)}</b> · {design.width_mm:.1f} × {design.height_mm:.1f} mm · {design.count} pieces</p>
<p class="slate">{escape(" · ".join([*design.facts, at]))}</p></section>"""


def _stroke(line: LineShown, by: float) -> str:
    """On white, so that it shows on any art; as wide on paper however small the design is shown."""
    colour, dashes = STROKES[line.kind]
    dashed = f' stroke-dasharray="{" ".join(f"{float(one) * by:.3f}" for one in dashes.split())}"' if dashes else ""
    casing = f'<path d="{line.d}" fill="none" stroke="#fff" stroke-width="{0.9 * by:.3f}"/>'
    return f'{casing}<path d="{line.d}" fill="none" stroke="{colour}" stroke-width="{0.4 * by:.3f}"{dashed}/>'
