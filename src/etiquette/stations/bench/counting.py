"""Counting a cut sheet: which pieces are spoiled, and making up for them."""

from collections import Counter
from collections.abc import Sequence

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.runs import FilledDocument
from etiquette.stations import remakes
from etiquette.stations.bench.cut_progress import progress_of
from etiquette.stations.copies import ranges_of
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import sheet_there
from etiquette.store.models import Run, Sheet
from etiquette.store.states import SheetState


def count_good(session: Session, sheet_id: int, good: int) -> None:
    """How many pieces of a cut sheet are good, without saying which are not. Raises NotThere, JobError."""
    sheet = _cut_sheet(session, sheet_id)
    if not 0 <= good <= sheet.pieces:
        raise JobError(f"The sheet has {sheet.pieces} pieces.", sheet.name, f"Type a number from 0 to {sheet.pieces}.")
    sheet.good = good
    remakes.spoiled_now(sheet)


def mark_spoiled(session: Session, sheet_id: int, spoiled: Sequence[int]) -> None:
    """These pieces of a cut sheet, by number, are spoiled and all others good. Raises NotThere, JobError."""
    sheet = _cut_sheet(session, sheet_id)
    known = set(range(1, sheet.pieces + 1))
    if unknown := set(spoiled) - known:
        raise JobError(
            f"The sheet has {sheet.pieces} pieces; there is no piece {min(unknown)}.",
            sheet.name,
            "Click pieces of this sheet.",
        )
    sheet.progress = progress_of(sheet).with_(spoiled=tuple(sorted(set(spoiled))))
    sheet.good = sheet.pieces - len(set(spoiled))
    remakes.spoiled_now(sheet)


def _cut_sheet(session: Session, sheet_id: int) -> Sheet:
    sheet = sheet_there(session, sheet_id)
    if sheet.state != "cut":
        raise JobError("This sheet is not cut yet.", sheet.name, "Cut it first, then count.")
    return sheet


def recut(session: Session, sheet_id: int, line_pieces: Sequence[int | None]) -> None:
    """The spoiled pieces are to be cut once more where they lie: those that the knife did not go through.
    `line_pieces`: the piece of every line of the sheet. The marks have to be read again when the sheet was taken off.
    Raises JobError."""
    sheet = _cut_sheet(session, sheet_id)
    progress = progress_of(sheet)
    if not progress.spoiled:
        raise JobError("No piece is marked as spoiled.", sheet.name, "Click the pieces that have to be cut again.")
    again = set(progress.spoiled)
    done = tuple(number for number in progress.done if line_pieces[number] not in again)
    sheet.progress, sheet.state, sheet.report = (
        progress.with_(done=done, spoiled=(), wanted=None),
        SheetState.READ,
        None,
    )
    sheet.remake_at = sheet.remade_run_id = None
    noted(session, sheet.id, "look", f"{sheet.name}: {len(again)} pieces are cut once more.")


def reprint(session: Session, sheet_id: int) -> int:
    """A new run of what is spoiled on this sheet, for the same customer's designs on the same stock; returns its id.
    Where one began by itself it is that one: the same pieces are never in two. Raises JobError when nothing is, or when
    it is not known which pieces are."""
    sheet = _cut_sheet(session, sheet_id)
    placed = sheet.plate.summary.placed
    spoiled = progress_of(sheet).spoiled
    if not spoiled or not placed:
        raise JobError("No piece is marked as spoiled.", sheet.name, "Click the pieces that have to be printed again.")
    if sheet.remade_run_id is not None:
        return sheet.remade_run_id
    counts, rows = Counter(placed[piece - 1] for piece in spoiled), sheet.plate.summary.rows
    if sheet.plate.summary.plan.own_marks:  # the pieces of a page are printed with their page
        counts = Counter(set(counts))
    old = session.get_one(Run, sheet.plate.run_id)
    made = remakes.run_like(session, old, counts)
    sheet.remake_at = None
    if rows:  # the copies that are spoiled, with what was on them
        filled = {
            design: FilledDocument(
                table_id=held.table_id,
                ranges=ranges_of(rows[piece - 1] for piece in spoiled if placed[piece - 1] == design),
            )
            for design, held in old.document.filled.items()
            if design in counts
        }
        run = session.get_one(Run, made)
        run.document = run.document.with_(filled=filled)
    noted(session, sheet.id, "look", f"{sheet.name}: {len(spoiled)} pieces are printed again.")
    return made
