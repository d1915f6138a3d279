"""Sheets by number."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.errors import NotThere
from etiquette.store.models import Plate, PrintMode, Run, Sheet, Stock
from etiquette.store.states import RunState, SheetState


def back_on_shelf(sheet: Sheet) -> None:
    """The sheet lies on no machine any more; whether it has film, it keeps."""
    sheet.state, sheet.reading = SheetState.LAMINATED if sheet.film else SheetState.PRINTED, None


def sheet_there(session: Session, sheet_id: int) -> Sheet:
    """Raises NotThere."""
    sheet = session.get(Sheet, sheet_id)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Choose one from the shelf of printed sheets.")
    return sheet


SHEETS_SHOWN = 100


def sheets_of(session: Session, run_id: int) -> list[Sheet]:
    """Every print of a run, newest first."""
    return list(session.scalars(select(Sheet).join(Plate).where(Plate.run_id == run_id).order_by(Sheet.id.desc())))


def all_sheets(session: Session) -> list[Sheet]:
    """The shelf of printed sheets: the newest hundred that were sent and not spoiled on the printer."""
    return list(
        session.scalars(
            select(Sheet)
            .options(joinedload(Sheet.plate))
            .where(Sheet.state.not_in(("failed", "held")))
            .order_by(Sheet.id.desc())
            .limit(SHEETS_SHOWN)
        )
    )


def wants_film(session: Session, run: Run) -> bool:
    """Whether prints of a run get film: its laminator may be none, and its stock may take none."""
    stock = session.get(Stock, run.told("stock_id") or 0)
    return bool(run.told("laminator_id")) and (stock is None or stock.takes_film)


def goes_on(session: Session, sheet: Sheet, run: Run) -> None:
    """A sheet is printed, or has its film: to its next step, which is none when it is only printed."""
    if not sheet.film and wants_film(session, run):
        sheet.state, run.state = SheetState.PRINTED, RunState.FILM
    elif run.told("way") == "only":
        sheet.state, sheet.good, run.state = SheetState.DONE, sheet.pieces, RunState.DONE
    else:
        sheet.state, run.state = SheetState.LAMINATED if sheet.film else SheetState.PRINTED, RunState.CUTTER


NOT_YET = frozenset((SheetState.PRINTING, SheetState.UNCLEAR))


def length_of(sheet: Sheet) -> list[Sheet]:
    """The frames that hang together with a sheet, itself too, in the order in which they were printed; those that were
    not printed are not there."""
    if sheet.length is None:  # most: nothing is asked for them
        return [sheet]
    there = [one for one in sheet.together if one.state not in (SheetState.FAILED, SheetState.HELD)]
    return there or [sheet]


def printed_with(sheet: Sheet) -> list[Sheet]:
    """What is one print with a sheet, itself too: the blanks of its bed. The first is the one that is followed."""
    return sheet.on_bed if sheet.bed else [sheet]


def still_printed(sheet: Sheet) -> list[Sheet]:
    """What of its length is not printed yet: until then nothing of it leaves the printer."""
    return [one for one in length_of(sheet) if one.state in NOT_YET]


@dataclass(frozen=True)
class Drying:
    """From when a printed sheet may be rolled or stacked, and from when it may get its film (None: at once); how it is
    left until then."""

    touch_dry_at: datetime | None
    film_at: datetime | None
    rest: str


def drying_of(session: Session, sheet: Sheet) -> Drying:
    """How far the ink of a sheet, or of the length it hangs in, has dried."""
    mode_id = session.get_one(Run, sheet.plate.run_id).told("print_mode_id")
    mode = session.get(PrintMode, mode_id) if mode_id else None
    # a length dries from its last frame on
    last = max((one.printed_at for one in length_of(sheet) if one.printed_at), default=None)
    if last is None or mode is None:
        return Drying(None, None, "")
    touch, film = (
        last + timedelta(minutes=minutes) if minutes else None
        for minutes in (mode.touch_dry_minutes, mode.drying_minutes)
    )
    return Drying(touch, film, mode.rest)
