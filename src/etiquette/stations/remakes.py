"""Pieces that were spoiled and have to be made again: they join the next run on their stock."""

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.files.documents.runs import RunItem
from etiquette.stations import edits
from etiquette.stations.job_pieces import counted
from etiquette.store.models import Design, Job, Plate, PlateItem, Run, Sheet
from etiquette.store.models import RunItem as Planned

MOST = 40
"""Designs that join a run at once: what would be more is a run of its own."""


def waiting(session: Session, stock_id: int | None, but: Collection[int] = ()) -> dict[int, int]:
    """Pieces by design, of open jobs, that were printed on this stock last, spoiled, and are in no run since: beyond
    what spares make up for. `but`: designs that are left out."""
    newest = (
        select(Run.stock_id).join(Planned, Planned.run_id == Run.id).where(Planned.design_id == Design.id)
        .order_by(Run.id.desc()).limit(1).correlate(Design).scalar_subquery()
    )  # fmt: skip
    spoiled = (
        select(Design.id).join(Job).join(PlateItem, PlateItem.design_id == Design.id)
        .join(Plate, Plate.id == PlateItem.plate_id).join(Sheet, Sheet.plate_id == Plate.id)
        .where(Sheet.good < Sheet.pieces, Job.closed_at.is_(None), ~Job.away, ~Design.away, Design.is_ready.is_(True))
        .where(func.coalesce(Job.stock_id, newest) == stock_id)
        .distinct().order_by(Design.id).limit(MOST)
    )  # fmt: skip
    ids = [number for number in session.scalars(spoiled) if number not in but]
    found = counted(session, ids)
    return {number: one.pieces.missing for number, one in found.items() if one.pieces.spoiled and one.pieces.missing}


def join(session: Session, run_id: int) -> list[str]:
    """What waits to be made again on the stock of a new run goes into it, as one edit that can be undone; returns it
    in words. Raises NotThere."""
    run = edits.locked(session, "run", run_id)
    document = run.document
    if document.laying != "nest" or document.way == "only":
        return []
    again = waiting(session, document.stock_id, {item.design_id for item in document.items})
    if not again:
        return []
    items = [*document.items, *(RunItem(design_id=number, count=count) for number, count in again.items())]
    changes = {"items": [item.model_dump() for item in items]}
    edits.apply(session, "run", run_id, None, "with what was spoiled", changes)
    named = select(Design.id, Design.name, Job.name).join(Job).where(Design.id.in_(again)).order_by(Design.id)
    return [f"{again[number]} {name} of {job} again" for number, name, job in session.execute(named).tuples()]
