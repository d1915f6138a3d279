"""All designs of a job beside each other, each with its line: what is plain is made ready in one press, and what asks
for eyes is opened by itself."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from sqlalchemy import Select, case, func, select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError, NotThere
from etiquette.core.finishing.checks import ASKS_FOR_EYES, Finding
from etiquette.core.geometry.pens import figure
from etiquette.files.documents.lines import LinesDocument
from etiquette.files.lines_svg import read_lines
from etiquette.stations import edits
from etiquette.stations.designs import DesignState, states_of
from etiquette.stations.line_finding import find_lines
from etiquette.stations.lines.editing import change
from etiquette.stations.lines.looking_schemas import (
    AllLinesFound,
    CardLine,
    DesignSeen,
    LineCard,
    LinesOfJob,
    NoLine,
    SeenMade,
)
from etiquette.stations.schemas import OfDesign, OfJob
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Job
from etiquette.tasks.task import Outcome, Report

A_PAGE = 40
FINE = 1 / 400
"""How closely lines are drawn small, as a share of their size."""
MOST_DRAWN = 400
"""Of more lines those that reach furthest are drawn small: dust is not seen there."""
MOST_REFUSED = 200


@dataclass(frozen=True)
class Small:
    """Lines as they are seen small."""

    lines: tuple[tuple[Kind, str], ...]
    box: tuple[float, float, float, float]


def looked_over(shop: Shop, session: Session, job_id: int, only_waiting: bool, skip: int) -> LinesOfJob:
    """A page of the job's designs, from the first that was taken in. Raises NotThere."""
    job = session.get(Job, job_id)
    if job is None:
        raise NotThere("There is no such job.", f"job {job_id}", "Go back to the Floor and choose one that is there.")
    counts = select(func.count(), func.count(case((Design.is_ready.is_not(True), 1)))).select_from(Design)
    there, waiting = session.execute(counts.where(Design.job_id == job_id, ~Design.away)).one()
    wanted = _waiting(job_id) if only_waiting else _of(job_id)
    numbers = session.scalars(wanted.offset(skip).limit(A_PAGE + 1)).all()
    states = states_of(session, numbers[:A_PAGE])
    return LinesOfJob(
        job_id=job_id,
        job=job.name,
        customer=job.customer,
        designs=there,
        waiting=waiting,
        cards=[_card(shop, state) for state in states.values()],
        more=len(numbers) > A_PAGE,
    )


def make_ready(shop: Shop, job_id: int, seen: Sequence[DesignSeen]) -> SeenMade:
    """Those that are still as they were seen, and have a line, are ready for a run: an edit of each."""
    return _each(shop, job_id, seen, lambda state: ("ready for a run", {"ready": True}) if state.lines else None)


def set_width(shop: Shop, job_id: int, seen: Sequence[DesignSeen], width_mm: float) -> SeenMade:
    """Those that are still as they were seen become so wide: an edit of each. Raises JobError."""
    return _each(shop, job_id, seen, lambda _: ("width", {"width_mm": width_mm}))


def set_as_asked(shop: Shop, job_id: int, seen: Sequence[DesignSeen]) -> SeenMade:
    """Those that are still as they were seen get the settings that their art asks for: an edit of each. Raises
    JobError."""

    def asked(state: DesignState) -> tuple[str, dict[str, object]] | None:
        changes = state.lines.summary.proposed.changes if state.lines else {}
        return ("as the art asks", changes) if changes else None

    return _each(shop, job_id, seen, asked)


def find_all(shop: Shop, wanted: OfJob, report: Report) -> Outcome[AllLinesFound]:
    """Task: the lines of every design of the job that nobody has looked at and that has a size. One that is refused
    keeps nobody waiting; told to stop, it keeps what it has."""
    numbers = shop.database.within(lambda session: _lineless(session, wanted.job_id))
    made, refused = 0, list[NoLine]()
    for done, (number, name) in enumerate(numbers.items()):
        if not report(done / len(numbers), f"Finding the edge of {name}"):
            break
        try:
            find_lines(shop, OfDesign(design_id=number), lambda *_: True).published(shop.database)
            made += 1
        except NotThere:
            continue  # taken away meanwhile
        except JobError as error:
            refused.append(NoLine(id=number, words=f"{error.what} {error.do}".strip()))
    return Outcome(AllLinesFound(job_id=wanted.job_id, made=made, refused=refused[:MOST_REFUSED]))


def _of(job_id: int) -> Select[int]:
    return select(Design.id).where(Design.job_id == job_id, ~Design.away).order_by(Design.id)


def _waiting(job_id: int) -> Select[int]:
    return _of(job_id).where(Design.is_ready.is_not(True))


