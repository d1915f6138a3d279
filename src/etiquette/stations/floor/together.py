"""Jobs that could share a run: of one stock and due soon, with pieces that no run brings yet."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session

from etiquette.core.planning.sharing import Boxes, saved_mm
from etiquette.stations.floor.board import Board
from etiquette.store.models import Art, Design, Job, MarkSet, Roll, Stock

GAP_MM = 2.0


@dataclass(frozen=True)
class Together:
    """Pieces of several jobs for one run: by design. `saved_mm`: about how much shorter it is than a run for each."""

    stock_id: int
    stock: str
    jobs: list[Job]
    counts: Mapping[int, int]
    saved_mm: float


class _OnRolls(NamedTuple):
    """A stock with a roll."""

    id: int
    name: str
    width_mm: float


_STOCKS = (
    select(Stock.id, Stock.name, Stock.width_mm)
    .join(Roll)
    .where(~Roll.away, ~Stock.away)
    .order_by(Roll.remaining_mm.desc())
)
_WIDTH, _ART = (func.json_value(Design.document_json, f"$.{one}") for one in ("width_mm", "art_id"))
_BOXES = (
    select(Design.id, _WIDTH, Art.width_px, Art.height_px)
    .join(Art, Art.id == _ART)
    .where(Design.id.in_(bindparam("ids", expanding=True)), _WIDTH.is_not(None))
)
_MARKS = (
    select(MarkSet.size_mm, MarkSet.clear_mm, MarkSet.head_margin_mm, MarkSet.tail_margin_mm)
    .where(~MarkSet.away)
    .order_by(MarkSet.id)
    .limit(1)
)
"""Put together once: the Floor asks for them again and again."""


def together(session: Session, board: Board) -> Together | None:
    """The group that saves most; a single job without a run is one too. What belongs to a job that does not say its
    stock could be printed on the stock with most of it left, as a new run is."""
    stocks = _stocks(session)
    first = next(iter(stocks), None)
    groups: dict[int, dict[int, Job]] = {}
    wanted: dict[int, int] = {}
    for job in board.jobs:
        for design in job.designs:
            pieces = board.pieces[design.id].pieces
            if design.is_ready and pieces.wanted:
                stock = job.stock_id if job.stock_id in stocks else first
                if stock is not None:
                    groups.setdefault(stock, {})[job.id] = job
                    wanted[design.id] = pieces.wanted
    boxes, (side, ends) = _boxes(session, wanted), _margins_mm(session)
    found = []
    for stock, jobs in groups.items():
        counts = {d.id: wanted[d.id] for job in jobs.values() for d in job.designs if d.id in wanted}
        shares = [[boxes[d.id] for d in job.designs if d.id in boxes] for job in jobs.values()]
        saved = saved_mm(shares, stocks[stock].width_mm - 2 * side, GAP_MM, ends)
        found.append(Together(stock, stocks[stock].name, list(jobs.values()), counts, saved))
    return max(found, key=lambda one: (one.saved_mm, len(one.jobs)), default=None)


def _stocks(session: Session) -> dict[int, _OnRolls]:
    """The one with most on a roll first."""
    return {stock.id: stock for stock in map(_OnRolls._make, session.execute(_STOCKS))}


def _boxes(session: Session, wanted: Mapping[int, int]) -> dict[int, Boxes]:
    """The box of each design's art at its real size."""
    rows = session.execute(_BOXES, {"ids": list(wanted)})
    return {
        number: Boxes(float(mm), float(mm) * high / wide, wanted[number]) for number, mm, wide, high in rows if wide
    }


def _margins_mm(session: Session) -> tuple[float, float]:
    """What marks take beside the work, and what marks and margins take of the length of every run."""
    marks = session.execute(_MARKS).one_or_none()
    if marks is None:
        return 0.0, 0.0
    size, clear, head, tail = marks
    return size + 2 * clear, head + tail + 2 * size
