"""What a job has cost so far: its share of every print with its pieces on it, spoiled and failed ones too, by what the
ledger of the rolls took and by the ink of the plates."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from etiquette.core.costing.quotes import HandStep, Materials, Quote, Work, quote
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.job_pieces import FILMED, GETS_FILM
from etiquette.stations.prices import prices_of
from etiquette.store.models import (
    Laminator,
    Plate,
    PlateItem,
    Printer,
    PrintMode,
    Roll,
    RollEntry,
    Run,
    Sheet,
    Stock,
)


@dataclass(frozen=True)
class Spent:
    """`prints`: how many prints of it there are; None of `quote`: nothing was printed yet."""

    prints: int
    metres: float
    currency: str
    quote: Quote | None


def spent(session: Session, job_id: int) -> Spent:
    """Raises NotThere."""
    job = job_there(session, job_id)
    ids = [design.id for design in job.designs]
    rows = _prints(session, ids) if ids else []
    if not rows:
        return Spent(0, 0.0, "", None)
    work, materials, metres = _together(rows)
    steps = [HandStep(**one) for one in job.hand_steps or ()]
    made = quote(work, materials, prices_of(session), steps)
    return Spent(len(rows), metres, rows[0].currency, made)


@dataclass(frozen=True)
class _Print:
    """One print: what was taken off its roll, and the share of its pieces that are of the job."""

    share: float
    pieces: int
    run_id: int
    length_mm: float
    width_mm: float
    price_m2: Decimal
    currency: str
    film_m2: Decimal
    ink_ml: float
    ink_price: Decimal
    m2_per_hour: float
    cut_seconds: float
    cut: bool


def _json(column: ColumnElement[object] | object, path: str) -> ColumnElement[float]:
    return func.coalesce(func.json_value(column, path), 0)  # type: ignore[return-value]


def _prints(session: Session, design_ids: Sequence[int]) -> list[_Print]:
    own = (
        select(PlateItem.plate_id, func.sum(PlateItem.count).label("count"))
        .where(PlateItem.design_id.in_(design_ids)).group_by(PlateItem.plate_id).subquery()
    )  # fmt: skip
    taken = select(func.sum(-RollEntry.length_mm)).where(
        RollEntry.reference == func.concat("sheet ", Sheet.id), RollEntry.length_mm < 0
    )
    filmed = func.if_(GETS_FILM & Sheet.state.in_(FILMED), func.coalesce(Laminator.film_price_m2, 0), 0)
    inks = func.json_query(Plate.summary_json, "$.inks")
    wanted = (
        select(
            own.c.count, Sheet.pieces, Run.id, taken.correlate(Sheet).scalar_subquery(), Stock.width_mm, Stock.price_m2,
            Stock.currency, filmed, inks, func.coalesce(PrintMode.ink_ml_m2, 0),
            func.coalesce(Printer.ink_price_ml, 0), func.coalesce(PrintMode.m2_per_hour, 0),
            _json(Sheet.report_json, "$.seconds"),
        )
        .select_from(Sheet).join(own, own.c.plate_id == Sheet.plate_id)
        .join(Plate, Plate.id == Sheet.plate_id).join(Run, Run.id == Plate.run_id)
        .join(Roll, Roll.id == func.coalesce(Sheet.roll_id, Run.roll_id)).join(Stock, Stock.id == Roll.stock_id)
        .outerjoin(Printer, Printer.id == Run.printer_id).outerjoin(Laminator, Laminator.id == Run.laminator_id)
        .outerjoin(PrintMode, PrintMode.id == Run.print_mode_id)
    )  # fmt: skip
    found = []
    for count, pieces, run, length, width, price, currency, film, shares, full, ink, speed, seconds in session.execute(
        wanted
    ).tuples():
        if length is None:
            continue  # nothing came off a roll
        area = float(length) * width / 1e6
        found.append(
            _Print(
                min(1.0, float(count) / max(pieces, 1)),
                int(count),
                run,
                float(length),
                width,
                price,
                currency,
                Decimal(film),
                _full(shares) * area * float(full),
                Decimal(ink),
                float(speed),
                float(seconds),
                bool(seconds),
            )
        )
    return found


def _full(shares: str | None) -> float:
    """How much of the page the inks cover together."""
    return float(sum(json.loads(shares).values())) if shares else 0.0


def _together(rows: Sequence[_Print]) -> tuple[Work, Materials, float]:
    """Amounts of different prices become areas of one price: what is paid is what counts."""
    area = sum(row.share * row.length_mm * row.width_mm / 1e6 for row in rows)
    film = sum(row.share * row.length_mm * row.width_mm / 1e6 for row in rows if row.film_m2)
    ink = sum(row.share * row.ink_ml for row in rows)
    paid = sum((_worth(row, row.price_m2) for row in rows), Decimal(0))
    for_film = sum((_worth(row, row.film_m2) for row in rows), Decimal(0))
    for_ink = sum((Decimal(repr(row.share * row.ink_ml)) * row.ink_price for row in rows), Decimal(0))
    work = Work(
        pieces=sum(row.pieces for row in rows),
        stock_m2=area,
        film_m2=film,
        ink_ml=ink,
        print_minutes=sum(
            row.share * row.length_mm * row.width_mm / 1e6 / row.m2_per_hour * 60 for row in rows if row.m2_per_hour
        ),
        cut_minutes=sum(row.share * row.cut_seconds for row in rows) / 60,
        runs=len({row.run_id for row in rows}),
        frames=sum(1 for row in rows if row.cut),
    )
    materials = Materials(_each(paid, area), _each(for_film, film), _each(for_ink, ink))
    return work, materials, sum(row.share * row.length_mm for row in rows) / 1000


def _worth(row: _Print, price_m2: Decimal) -> Decimal:
    return Decimal(repr(row.share * row.length_mm * row.width_mm / 1e6)) * price_m2


def _each(paid: Decimal, much: float) -> Decimal:
    return paid / Decimal(repr(much)) if much else Decimal(0)
