"""Cutting a sheet: in parts that are never cut twice, watched by the camera, held and gone on with at any time.

What is cut is noted line by line as the machine tells it, before the next part is sent; so after a broken line, a power
cut or a stop of Etiquette itself the rest is known, and only what was under the knife at that moment is in doubt.
"""

from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.cutting.motion import KIND_ORDER
from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.devices import holds
from etiquette.files.contracts import FitFile, TransformFile
from etiquette.files.documents.sheets import CutDocument, ProgressDocument
from etiquette.stations.bench.cut_job import CutJob
from etiquette.stations.bench.cut_progress import lines_of_sheet, motion_of, progress_of, wanted_lines
from etiquette.stations.bench.cut_watch import Watch
from etiquette.stations.bench.schemas import CutWork, SheetCut
from etiquette.stations.bench.trying import cut_shape
from etiquette.stations.machines import CutterHere, cutter_of_sheet
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop
from etiquette.stations.tools import put_in
from etiquette.store.models import Plate, Run, Sheet
from etiquette.store.states import RunState, SheetState
from etiquette.tasks.task import Outcome, Report


def cut_sheet(shop: Shop, wanted: CutWork, report: Report) -> Outcome[SheetCut]:
    """Task: cut what is left of a sheet. `pieces`: only these, from now on; `one`: the first piece that is left;
    `kinds`: only lines of these; `ready`: the tool that hands have put in; `anyway`: although the fit says stop;
    `shape`: none of it, only a test shape beside the work."""
    sheet, plate, cutter = shop.database.within(
        lambda session: (s := sheet_there(session, wanted.sheet_id), s.plate, cutter_of_sheet(session, s.id))
    )
    if sheet.state != "read" or sheet.reading is None:
        raise JobError("The marks of this sheet have not been read.", sheet.name, "Press M to read them.")
    fit = sheet.reading.fit
    if fit.verdict == "stop" and not wanted.anyway:
        why = fit.reasons[0] if fit.reasons else "Read the marks again."
        raise JobError("The fit says stop: the cut would miss.", sheet.name, why)
    progress = progress_of(sheet)
    if progress.doubtful:
        raise JobError(
            f"{_lines_words(len(progress.doubtful))} under the knife when the cut was broken off.",
            sheet.name,
            "Look at the sheet, then say what became of them.",
        )
    lines = lines_of_sheet(shop, plate)
    if len(progress.done) == len(lines):  # all that was missing was the last answer
        return _finished(shop, sheet, plate, cutter, progress)
    if wanted.pieces is not None:
        progress = progress.with_(wanted=tuple(wanted.pieces))
    left = wanted_lines(lines, progress, wanted.kinds)
    if wanted.one:
        first = next((lines[number].piece for number in left if lines[number].piece is not None), None)
        left = [number for number in left if lines[number].piece == first]
    if not left:
        raise JobError("Nothing is left to cut of what was asked for.", sheet.name, "Choose other pieces or kinds.")
    report(0.02, "Sending the cut")
    if tool := wanted.ready:
        shop.database.within(lambda session: put_in(session, cutter.id, tool))
        cutter = shop.database.within(lambda session: cutter_of_sheet(session, sheet.id))
    if wanted.shape:
        following = min((lines[number].kind for number in left), key=KIND_ORDER.index)
        return cut_shape(shop, sheet, cutter, following, progress, report)
    motion, cards = motion_of(shop, plate, cutter, fit.transform, left)
    progress = progress.with_(waits_for="")
    watch = Watch(plate.summary.marks, sheet.reading, cutter)
    job = CutJob(shop, sheet, cutter, progress, motion, cards, watch, report)
    state = job.run()
    if state != "done":
        return Outcome(SheetCut(sheet_id=sheet.id, state=state, waits_for=job.progress.waits_for))
    progress = job.progress
    rest = wanted_lines(lines, ProgressDocument(done=progress.done), None)
    if rest and (wanted.one or wanted.pieces is not None or wanted.kinds):
        return Outcome(SheetCut(sheet_id=sheet.id, state="part"))
    return _finished(shop, sheet, plate, cutter, progress)