def _lineless(session: Session, job_id: int) -> dict[int, str]:
    states = states_of(session, session.scalars(_waiting(job_id)).all())
    return {number: one.document.name for number, one in states.items() if one.lines_key and one.lines is None
            and one.document.width_mm is not None}  # fmt: skip


def _each(
    shop: Shop,
    job_id: int,
    seen: Sequence[DesignSeen],
    wish: Callable[[DesignState], tuple[str, Mapping[str, object]] | None],
) -> SeenMade:
    """What is wished of each, in one transaction; None: nothing."""

    def put(session: Session) -> SeenMade:
        made, others = 0, []
        own = set(session.scalars(_of(job_id).where(Design.id.in_([one.id for one in seen]))))
        for one in sorted(seen, key=lambda one: one.id):  # always in this order: two presses do not wait for each other
            if one.id not in own:
                continue
            row = edits.locked(session, "design", one.id)
            state = states_of(session, [one.id])[one.id]
            as_seen = (row.revision, state.lines_key or "") == (one.revision, one.key)
            wished = wish(state) if as_seen else None
            if wished is None:
                others.append(row.document.name)
                continue
            words, changes = wished
            change(session, one.id, one.revision, words, dict(changes))
            made += 1
        return SeenMade(made=made, others=others)

    return shop.database.within(put)


def _card(shop: Shop, state: DesignState) -> LineCard:
    document, lines = state.document, state.lines
    small = _small(shop.blobs.path(lines.lines_sha)) if lines else None
    eyes = eyes_of(lines.summary) if lines else []
    proposed = lines.summary.proposed if lines else None
    return LineCard(
        id=state.design.id,
        revision=state.design.revision,
        key=state.lines_key or "",
        name=document.name,
        art_id=state.art.id,
        due_count=document.due_count,
        ready=document.ready,
        state="no size" if document.width_mm is None else "no line" if small is None else "look" if eyes else "plain",
        width_mm=document.width_mm,
        height_mm=state.height_mm,
        lines=[CardLine(kind=kind, d=d) for kind, d in small.lines] if small else [],
        box=small.box if small else None,
        said=[*eyes, *(_noted(lines.summary) if lines else [])],
        asks=list(proposed.why) if proposed else [],
        keys=sorted(proposed.changes) if proposed else [],
    )


def eyes_of(summary: LinesDocument) -> list[str]:
    """Why somebody has to see these lines before anything is cut so, in words."""
    said = _counted(one for one in summary.findings if one.what in ASKS_FOR_EYES)
    if summary.caught:
        said += [f"“{word}” can mean two kinds of line" for word in summary.caught.asks]
        said += [f"{name} stays in the colour" for name in summary.caught.left_in]
        said += [f"Not drawn: {what}" for what in summary.caught.undrawn]
        lacking = summary.caught.fonts_lacking or ()
        said += [f"The font {font} is not in the file, and another one stands in for it" for font in lacking]
    if not summary.report.lines:
        said.append("There is no line")
    return said


def _noted(summary: LinesDocument) -> list[str]:
    """What else was found."""
    return [*summary.report.warnings, *_counted(one for one in summary.findings if one.what not in ASKS_FOR_EYES)]


def _counted(findings: Iterable[Finding]) -> list[str]:
    """By their titles, the first of each kind first."""
    counts: dict[str, int] = {}
    for one in findings:
        counts[one.title] = counts.get(one.title, 0) + 1
    return [title if count == 1 else f"{title} ({count})" for title, count in counts.items()]


@lru_cache(maxsize=5 * A_PAGE)
def _small(file: Path) -> Small:
    """Of a file of lines in the store, which never changes."""
    held = read_lines(file.read_bytes(), file.name)
    size = np.array([held.width_mm, held.height_mm])
    fine = float(size.max()) * FINE
    places = max(0, int(np.ceil(-np.log10(fine))))
    flat = [(line, line.path.flatten(fine) * (1, -1) + (0, held.height_mm)) for line in held.lines]
    low = np.min([(0.0, 0.0), *(points.min(axis=0) for _, points in flat)], axis=0)
    high = np.max([size, *(points.max(axis=0) for _, points in flat)], axis=0)
    drawn: dict[Kind, list[str]] = {}
    for line, points in sorted(flat, key=lambda one: -np.ptp(one[1], axis=0).max())[:MOST_DRAWN]:
        pairs = " ".join(f"{figure(x, places)},{figure(y, places)}" for x, y in points)
        drawn.setdefault(line.kind, []).append(f"M{pairs}{'Z' if line.path.closed else ''}")
    lines = tuple((kind, "".join(parts)) for kind, parts in drawn.items())
    left, top, right, bottom = (round(float(value), 4) for value in (*low, *high))
    return Small(lines, (left, top, right - left, bottom - top))
