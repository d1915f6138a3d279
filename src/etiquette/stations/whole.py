"""A job, a design or a run as a whole: done again, put away, or deleted with what belongs to it alone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import Select, delete, func, insert, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.stations.run_edits import give_code
from etiquette.stations.web_uses import used_in_webs
from etiquette.store.models import (
    Design,
    Edit,
    Frame,
    Handover,
    HandoverItem,
    Job,
    Plate,
    PlateItem,
    Run,
    RunItem,
    Sheet,
    Task,
)
from etiquette.store.rows import loaded
from etiquette.store.states import TaskState

Whole = Literal["job", "design", "run"]
LONGEST_NAME = 110
AT_WORK = (TaskState.WAITING, TaskState.RUNNING)


@dataclass(frozen=True)
class Going:
    """What deleting means: `words` say what goes; `held`, if not empty, why it cannot go and what to do."""

    words: str
    held: str = ""


def there(session: Session, kind: Whole, number: int) -> Job | Design | Run:
    """The row, locked for this transaction. Raises NotThere."""
    row: Job | Design | Run | None
    if kind == "job":
        row = session.get(Job, number, with_for_update=True)
    elif kind == "design":
        row = session.get(Design, number, with_for_update=True)
    else:
        row = session.get(Run, number, with_for_update=True)
    if row is None:
        raise NotThere(
            f"There is no such {kind}.", f"{kind} {number}", "Go back to the Floor and choose one that is there."
        )
    return row


def again(session: Session, kind: Whole, number: int) -> int:
    """The same once more, with all settings: a job with its designs and without a day, a design in the same job, a run
    with its layout. Returns the number of the new one. Raises NotThere, and JobError where its art is gone."""
    row = there(session, kind, number)
    cleared = row.job if isinstance(row, Design) else row if isinstance(row, Job) else None
    if cleared is not None and cleared.cleared_at:
        what = f"Its art went on {cleared.cleared_at:%-d %b %Y}, with finished work."
        raise JobError(what, _name(row), "Take the art in again as a new job.")
    if isinstance(row, Job):
        return _job_again(session, row)
    if isinstance(row, Design):
        made = _design_again(session, row)
        of_wholes(session, {row.id: made})
        return made
    return _run_again(session, row)


def _job_again(session: Session, job: Job) -> int:
    made = Job(
        name=job.name,
        customer=job.customer,
        due=None,
        notes=job.notes,
        stock_id=job.stock_id,
        laminator_id=job.laminator_id,
        without_film=job.without_film,
        spare_count=job.spare_count,
        spare_percent=job.spare_percent,
        hand_steps=job.hand_steps,
        recipe=job.recipe,
    )
    session.add(made)
    session.flush()
    of_wholes(session, _designs_again(session, job, made.id))
    return made.id


def _designs_again(session: Session, job: Job, made_id: int) -> dict[int, int]:
    """The designs of a job in a new one, as they are, all in one statement: there may be thousands."""
    copies = [{"job_id": made_id, "document_json": design.document_json} for design in job.designs]
    if not copies:
        return {}
    session.execute(insert(Design), copies)
    made = session.scalars(select(Design.id).where(Design.job_id == made_id).order_by(Design.id))
    return dict(zip((design.id for design in job.designs), made, strict=True))


def of_wholes(session: Session, numbers: Mapping[int, int]) -> None:
    """Tiles among designs that were made anew belong to the new number of their whole, or to none; what is on the other
    side of one is what was made with it, else the same as before."""
    for row in loaded(session, Design, numbers.values()).values():
        if row.document.tile:
            tile = row.document.tile.model_copy(update={"of": numbers.get(row.document.tile.of, 0)})
            row.document = row.document.with_(tile=tile)
        sides = row.document.both_sides
        if sides and sides.other is not None and sides.other in numbers:
            row.document = row.document.with_(both_sides=sides.model_copy(update={"other": numbers[sides.other]}))


def _design_again(session: Session, design: Design) -> int:
    """In the same job: nobody has looked at it yet."""
    name = f"{design.document.name[:LONGEST_NAME]}, again"
    made = Design(job_id=design.job_id, document=design.document.changed({"name": name, "ready": False}))
    session.add(made)
    session.flush()
    return made.id


def _run_again(session: Session, run: Run) -> int:
    document = run.document
    made = Run(document=document.changed({"name": f"{document.name[:LONGEST_NAME]}, again", "filled": {}}))
    session.add(made)
    session.flush()
    frames = {placement.sheet for placement in document.layout.placements} if document.layout else set()
    for number in range(max(frames, default=0) + 1):
        give_code(session, made.id, number + 1)
    return made.id


def put_away(session: Session, kind: Whole, number: int, away: bool) -> None:
    """Out of the lists, or back into them; it is found by its name all the same. Raises NotThere."""
    there(session, kind, number).away = away


def going(session: Session, kind: Whole, number: int) -> Going:
    """Raises NotThere."""
    row = there(session, kind, number)
    if isinstance(row, Job):
        return _job_going(session, row)
    if isinstance(row, Design):
        return _design_going(session, row)
    return _run_going(session, row)


def take_away(session: Session, kind: Whole, number: int) -> None:
    """Delete it for good. Raises NotThere, and JobError when something of it was printed or handed over, or is shared
    with others."""
    row, what = there(session, kind, number), going(session, kind, number)
    if what.held:
        raise JobError(f"It cannot be deleted. {what.held}", _name(row), "Put it away, and it is out of the way.")
    if isinstance(row, Job):
        for run_id in _runs_with(session, [design.id for design in row.designs]):
            _delete_run(session, run_id)
        _delete_designs(session, [design.id for design in row.designs])
        session.expire(row, ["designs"])
        session.delete(row)
    elif isinstance(row, Design):
        _delete_traces(session, [row.id])
        session.delete(row)
    else:
        _delete_run(session, row.id)


def _name(row: Job | Design | Run) -> str:
    return row.name or f"{type(row).__name__} {row.id}"


def _job_going(session: Session, job: Job) -> Going:
    ids = [design.id for design in job.designs]
    runs = _runs_with(session, ids)
    parts = [_counted(len(ids), "design"), _counted(len(runs), "run")]
    words = f"{job.name} goes for good{', with ' + ' and '.join(filter(None, parts)) if any(parts) else ''}."
    if session.scalar(select(func.count()).where(Handover.job_id == job.id)):
        return Going(words, "Pieces of it were handed over.")
    shared = select(RunItem.run_id).where(RunItem.run_id.in_(runs), RunItem.design_id.not_in(ids)).limit(1)
    if runs and (other := session.scalar(shared)):
        run = session.get_one(Run, other)
        return Going(words, f"{_name(run)} has pieces of other jobs too: take those of this job out of it first.")
    for run_id in runs:
        if held := _run_held(session, run_id):
            return Going(words, held)
    used = used_in_webs(session)
    if web := next((used[number] for number in ids if number in used), None):
        return Going(words, f"The label web {web} is made of its art: delete that first.")
    return Going(words, _printed(session, ids))


def _design_going(session: Session, design: Design) -> Going:
    words = f"{_name(design)} goes for good, with its lines and its history."
    if session.scalar(select(func.count()).where(HandoverItem.design_id == design.id)):
        return Going(words, "Pieces of it were handed over.")
    if web := used_in_webs(session).get(design.id):
        return Going(words, f"The label web {web} is made of it: take it out of that first.")
    if runs := _runs_with(session, [design.id]):
        return Going(words, f"{_name(session.get_one(Run, runs[0]))} has pieces of it: take it out of that run first.")
    return Going(words, _printed(session, [design.id]))


def _run_going(session: Session, run: Run) -> Going:
    words = f"{_name(run)} goes for good, with its layout and its print files. Its designs stay."
    return Going(words, _run_held(session, run.id))


def _run_held(session: Session, run_id: int) -> str:
    """Why a run has to stay; empty: it has not."""
    name = _name(session.get_one(Run, run_id))
    prints = session.scalar(select(func.count()).select_from(Sheet).join(Plate).where(Plate.run_id == run_id))
    if prints:
        return f"{name} has {_counted(prints, 'print')}, made or held at the printer."
    of_run = func.json_value(Task.arguments, "$.run_id") == run_id
    if session.scalar(select(func.count()).where(Task.state.in_(AT_WORK), of_run)):
        return f"{name} is being worked on: let that end first."
    return ""


def _printed(session: Session, design_ids: Sequence[int]) -> str:
    """Pieces that are not in a run any more may have been printed all the same."""
    asked = select(func.count(Sheet.id)).join(PlateItem, PlateItem.plate_id == Sheet.plate_id)
    prints = session.scalar(asked.where(PlateItem.design_id.in_(design_ids))) if design_ids else 0
    return f"There {'is' if prints == 1 else 'are'} {_counted(prints, 'print')} of it." if prints else ""


def _runs_with(session: Session, design_ids: Sequence[int]) -> list[int]:
    wanted: Select[int] = select(RunItem.run_id).where(RunItem.design_id.in_(design_ids)).distinct()
    return list(session.scalars(wanted.order_by(RunItem.run_id))) if design_ids else []


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}" if count else ""


def _delete_designs(session: Session, ids: Sequence[int]) -> None:
    """All designs of a job that goes with them, in few statements: there may be thousands."""
    _delete_traces(session, ids)
    session.execute(delete(Design).where(Design.id.in_(ids)))


def _delete_traces(session: Session, design_ids: Sequence[int]) -> None:
    session.execute(delete(Edit).where(Edit.subject == "design", Edit.subject_id.in_(design_ids)))
    session.execute(delete(PlateItem).where(PlateItem.design_id.in_(design_ids)))


def _delete_run(session: Session, run_id: int) -> None:
    session.execute(delete(Edit).where(Edit.subject == "run", Edit.subject_id == run_id))
    session.execute(delete(Plate).where(Plate.run_id == run_id))
    session.execute(delete(Frame).where(Frame.run_id == run_id))
    session.delete(session.get_one(Run, run_id))
    session.flush()