def _finished(
    shop: Shop, sheet: Sheet, plate: Plate, cutter: CutterHere, progress: ProgressDocument
) -> Outcome[SheetCut]:
    """All lines are cut: what is known of the whole cut is kept."""
    assert sheet.reading is not None
    whole, _ = motion_of(shop, plate, cutter, sheet.reading.fit.transform)
    note = CutDocument(strokes=len(whole.strokes), cut_mm=round(whole.cut_mm, 1), seconds=round(whole.seconds, 1))
    return Outcome(
        SheetCut(sheet_id=sheet.id, state="done"), lambda session: keep_cut(session, sheet.id, progress, note)
    )


def keep_cut(session: Session, sheet_id: int, progress: ProgressDocument, note: CutDocument) -> None:
    """The sheet is cut whole; `note` is what is shown of it."""
    row = session.get_one(Sheet, sheet_id)
    row.state, row.report, row.good = SheetState.CUT, note, row.pieces - len(progress.spoiled)
    session.get_one(Run, row.plate.run_id).state = RunState.CUT
    noted(session, sheet_id, "good", f"{row.name} is cut: {row.pieces} pieces.")


def left_off(session: Session, wanted: CutWork, begun: bool = True) -> None:
    """The cut was broken off, by a crash or a power cut: what is noted stands, and the log says so."""
    sheet = session.get(Sheet, wanted.sheet_id)
    if sheet is not None and begun:
        progress = progress_of(sheet)
        noted(
            session,
            sheet.id,
            "stop",
            f"{sheet.name}: the cut was broken off; {len(progress.done)} lines are cut for certain, "
            f"{len(progress.doubtful)} in doubt.",
        )


def settle_doubt(shop: Shop, sheet_id: int, how: Literal["cut", "again", "spoiled"]) -> None:
    """What became of the lines in doubt, as a person saw it: they are cut, they are to be cut again, or their pieces
    are spoiled and go on as if cut. Raises NotThere, JobError, holds.Busy while the cutter is at work."""
    plate = shop.database.within(lambda session: sheet_there(session, sheet_id).plate)
    lines = lines_of_sheet(shop, plate)

    def settle(session: Session) -> None:
        holds.refuse_busy(session, cutter_of_sheet(session, sheet_id).key)
        sheet = session.get_one(Sheet, sheet_id, with_for_update=True)
        progress = progress_of(sheet)
        if not progress.doubtful:
            raise JobError("No line of this sheet is in doubt.", sheet.name, "Cut what is left.")
        if how == "spoiled":
            pieces = {piece for number in progress.doubtful if (piece := lines[number].piece) is not None}
            progress = progress.with_(spoiled=tuple(sorted({*progress.spoiled, *pieces})))
        words = {"cut": "are cut", "again": "are cut again", "spoiled": "count as spoiled"}[how]
        noted(session, sheet_id, "look", f"{sheet.name}: {len(progress.doubtful)} lines in doubt {words}.")
        done = progress.done if how == "again" else tuple(sorted({*progress.done, *progress.doubtful}))
        sheet.progress = progress.with_(done=done, doubtful=())

    shop.database.within(settle)


def _lines_words(count: int) -> str:
    return "1 line was" if count == 1 else f"{count} lines were"


def unaligned(fit: FitFile, plan: FramePlan) -> TransformFile:
    """The cut as it would go without reading marks beyond the first: placed on one mark, square to the machine."""
    mark = next(m for m in plan.marks if any(r.id == m.id and r.used for r in fit.residuals))
    at = fit.transform.to_transform()(np.array([[mark.x, mark.y]]))[0]
    sign = -1.0 if fit.load == "tail" else 1.0
    return TransformFile(
        kind="similarity", origin=(mark.x, mark.y), scale=1.0, x=[float(at[0]), sign, 0.0], y=[float(at[1]), 0.0, sign]
    )
