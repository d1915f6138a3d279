"""Find anything: jobs, customers, designs, runs, frames by their codes, and what stands on the Shelf."""

import re
from collections.abc import Iterator
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.marking.codes import parse_payload
from etiquette.stations.floor.job_schemas import Found
from etiquette.stations.floor.papers import job_number
from etiquette.stations.recipe_words import LABELS
from etiquette.store.models import (
    ColourProfile,
    Cutter,
    Design,
    Frame,
    Job,
    LabelWeb,
    Laminator,
    MarkSet,
    Plate,
    Printer,
    Recipe,
    Roll,
    Run,
    Sheet,
    Stock,
)
from etiquette.store.rows import all_in, newest_named
from etiquette.store.states import RunState

MOST_OF_A_KIND = 6
LEAST_OF_A_CODE = 3
ON_SHELF: tuple[tuple[type[Any], str, str], ...] = (
    (Stock, "stock", "stock"),
    (Roll, "roll", "roll"),
    (Printer, "machine", "printer"),
    (Laminator, "machine", "laminator"),
    (Cutter, "machine", "cutter"),
    (MarkSet, "mark set", "mark_set"),
    (ColourProfile, "profile", "colour_profile"),
    (Recipe, "recipe", "recipe"),
)
STATION = {
    RunState.PLANNED: "run",
    RunState.PRINTING: "print",
    RunState.FILM: "print",
    RunState.CUTTER: "bench",
    RunState.CUT: "bench",
    RunState.DONE: "print",
}


def find(session: Session, text: str) -> list[Found]:
    """What has all words of `text` in its name, the nearest to hand first. A frame code, typed or scanned, finds its
    frame at the station where it is."""
    words = text.split()
    if not words:
        return []
    found = (
        _scanned_job(session, text), _frames(session, text.strip()), _jobs(session, words), _designs(session, words),
        _runs(session, words), _webs(session, words), _shelf(session, words), _settings(words),
    )  # fmt: skip
    return [one for kind in found for one in kind]


def _scanned_job(session: Session, text: str) -> Iterator[Found]:
    """By the code of its traveller."""
    job = session.get(Job, job_number(text) or 0)
    if job is not None:
        yield Found(kind="job", name=job.name, words=f"job of {job.customer}", path=f"/floor/job/{job.id}")


def _webs(session: Session, words: list[str]) -> Iterator[Found]:
    there = select(LabelWeb.id, LabelWeb.name).where(*all_in(LabelWeb.name, words)).order_by(LabelWeb.id.desc())
    for number, name in session.execute(there.limit(MOST_OF_A_KIND)).tuples():
        yield Found(kind="web", name=name or f"Web {number}", words="label web", path=f"/run/web/{number}")


def _settings(words: list[str]) -> Iterator[Found]:
    """Settings of Lines and Run by what they are called, at the station where they are set."""
    named = [(part, label) for part, labels in LABELS.items() for label in labels.values()
             if all(word.lower() in label.lower() for word in words)]  # fmt: skip
    for part, label in named[:MOST_OF_A_KIND]:
        yield Found(kind="setting", name=label, words=f"a setting in {part.capitalize()}", path=f"/{part}")


def _frames(session: Session, text: str) -> Iterator[Found]:
    """By a whole scanned payload, a code, the beginning of one, or the name of a print (CODE-2)."""
    scanned = parse_payload(text.upper())
    typed = scanned.frame if scanned else text.upper().split("-")[0]
    if not re.fullmatch(rf"[A-Z0-9]{{{LEAST_OF_A_CODE},12}}", typed):
        return
    there = select(Frame, Run).join(Run, Run.id == Frame.run_id).where(Frame.code.startswith(typed, autoescape=True))
    for frame, run in session.execute(there.order_by(Frame.id.desc()).limit(MOST_OF_A_KIND)).tuples():
        named = Sheet.name == text.upper() if "-" in text else Sheet.name.startswith(f"{frame.code}-")
        print_of = select(Sheet).join(Plate).where(Plate.run_id == run.id, named).order_by(Sheet.id.desc()).limit(1)
        sheet = session.scalar(print_of)
        station = STATION[RunState(run.state)]
        at_bench = station == "bench"
        path = f"/bench/{sheet.id}" if at_bench and sheet else f"/{'print' if at_bench else station}/{run.id}"
        words = f"frame {frame.number} of {run.name or 'a run'}"
        yield Found(kind="frame", name=sheet.name if sheet else frame.code, words=words, path=path)


def _jobs(session: Session, words: list[str]) -> Iterator[Found]:
    first = select(func.min(Design.id)).where(Design.job_id == Job.id).scalar_subquery()
    wanted = select(Job, first).order_by(Job.id.desc()).limit(MOST_OF_A_KIND)
    for word in words:
        wanted = wanted.where(Job.name.contains(word, autoescape=True) | Job.customer.contains(word, autoescape=True))
    for job, design in session.execute(wanted).tuples():
        words_of = f"job of {job.customer}{f' · due {job.due:%-d %b}' if job.due else ''}"
        thumb = f"/api/designs/{design}/thumb" if design else ""
        yield Found(kind="job", name=job.name, words=words_of, path=f"/floor/job/{job.id}", thumb=thumb)


def _designs(session: Session, words: list[str]) -> Iterator[Found]:
    numbers = newest_named(session, Design, words, MOST_OF_A_KIND)
    wanted = select(Design.id, Design.name, Job.customer).join(Job).where(Design.id.in_(numbers))
    for number, called, customer in session.execute(wanted.order_by(Design.id.desc())):
        thumb = f"/api/designs/{number}/thumb"
        yield Found(kind="design", name=called or "", words=customer, path=f"/lines/{number}", thumb=thumb)


def _runs(session: Session, words: list[str]) -> Iterator[Found]:
    wanted = select(Run.id, Run.name, Run.state).where(Run.id.in_(newest_named(session, Run, words, MOST_OF_A_KIND)))
    for number, called, state in session.execute(wanted.order_by(Run.id.desc())):
        path = f"/{'run' if state == RunState.PLANNED else 'print'}/{number}"
        yield Found(kind="run", name=called or "", words=f"run, {state}", path=path, thumb=f"/api/runs/{number}/thumb")


def _shelf(session: Session, words: list[str]) -> Iterator[Found]:
    for model, kind, place in ON_SHELF:
        wanted = select(model.id, model.name).where(~model.away, *all_in(model.name, words))
        for number, name in session.execute(wanted.order_by(model.id).limit(MOST_OF_A_KIND)):
            yield Found(kind=kind, name=name, words=place.replace("_", " "), path=f"/shelf?{place}={number}")  # type: ignore[arg-type]
