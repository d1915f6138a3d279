"""What needs somebody's hands now: a machine that waits for a tool, a print nobody knows of, a sheet to load, film to
put on, lines to look at, pieces to count and to hand over, care."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import IntEnum
from itertools import groupby
from typing import Any, NamedTuple

from sqlalchemy import Select, bindparam, func, literal, select
from sqlalchemy.orm import Session, aliased

from etiquette.stations.care import Due, due_care
from etiquette.stations.floor.board import Board
from etiquette.stations.job_pieces import GETS_FILM
from etiquette.stations.safekeeping import copies_of, last_of
from etiquette.store.models import (
    Cutter,
    Design,
    Job,
    Order,
    OrderState,
    Plate,
    PlateItem,
    Printer,
    PrintMode,
    Roll,
    Run,
    Sheet,
    Stock,
    now,
)
from etiquette.store.models import RunItem as Planned
from etiquette.store.states import RunState, SheetState

MOST_SHEETS = 400
FAILED_DAYS = 7
MOST_ORDERS = 24
MOST_REMAKES = 24
Later, Spoiled = aliased(Sheet), aliased(Sheet)


class Rank(IntEnum):
    """What comes first among what needs hands: what keeps a machine from working, then what is next for one."""

    TOOL = 0
    UNCLEAR = 1
    CARE = 2
    COPY = 3
    ROLL = 4
    AGAIN = 5
    REMAKE = 6
    FILM = 7
    LOAD = 8
    COUNT = 9
    ORDER = 10
    LINES = 11
    HAND_OVER = 12
    DRYING = 13


@dataclass(frozen=True)
class Hand:
    """One thing to do: what, why or where, with what; `path`: where it is done."""

    rank: Rank
    title: str
    words: str
    detail: str
    path: str
    thumb: str = ""
    due: date | None = None
    care_id: int | None = None
    not_before: datetime | None = None
    """When it can be done (UTC): the ink is still drying."""


class _Open(NamedTuple):
    """A print that is not done with."""

    id: int
    name: str
    state: SheetState
    pieces: int
    run_id: int
    run: str
    printer: str
    cutter: str
    roll: str
    gets_film: bool
    waits_for: str
    due: date | None
    printed_at: datetime | None
    drying_minutes: float

    @property
    def dry_at(self) -> datetime | None:
        """Until when its ink keeps the film away; None: it does not."""
        if self.printed_at is None or not self.drying_minutes:
            return None
        dry = self.printed_at + timedelta(minutes=self.drying_minutes)
        return dry if dry > now() else None


def hands(session: Session, board: Board) -> list[Hand]:
    """All of it, the most pressing first."""
    found = [*_of_sheets(_open_sheets(session)), *_of_remakes(session), *_of_jobs(board),
             *_of_care(due_care(session)), *_of_orders(session), *_of_copies(session)]  # fmt: skip
    return sorted(found, key=lambda one: (one.rank, one.due or date.max))


def _asked() -> Select[*tuple[Any, ...]]:
    """Prints that wait for hands; those that failed only while nothing newer of their plate was printed."""
    due = (
        select(func.min(Job.due)).join(Design, Design.job_id == Job.id)
        .join(PlateItem, PlateItem.design_id == Design.id)
        .where(PlateItem.plate_id == Sheet.plate_id).correlate(Sheet).scalar_subquery()
    )  # fmt: skip
    tool = func.coalesce(func.json_value(Sheet.progress_json, "$.waits_for"), "")
    said = [func.coalesce(name, "") for name in (Run.name, Printer.name, Cutter.name, Roll.name)]
    wanted = (
        select(
            Sheet.id, Sheet.name, Sheet.state, Sheet.pieces, Run.id, *said,
            GETS_FILM, tool, due, Sheet.printed_at, func.coalesce(PrintMode.drying_minutes, 0.0),
        )
        .join(Plate, Plate.id == Sheet.plate_id)
        .join(Run, Run.id == Plate.run_id)
        .outerjoin(Stock, Stock.id == Run.stock_id)
        .outerjoin(Printer, Printer.id == Run.printer_id)
        .outerjoin(Cutter, Cutter.id == func.coalesce(Sheet.cutter_id, Run.cutter_id))
        .outerjoin(Roll, Roll.id == Sheet.roll_id)
        .outerjoin(PrintMode, PrintMode.id == Run.print_mode_id)
    )  # fmt: skip
    S = SheetState
    waiting = Sheet.state.in_((S.HELD, S.UNCLEAR, S.PRINTED, S.LAMINATED, S.LOADED, S.READ))
    later = select(literal(1)).where(Later.plate_id == Sheet.plate_id, Later.id > Sheet.id).exists()
    failed = (Sheet.state == S.FAILED) & (Sheet.at > bindparam("since")) & ~later
    uncounted = (Sheet.state == S.CUT) & Sheet.good.is_(None)
    return wanted.where(waiting | failed | uncounted).order_by(Sheet.id.desc()).limit(MOST_SHEETS)


_SHEETS = _asked()  # put together once


def _open_sheets(session: Session) -> list[_Open]:
    since = now() - timedelta(days=FAILED_DAYS)
    return [_Open._make(row) for row in session.execute(_SHEETS, {"since": since})]


def _of_sheets(sheets: Iterable[_Open]) -> Iterable[Hand]:
    """One thing for all prints of a run that wait for the same."""
    ranked = [(rank, sheet) for sheet in sheets if (rank := _rank(sheet)) is not None]
    ranked.sort(key=lambda one: (one[0], one[1].run_id, one[1].id))
    for (rank, _), group in groupby(ranked, key=lambda one: (one[0], one[1].run_id)):
        yield _hand(rank, [sheet for _, sheet in group])


def _rank(sheet: _Open) -> Rank | None:
    S = SheetState
    if sheet.state in (S.LOADED, S.READ):
        return Rank.TOOL if sheet.waits_for else Rank.LOAD
    if sheet.state == S.PRINTED and sheet.gets_film:
        return Rank.DRYING if sheet.dry_at else Rank.FILM
    return {
        S.UNCLEAR: Rank.UNCLEAR, S.FAILED: Rank.AGAIN, S.HELD: Rank.ROLL, S.CUT: Rank.COUNT, S.PRINTED: Rank.LOAD,
        S.LAMINATED: Rank.LOAD,
    }[sheet.state]  # fmt: skip


def _hand(rank: Rank, sheets: list[_Open]) -> Hand:
    first = sheets[0]
    many = f"{len(sheets)} sheets" if len(sheets) > 1 else first.name
    pieces = sum(sheet.pieces for sheet in sheets)
    on_cutter = first.state in (SheetState.LOADED, SheetState.READ)
    printer, cutter = first.printer or "The printer", first.cutter or "The cutter"
    title, words = {
        Rank.TOOL: (f"Put in the {first.waits_for}", f"{cutter} stopped for it"),
        Rank.UNCLEAR: (f"Look whether {first.run} was printed", f"{printer} broke off"),
        Rank.ROLL: (f"Send {first.run}", f"held; wants {first.roll}" if first.roll else "it is held"),
        Rank.AGAIN: (f"Print {first.run} again", f"{printer} spoiled it"),
        Rank.DRYING: (f"Film for {first.run}", "its ink dries"),
        Rank.FILM: (f"Put film on {first.run}", f"printed on {printer}"),
        Rank.LOAD: (f"Cut {first.run}" if on_cutter else f"Load {first.run}", _where(first, cutter)),
        Rank.COUNT: (f"Count {first.run}", "it is cut"),
    }[rank]
    at_bench = rank in (Rank.TOOL, Rank.LOAD, Rank.COUNT)
    path = f"/bench/{first.id}" if at_bench else f"/print/{first.run_id}"
    return Hand(
        rank, title, words, f"{many} · {_counted(pieces, 'piece')}", path, f"/api/runs/{first.run_id}/thumb",
        due=min((sheet.due for sheet in sheets if sheet.due), default=None),
        not_before=max((sheet.dry_at for sheet in sheets if sheet.dry_at), default=None),
    )  # fmt: skip


def _where(sheet: _Open, cutter: str) -> str:
    if sheet.state in (SheetState.LOADED, SheetState.READ):
        return f"it lies on {cutter}"
    return f"{cutter}, film is on" if sheet.state == SheetState.LAMINATED else cutter


def _made_anew() -> Select[*tuple[Any, ...]]:
    """Runs of what was spoiled that nothing was printed of: name, pieces, the first day that they are due on."""
    printed = select(Sheet.id).join(Plate, Plate.id == Sheet.plate_id).where(Plate.run_id == Run.id).exists()
    made_anew = select(Spoiled.id).where(Spoiled.remade_run_id == Run.id).exists()
    return (
        select(Run.id, Run.name, func.sum(Planned.count), func.min(Job.due))
        .join(Planned, Planned.run_id == Run.id)
        .join(Design, Design.id == Planned.design_id)
        .join(Job, Job.id == Design.job_id)
        .where(Run.state == RunState.PLANNED, ~Run.away, made_anew, ~printed)
        .group_by(Run.id, Run.name).order_by(Run.id).limit(MOST_REMAKES)
    )  # fmt: skip


_REMAKES = _made_anew()


def _of_remakes(session: Session) -> Iterable[Hand]:
    """A run may have begun without anybody: somebody has to send it."""
    for number, name, pieces, due in session.execute(_REMAKES):
        words, path = "pieces that were spoiled", f"/print/{number}"
        thumb = f"/api/runs/{number}/thumb"
        yield Hand(Rank.REMAKE, f"Print {name}", words, _counted(int(pieces), "piece"), path, thumb, due)


def _of_jobs(board: Board) -> Iterable[Hand]:
    """Lines to look at and good pieces to hand over, of the jobs that the Floor shows."""
    for job in board.jobs:
        lines = [design for design in job.designs if not design.is_ready]
        if lines:
            first = lines[0]
            title = f"Check the line of {first.name}" if len(lines) == 1 else f"Check {len(lines)} lines of {job.name}"
            thumb = f"/api/designs/{first.id}/thumb"
            yield Hand(Rank.LINES, title, job.customer, job.name, f"/lines/{first.id}", thumb, job.due)
        pieces = [board.pieces[design.id].pieces for design in job.designs]
        here = sum(one.to_hand for one in pieces)
        if here and all(one.is_handed or one.good >= one.due for one in pieces):
            thumb = f"/api/designs/{job.designs[0].id}/thumb"
            words, path = f"all is good, for {job.customer}", f"/floor/job/{job.id}"
            yield Hand(Rank.HAND_OVER, f"Hand over {job.name}", words, _counted(here, "piece"), path, thumb, job.due)


def _of_care(dues: Iterable[Due]) -> Iterable[Hand]:
    for one in dues:
        path = f"/shelf?{one.care.machine_kind}={one.care.machine_id}"
        yield Hand(Rank.CARE, one.care.name, one.machine, one.why, path, care_id=one.care.id)


def _of_orders(session: Session) -> Iterable[Hand]:
    """Orders that came by themselves and ask somebody."""
    asking = select(Order).where(Order.state == OrderState.ASKS).order_by(Order.id).limit(MOST_ORDERS)
    for row in session.scalars(asking):
        path = f"/shelf?folder={row.folder_id}" if row.newer_of and row.folder_id else ""
        path = path or (f"/run/{row.run_id}" if row.run_id else f"/lines/{row.designs[0]}" if row.designs else "/shelf")
        thumb = f"/api/designs/{row.designs[0]}/thumb" if row.designs else ""
        yield Hand(Rank.ORDER, f"Look at {row.file_name}", "it came by itself", row.words, path, thumb)


def _of_copies(session: Session) -> Iterable[Hand]:
    """The copy of a night that was not made, or is not whole."""
    last = last_of(session)
    if last and last.problem and copies_of(session).folder:
        yield Hand(
            Rank.COPY, "Look at the copies of the shop", "the last one is not whole", last.problem, "/shelf?copies=0"
        )


def _counted(count: int, unit: str) -> str:
    return f"{count} {unit}{'' if count == 1 else 's'}"
