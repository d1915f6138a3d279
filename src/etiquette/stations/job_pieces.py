"""How far the pieces of designs have come, counted from runs and prints in the same number of statements for any number
of designs."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.errors import JobError
from etiquette.core.production.job_progress import Pieces
from etiquette.stations.sheets import wants_film
from etiquette.store.models import Design, PlateItem, Run, RunItem, Sheet, Stock
from etiquette.store.rows import loaded
from etiquette.store.states import SheetState

PRINTED = frozenset(SheetState) - {SheetState.HELD, SheetState.PRINTING, SheetState.UNCLEAR, SheetState.FAILED}
CUT = frozenset((SheetState.CUT, SheetState.DONE))
FILMED = PRINTED - {SheetState.PRINTED}


@dataclass(frozen=True)
class Counted:
    """Pieces of a design, and how many of those that are cut nobody has counted."""

    pieces: Pieces
    uncounted: int = 0


def counted(session: Session, designs: Sequence[Design]) -> dict[int, Counted]:
    """By the number of the design."""
    ids = [design.id for design in designs]
    if not ids:
        return {}
    asked = select(RunItem.design_id, func.sum(RunItem.count)).where(RunItem.design_id.in_(ids))
    planned = dict(session.execute(asked.group_by(RunItem.design_id)).tuples().all())
    made: dict[int, Counter[str]] = defaultdict(Counter)
    on_plates = (
        select(PlateItem.design_id, PlateItem.count, Sheet)
        .join(Sheet, Sheet.plate_id == PlateItem.plate_id)
        .where(PlateItem.design_id.in_(ids), Sheet.state.in_(PRINTED))
        .options(joinedload(Sheet.plate))
    )
    rows = session.execute(on_plates).tuples().all()
    gets_film = _gets_film(session, {sheet.plate.run_id for _, _, sheet in rows if sheet.state == SheetState.PRINTED})
    for design_id, count, sheet in rows:
        one = made[design_id]
        one["printed"] += count
        one["filmed"] += count if sheet.state in FILMED or not gets_film.get(sheet.plate.run_id, True) else 0
        if sheet.state in CUT:
            one["cut"] += count
            spoiled = _spoiled(sheet, design_id, count)
            one["uncounted"] += count if spoiled is None else 0
            one["good"] += 0 if spoiled is None else count - spoiled
            one["spoiled"] += spoiled or 0
    return {design.id: _together(design, int(planned.get(design.id, 0)), made[design.id]) for design in designs}


def _gets_film(session: Session, run_ids: Iterable[int]) -> dict[int, bool]:
    """Whether prints of these runs get film; one that another version has written is taken to."""
    runs, found = loaded(session, Run, run_ids), {}
    # held meanwhile: each run then finds its stock without asking for it
    stocks = loaded(session, Stock, (run.document_json.get("stock_id") for run in runs.values()))
    for run in runs.values():
        with suppress(JobError):
            found[run.id] = wants_film(session, run)
    del stocks
    return found


def _together(design: Design, planned: int, made: Counter[str]) -> Counted:
    try:
        due, ready = design.document.due_count, design.document.ready
    except JobError:  # written by another version: it is shown so
        due, ready = int(design.document_json.get("due_count", 0)), False
    uncounted = made.pop("uncounted", 0)
    whole = Pieces(due=due, planned=planned, **made)
    return Counted(replace(whole, ready=due if ready else 0), uncounted)


def _spoiled(sheet: Sheet, design_id: int, count: int) -> int | None:
    """Pieces of a design that are spoiled on a sheet that is cut; None: nobody has counted. Where only a number of
    good ones was said, every design on the sheet has its share of the others, rounded up."""
    if sheet.good is None:
        return None
    numbers = sheet.progress.spoiled if sheet.progress else ()
    placed = sheet.plate.summary_json.get("placed") or []
    if numbers and len(placed) >= max(numbers):
        return len([number for number in numbers if placed[number - 1] == design_id])
    lost = sheet.pieces - sheet.good
    return min(count, -(-lost * count // sheet.pieces)) if sheet.pieces else 0


def runs_of(session: Session, design_ids: Sequence[int]) -> dict[int, list[Run]]:
    """The runs that have pieces of each design, the newest first."""
    found: dict[int, list[Run]] = {one: [] for one in design_ids}
    if not found:
        return found
    there = select(RunItem.design_id, Run).join(Run, Run.id == RunItem.run_id).where(RunItem.design_id.in_(design_ids))
    for design_id, run in session.execute(there.order_by(Run.id.desc())).tuples():
        found[design_id].append(run)
    return found
