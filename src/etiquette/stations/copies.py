"""Which row every copy of a run is filled from. Rows are given to a run when its print files are made, in the order in
which copies come off the printer, and stay with it: a row is printed once, and again only when it was spoiled."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import cos, radians, sin

from sqlalchemy import select, union
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.printing.plates import Fills
from etiquette.core.variable.checking import check_rows
from etiquette.core.variable.filling import FilledCopy
from etiquette.files.documents.runs import FilledDocument
from etiquette.stations import edits, runs
from etiquette.stations.rows import Rows
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, PlateItem, Run, RunItem, Sheet
from etiquette.store.states import SheetState

NAMED = 3
"""Troubles that a sentence names."""


class RowState(StrEnum):
    """How far the copy of a row is."""

    MISSING = "missing"
    SPOILED = "spoiled"
    PLANNED = "planned"
    PRINTED = "printed"
    GOOD = "good"


@dataclass(frozen=True)
class RowSeen:
    """`code`: of the frame it was printed on last, if any."""

    state: RowState
    code: str = ""


def ranges_of(numbers: Iterable[int]) -> list[tuple[int, int]]:
    """Numbers as first and last of each stretch without a gap."""
    found: list[tuple[int, int]] = []
    for number in sorted(set(numbers)):
        if found and number == found[-1][1] + 1:
            found[-1] = (found[-1][0], number)
        else:
            found.append((number, number))
    return found


def give(shop: Shop, session: Session, run_id: int) -> None:
    """Give the copies of a run their rows: those it has already, as far as they still count, and then the first that
    no other run has. Raises JobError when there are fewer rows than copies."""
    run = edits.locked(session, "run", run_id)
    # two runs that ask in the same moment must not be given the same row: whoever holds the design gives
    ids = sorted(item.design_id for item in run.document.items)
    session.execute(select(Design.id).where(Design.id.in_(ids)).order_by(Design.id).with_for_update())
    state = runs.state_of(shop, session, run_id)
    placed = _placed(state)
    given = {}
    for design_id, rows in state.rows.items():
        count, held = len(placed[str(design_id)]), run.document.filled.get(design_id)
        whole = set(rows.printed())
        own = held.numbers() if held and held.table_id == rows.document.table_id else []
        kept = [number for number in own if number in whole][:count]
        seen = rows_seen(session, design_id, rows, but=run_id) if len(kept) < count else {}
        has = set(kept)
        free = (one for one in rows.printed() if one not in has and _is_free(seen.get(one)))
        more = [number for number, _ in zip(free, range(count - len(kept)), strict=False)]
        if len(kept) + len(more) < count:
            there = len(kept) + len(more)
            raise JobError(
                f"{rows.design} stands {count} times in the run, and {there} of its rows are left to print.",
                rows.design,
                f"Set its count to {there} in Run." if there else "Mark what is spoiled, or begin the job anew.",
            )
        given[design_id] = FilledDocument(table_id=rows.document.table_id, ranges=ranges_of([*kept, *more]))
    if given != run.document.filled:
        run.document = run.document.with_(filled=given)


def _is_free(seen: RowSeen | None) -> bool:
    return seen is None or seen.state in (RowState.MISSING, RowState.SPOILED)


def _placed(state: runs.RunState) -> dict[str, list[tuple[str, int]]]:
    """Copies by design, in the order in which they come off the printer: frame by frame, each by the middle of its art,
    along the feed and then across."""
    layout = state.document.layout
    found: dict[str, list[tuple[tuple[float, ...], tuple[str, int]]]] = defaultdict(list)
    for one in layout.to_placements() if layout else ():
        design = state.designs[int(one.id)]
        x, y = (design.document.width_mm or 0.0) / 2, (design.height_mm or 0.0) / 2
        turn = radians(one.rotation_deg)
        across, along = one.x_mm + x * cos(turn) - y * sin(turn), one.y_mm + x * sin(turn) + y * cos(turn)
        found[one.id].append(((one.sheet, round(along, 3), round(across, 3)), (one.id, one.copy)))
    last_first = state.document.rows_from == "tail"
    return {name: [copy for _, copy in sorted(held, reverse=last_first)] for name, held in found.items()} | {
        str(number): [] for number in state.designs if str(number) not in found
    }


def row_of_copies(state: runs.RunState) -> dict[tuple[str, int], int]:
    """The row of each copy, by design and copy; of designs whose copies are alike, or have no rows yet, nothing."""
    placed = _placed(state) if state.rows else {}
    found: dict[tuple[str, int], int] = {}
    for design_id in state.rows:
        held = state.document.filled.get(design_id)
        if held is not None:
            found.update(zip(placed[str(design_id)], held.numbers(), strict=False))
    return found


def has_its_rows(state: runs.RunState) -> bool:
    """Whether every copy that has to be filled has a row that is still to be printed."""
    if not state.rows:
        return True
    given = row_of_copies(state)
    for design_id, copies in _placed(state).items():
        rows = state.rows.get(int(design_id))
        held = state.document.filled.get(int(design_id))
        if rows is None:
            continue
        if held is None or held.table_id != rows.document.table_id or len(held.numbers()) != len(copies):
            return False
        whole = set(rows.printed())
        if any(given.get(copy) not in whole for copy in copies):
            return False
    return True


def fills_of(state: runs.RunState) -> Fills | None:
    """Every copy of a run filled from its row; None where all are alike. Raises JobError when anything is wrong with
    one: nothing is printed until it is decided."""
    if not state.rows:
        return None
    given = row_of_copies(state)
    copies: dict[tuple[str, int], FilledCopy] = {}
    pictures = {name: rows.picture_of() for rows in state.rows.values() for name in rows.pictures}
    loose = frozenset(str(design_id) for design_id in state.rows)
    for design_id, rows in state.rows.items():
        by_row = {row: copy for copy, row in given.items() if copy[0] == str(design_id)}
        made = filled_rows(rows, sorted(by_row))
        copies |= {copy: made[row] for row, copy in by_row.items()}
    return Fills(copies, lambda name: pictures[name](name), loose)


def filled_rows(rows: Rows, numbers: Sequence[int]) -> dict[int, FilledCopy]:
    """Copies by their row. Raises JobError when anything is wrong with one of them."""
    made: dict[int, FilledCopy] = {}
    found = check_rows(
        rows.filling(), rows.each(numbers), rows.document.field_set(rows.inks), rows.odd(set(numbers)),
        lambda copy: made.__setitem__(copy.row, copy),
    )  # fmt: skip
    if found.count:
        told = " ".join(
            f"Row {one.row}{f', {one.field}' if one.field else ''}: {one.why}" for one in found.troubles[:NAMED]
        )
        more = f" And {found.count - NAMED} more." if found.count > NAMED else ""
        raise JobError(f"{told}{more}", rows.design, "Mend it at Lines, Rows, or leave these rows out there.")
    return made


# --- what became of rows


def rows_seen(session: Session, design_id: int, rows: Rows, but: int | None = None) -> dict[int, RowSeen]:
    """How far every row of a design is that any run has, or had; `but`: a run that is passed over."""
    runs_with = union(
        select(RunItem.run_id).where(RunItem.design_id == design_id),
        select(Plate.run_id).join(PlateItem, PlateItem.plate_id == Plate.id).where(PlateItem.design_id == design_id),
    )
    ids = [number for number in session.scalars(runs_with) if number != but]
    plates: dict[int, list[Plate]] = defaultdict(list)
    for plate in session.scalars(select(Plate).where(Plate.run_id.in_(ids))):
        plates[plate.run_id].append(plate)
    sheets: dict[int, list[Sheet]] = defaultdict(list)
    wanted = [plate.id for held in plates.values() for plate in held]
    for sheet in session.scalars(select(Sheet).where(Sheet.plate_id.in_(wanted)).order_by(Sheet.id)):
        sheets[sheet.plate_id].append(sheet)
    found: dict[int, RowSeen] = {}
    for run in session.scalars(select(Run).where(Run.id.in_(ids)).order_by(Run.id)):
        here = _of_run(design_id, plates[run.id], sheets)
        held = run.document.filled.get(design_id)
        for row in held.numbers() if held and held.table_id == rows.document.table_id else ():
            here.setdefault(row, RowSeen(RowState.PLANNED))
        for row, seen in here.items():
            known = found.get(row)
            if known is None or _RANK[seen.state] >= _RANK[known.state] or known.state is RowState.SPOILED:
                found[row] = seen
    return found


_RANK = {state: number for number, state in enumerate(RowState)}


def _of_run(design_id: int, plates: Sequence[Plate], sheets: Mapping[int, Sequence[Sheet]]) -> dict[int, RowSeen]:
    """The rows that prints of one run have; of several prints of a row the best counts."""
    found: dict[int, RowSeen] = {}
    for plate in plates:
        summary = plate.summary
        for sheet in sheets[plate.id]:
            if sheet.state is SheetState.FAILED or not summary.rows:
                continue
            spoiled = set(sheet.progress.spoiled) if sheet.progress else set()
            for piece, (design, row) in enumerate(zip(summary.placed, summary.rows, strict=True), 1):
                if design != design_id or not row:
                    continue
                state = RowState.SPOILED if piece in spoiled else _state_of(sheet)
                known = found.get(row)
                if known is None or _RANK[state] > _RANK[known.state]:
                    found[row] = RowSeen(state, summary.code)
    return found


def _state_of(sheet: Sheet) -> RowState:
    if sheet.state is SheetState.HELD:
        return RowState.PLANNED
    counted = sheet.state in (SheetState.CUT, SheetState.DONE) and sheet.good is not None
    return RowState.GOOD if counted else RowState.PRINTED
