"""What was printed and cut when, by which machine, with which fit and how well; what was used and lost by month and by
stock. All of it from what the stations have written down."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import Integer, Select, case, cast, func, select
from sqlalchemy.orm import Session

from etiquette.stations.clock import Clock, clock_of
from etiquette.stations.clock import months as months_before
from etiquette.stations.floor.money_schemas import MonthUsed, RecordShown, RecordsShown
from etiquette.store.models import Cutter, Plate, Printer, Roll, RollEntry, Run, Sheet, Stock
from etiquette.store.rows import all_in

A_PAGE = 100
MONTHS = 12
OF_SHEET = RollEntry.reference.like("sheet %") & (RollEntry.length_mm < 0)
SHEET_ID = cast(func.substring(RollEntry.reference, 7), Integer)
SPOILED = RollEntry.reason.like("spoiled:%")


def month_of(word: str, clock: Clock) -> tuple[datetime, datetime]:
    """From its first moment to that of the next; `word` is YYYY-MM."""
    first = date.fromisoformat(f"{word}-01")
    after = date(first.year + first.month // 12, first.month % 12 + 1, 1)
    return clock.begin(first), clock.begin(after)


def records(session: Session, text: str, month: str | None, skip: int, most: int = A_PAGE) -> RecordsShown:
    """Prints, the newest first: those whose run, stock, printer or cutter has all words of `text`, of a month."""
    # in the order written: from the newest entry back until a page is full, not all of them joined and then sorted
    newest = _joined(select(RollEntry.id)).prefix_with("STRAIGHT_JOIN").order_by(RollEntry.id.desc())
    wanted = newest.offset(skip).limit(most + 1)
    for word in text.split():
        wanted = wanted.where(
            all_in(Run.name, [word])[0] | all_in(Stock.name, [word])[0] | all_in(Sheet.name, [word])[0]
            | all_in(func.coalesce(Printer.name, ""), [word])[0] | all_in(func.coalesce(Cutter.name, ""), [word])[0]
        )  # fmt: skip
    if month:
        begin, end = month_of(month, clock_of(session))
        wanted = wanted.where(RollEntry.at >= begin, RollEntry.at < end)
    # which they are comes first: what was read and cut is taken out of documents, and only of those that are shown
    ids = list(session.scalars(wanted))
    asked = _records().where(RollEntry.id.in_(ids)).order_by(RollEntry.id.desc())
    rows = [RecordShown(**row._mapping) for row in session.execute(asked)]
    return RecordsShown(records=rows[:most], more=len(rows) > most)


def _joined(asked: Select[Any]) -> Select[Any]:
    """From what was taken off a roll to the print and all that it was made on."""
    return (
        asked.select_from(RollEntry).join(Sheet, Sheet.id == SHEET_ID).join(Plate, Plate.id == Sheet.plate_id)
        .join(Run, Run.id == Plate.run_id).join(Roll, Roll.id == RollEntry.roll_id)
        .join(Stock, Stock.id == Roll.stock_id).outerjoin(Printer, Printer.id == Run.printer_id)
        .outerjoin(Cutter, Cutter.id == Sheet.cutter_id).where(OF_SHEET)
    )  # fmt: skip


def _records() -> Select[Any]:
    fit, cut = "$.fit", "$.cut.p95_mm"
    asked: Select[Any] = (
        select(  # type: ignore[assignment]
            Sheet.id.label("sheet_id"), Sheet.name.label("name"), func.coalesce(Run.name, "").label("run"),
            Run.id.label("run_id"), RollEntry.at.label("at"), Sheet.who.label("who"),
            func.coalesce(Printer.name, "").label("printer"), Stock.name.label("stock"), Roll.name.label("roll"),
            (-RollEntry.length_mm).label("length_mm"), SPOILED.label("spoiled"), Sheet.pieces.label("pieces"),
            Sheet.good.label("good"), func.coalesce(Cutter.name, "").label("cutter"),
            func.json_value(Sheet.reading_json, f"{fit}.verdict").label("verdict"),
            func.json_value(Sheet.reading_json, f"{fit}.predicted_error_mm.max").label("expected_mm"),
            func.json_value(Sheet.report_json, cut).label("missed_mm"),
        )
    )  # fmt: skip
    return _joined(asked)


def months(session: Session) -> list[MonthUsed]:
    """By month and stock, the oldest first, of the last MONTHS months."""
    clock = clock_of(session)
    starts = months_before(clock.day(), MONTHS)
    month = clock.grouped(RollEntry.at, starts)
    share = func.coalesce((Sheet.pieces - Sheet.good) / func.nullif(Sheet.pieces, 0), 0)
    lost = case((SPOILED, -RollEntry.length_mm), else_=-RollEntry.length_mm * share)
    asked = (
        select(
            month, Stock.name, Stock.width_mm, func.sum(-RollEntry.length_mm), func.sum(lost),
            func.coalesce(func.sum(Sheet.good), 0),
        )
        .select_from(RollEntry).join(Roll, Roll.id == RollEntry.roll_id).join(Stock, Stock.id == Roll.stock_id)
        .outerjoin(Sheet, Sheet.id == SHEET_ID).where(OF_SHEET, RollEntry.at >= clock.begin(starts[0]))
        .group_by(month, Stock.id).order_by(month, Stock.id)
    )  # fmt: skip
    return [
        MonthUsed(month=one, stock=name, width_mm=width, used_mm=used, lost_mm=gone, good=int(good))
        for one, name, width, used, gone, good in session.execute(asked).tuples()
    ]


def as_rows(found: Sequence[RecordShown | MonthUsed]) -> Iterable[list[Any]]:
    """With a line of heads, for a table."""
    if found:
        yield list(type(found[0]).model_fields)
    for one in found:
        yield list(one.model_dump(mode="json").values())
