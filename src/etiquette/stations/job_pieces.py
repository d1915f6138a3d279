"""How far the pieces of designs have come, counted from runs and prints in the same number of statements for any number
of designs."""

import json
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import BindParameter, Text, bindparam, case, cast, func, select
from sqlalchemy.orm import Session

from etiquette.core.production.job_progress import Pieces, spares_of
from etiquette.store.models import Design, HandoverItem, Job, Plate, PlateItem, Run, RunItem, Sheet, Stock
from etiquette.store.states import RunState, SheetState

PRINTED = frozenset(SheetState) - {SheetState.HELD, SheetState.PRINTING, SheetState.UNCLEAR, SheetState.FAILED}
CUT = frozenset((SheetState.CUT, SheetState.DONE))
FILMED = PRINTED - {SheetState.PRINTED}
GETS_FILM = Run.laminator_id.is_not(None) & (Stock.id.is_(None) | Stock.takes_film)
"""Whether prints of a run get film, as stations.sheets.wants_film says it of one."""


@dataclass(frozen=True)
class Counted:
    """Pieces of a design, and how many of those that are cut nobody has counted."""

    pieces: Pieces
    uncounted: int = 0


_IDS: BindParameter[Any] = bindparam("ids", expanding=True)
_PLANNED = select(func.sum(RunItem.count)).where(RunItem.design_id == Design.id).correlate(Design).scalar_subquery()
_HANDED = (
    select(func.sum(HandoverItem.count)).where(HandoverItem.design_id == Design.id).correlate(Design).scalar_subquery()
)
_WANTED = (
    select(Design.id, Design.due_count, Design.is_ready, Job.spare_count, Job.spare_percent, _PLANNED, _HANDED)
    .join(Job)
    .where(Design.id.in_(_IDS))
)
_ON_PLATES = (
    select(PlateItem.design_id, PlateItem.count, Sheet.id, Sheet.state, Sheet.good, Sheet.pieces, GETS_FILM)
    .join(Sheet, Sheet.plate_id == PlateItem.plate_id)
    .join(Plate, Plate.id == Sheet.plate_id)
    .join(Run, Run.id == Plate.run_id)
    .outerjoin(Stock, Stock.id == Run.stock_id)
    .where(PlateItem.design_id.in_(_IDS), Sheet.state.in_(PRINTED))
)
"""Put together once: the Floor and every list of jobs ask for them."""


def counted(session: Session, design_ids: Iterable[int]) -> dict[int, Counted]:
    """By the number of the design. Documents are not read: a design of another version counts too."""
    ids = list(design_ids)
    if not ids:
        return {}
    found, made = {}, _made(session, ids)
    for number, due, ready, count, percent, planned, handed in session.execute(_WANTED, {"ids": ids}).tuples():
        due, own = due or 0, made[number]
        uncounted = own.pop("uncounted", 0)
        pieces = Pieces(
            due=due,
            ready=due if ready else 0,
            planned=int(planned or 0),
            handed=int(handed or 0),
            spares=spares_of(due, count, percent),
            **own,
        )
        found[number] = Counted(pieces, uncounted)
    return found


def _made(session: Session, design_ids: Sequence[int]) -> dict[int, Counter[str]]:
    """What prints have of each design. Sheets are read themselves only where some of their pieces are spoiled."""
    rows = session.execute(_ON_PLATES, {"ids": design_ids}).tuples().all()
    counts = ((sheet, good, pieces) for _, _, sheet, state, good, pieces, _ in rows if state in CUT)
    lossy = _lossy(session, [sheet for sheet, good, pieces in counts if good is not None and good < pieces])
    made: dict[int, Counter[str]] = defaultdict(Counter)
    for design_id, count, sheet_id, state, good, _pieces, gets_film in rows:
        one = made[design_id]
        one["printed"] += count
        one["filmed"] += count if state in FILMED or not gets_film else 0
        if state in CUT:
            one["cut"] += count
            spoiled = lossy[sheet_id].of(design_id, count) if sheet_id in lossy else 0
            one["uncounted"] += count if good is None else 0
            one["good"] += 0 if good is None else count - spoiled
            one["spoiled"] += spoiled
    return made


@dataclass(frozen=True)
class _Lossy:
    """A sheet of which some pieces are spoiled: which (from 1, in the order of `placed`; empty: nobody said), or only
    how many are good."""

    pieces: int
    good: int
    spoiled: Sequence[int]
    placed: Sequence[int]

    def of(self, design_id: int, count: int) -> int:
        """How many of the `count` pieces of a design are spoiled. Where only a number of good ones was said, every
        design on the sheet has its share of the others, rounded up."""
        if self.spoiled and len(self.placed) >= max(self.spoiled):
            return len([number for number in self.spoiled if self.placed[number - 1] == design_id])
        lost = self.pieces - self.good
        return min(count, -(-lost * count // self.pieces)) if self.pieces else 0


def _lossy(session: Session, sheet_ids: Sequence[int]) -> dict[int, _Lossy]:
    if not sheet_ids:
        return {}
    spoiled = func.json_extract(Sheet.progress_json, "$.spoiled")
    placed = case((func.json_length(spoiled) > 0, func.json_extract(Plate.summary_json, "$.placed")), else_="[]")
    wanted = select(Sheet.id, Sheet.pieces, Sheet.good, cast(spoiled, Text), cast(placed, Text))
    rows = session.execute(wanted.join(Plate, Plate.id == Sheet.plate_id).where(Sheet.id.in_(sheet_ids)))
    return {
        number: _Lossy(pieces, good or 0, json.loads(numbers or "[]"), json.loads(designs or "[]"))
        for number, pieces, good, numbers, designs in rows
    }


@dataclass(frozen=True)
class RunNamed:
    id: int
    name: str
    state: RunState


def runs_of(session: Session, design_ids: Sequence[int]) -> dict[int, list[RunNamed]]:
    """The runs that have pieces of each design, the newest first."""
    found: dict[int, list[RunNamed]] = {one: [] for one in design_ids}
    if not found:
        return found
    there = select(RunItem.design_id, Run.id, Run.name, Run.state).join(Run, Run.id == RunItem.run_id)
    wanted = there.where(RunItem.design_id.in_(design_ids)).order_by(Run.id.desc())
    for design_id, number, name, state in session.execute(wanted).tuples():
        found[design_id].append(RunNamed(number, name or f"Run {number}", state))
    return found
