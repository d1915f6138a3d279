"""Cutting a sheet: in parts that are never cut twice, watched by the camera, held and gone on with at any time.

What is cut is noted line by line as the machine tells it, before the next part is sent; so after a broken line, a power
cut or a stop of Etiquette itself the rest is known, and only what was under the knife at that moment is in doubt.
"""

import base64
from collections.abc import Sequence
from dataclasses import replace
from time import monotonic
from typing import Any, Literal

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.cutting.motion import Motion, Stroke, ToolTurn, plan_motion
from etiquette.core.cutting.writers import hpgl_part
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.devices.line import DeviceLine, LineBroken, OpticalHead
from etiquette.files.contracts import FitFile, TransformFile
from etiquette.files.documents.sheets import CutDocument, CutMiss, ProgressDocument, ReadingDocument
from etiquette.files.lines_svg import read_lines
from etiquette.stations.bench_log import noted
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import NOTE_SECONDS, Shop
from etiquette.stations.tool_shelf import CutterSetting, cards_of, cutter_of, put_in, setting_of
from etiquette.store.models import Plate, Run, Sheet
from etiquette.store.states import RunState, SheetState
from etiquette.work import machines
from etiquette.work.tasks import Outcome, Report

LINES_A_PART = 8
"""After so many lines the machine is asked, the operator may hold, and the camera looks whether the sheet still lies."""
SLIPPED_MM = 0.15
"""A mark that has moved by more since it was read: the media slipped."""
PHOTO_OFF_MM = 0.25
"""How far the head may see a mark beside where a photo showed it."""
SLOW, SLOW_SECONDS = 1.25, 5.0
"""A machine that takes this many times as long as planned, and as many seconds more, is slow: the time left follows it."""
AGAIN = 3
"""Times a broken line is taken up again."""


def progress_of(sheet: Sheet) -> ProgressDocument:
    """How far the cut of a sheet is; at the beginning, nothing."""
    return sheet.progress or ProgressDocument()


def lines_of_sheet(shop: Shop, plate: Plate) -> list[FinishLine]:
    return read_lines(shop.blobs.read(plate.lines_sha), plate.summary.name).lines


def motion_of(
    shop: Shop,
    plate: Plate,
    transform: TransformFile | None,
    numbers: Sequence[int] | None = None,
) -> tuple[Motion, CutterSetting, dict[Any, Any]]:
    """The motion for the lines `numbers` (all: None) bent by `transform` (None: as planned), with the machine and cards."""
    lines = lines_of_sheet(shop, plate)
    chosen = list(range(len(lines))) if numbers is None else list(numbers)

    def with_what(session: Session) -> tuple[CutterSetting, dict[Any, Any]]:
        document = session.get_one(Run, plate.run_id).document
        cutter = cutter_of(session, document)
        return setting_of(cutter), cards_of(session, cutter.id, document.stock_id)

    setting, cards = shop.database.within(with_what)
    carry = transform.to_transform() if transform else (lambda points: points)
    motion = plan_motion([lines[number] for number in chosen], setting.profile, cards, carry)
    strokes = tuple(replace(stroke, line=chosen[stroke.line]) for stroke in motion.strokes)
    return replace(motion, strokes=strokes), setting, cards


def wanted_lines(lines: Sequence[FinishLine], progress: ProgressDocument, kinds: Sequence[str] | None) -> list[int]:
    """Numbers of the lines that are still to be cut, of the pieces and kinds asked for."""
    pieces = None if progress.wanted is None else set(progress.wanted)
    return [
        number
        for number, line in enumerate(lines)
        if number not in set(progress.done)
        and (pieces is None or line.piece in pieces)
        and (kinds is None or line.kind in kinds)
    ]


def cut_sheet(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: cut what is left of a sheet. `pieces`: only these, from now on; `one`: the first piece that is left; `kinds`: only
    lines of these; `ready`: the tool that hands have put in; `anyway`: although the fit says stop."""
    sheet, plate = shop.database.within(lambda session: (s := sheet_there(session, arguments["sheet_id"]), s.plate))
    if sheet.state != "read" or sheet.reading is None:
        raise JobError("The marks of this sheet have not been read.", sheet.name, "Press M to read them.")
    fit = sheet.reading.fit
    if fit.verdict == "stop" and not arguments.get("anyway"):
        why = fit.reasons[0] if fit.reasons else "Read the marks again."
        raise JobError("The fit says stop: the cut would miss.", sheet.name, why)
    progress = progress_of(sheet)
    if progress.doubtful:
        raise JobError(f"{_lines_words(len(progress.doubtful))} under the knife when the cut was broken off.", sheet.name, "Look at the sheet, then say what became of them.")  # fmt: skip
    lines = lines_of_sheet(shop, plate)
    if len(progress.done) == len(lines):  # all that was missing was the last answer
        return _finished(shop, sheet, plate, fit, progress, report)
    if arguments.get("pieces") is not None:
        progress = progress.with_(wanted=tuple(int(piece) for piece in arguments["pieces"]))
    left = wanted_lines(lines, progress, arguments.get("kinds"))
    if arguments.get("one"):
        first = next((lines[number].piece for number in left if lines[number].piece is not None), None)
        left = [number for number in left if lines[number].piece == first]
    if not left:
        raise JobError("Nothing is left to cut of what was asked for.", sheet.name, "Choose other pieces or kinds.")
    report(0.02, "Sending the cut")
    if arguments.get("ready"):
        shop.database.within(lambda session: put_in(session, session.get_one(Run, plate.run_id).document.cutter_id, str(arguments["ready"])))  # fmt: skip
    motion, setting, cards = motion_of(shop, plate, fit.transform, left)
    progress = progress.with_(waits_for="")
    watch = _Watch(plate.summary.plan.to_plan(), plate.summary.marks, sheet.reading, setting)
    job = _Job(shop, sheet, progress, motion, cards, setting, watch, report)
    state = job.run()
    if state != "done":
        return Outcome({"sheet_id": sheet.id, "state": state, "waits_for": job.progress.waits_for})
    progress = job.progress
    rest = wanted_lines(lines, ProgressDocument(done=progress.done), None)
    if rest and (arguments.get("one") or arguments.get("pieces") is not None or arguments.get("kinds")):
        return Outcome({"sheet_id": sheet.id, "state": "part"})
    return _finished(shop, sheet, plate, fit, progress, report)


def _finished(
    shop: Shop, sheet: Sheet, plate: Plate, fit: FitFile, progress: ProgressDocument, report: Report
) -> Outcome:
    """Look at the cut sheet and keep what is to be seen. All lines are cut: a machine that does not show the sheet any more
    changes nothing of that, and is only said."""
    whole, setting, cards = motion_of(shop, plate, fit.transform)
    straight, *_ = motion_of(shop, plate, unaligned(fit, plate.summary.plan.to_plan()))
    report(0.95, "Looking at the sheet")
    note = CutDocument(strokes=len(whole.strokes), cut_mm=round(whole.cut_mm, 1), seconds=round(whole.seconds, 1))
    picture: bytes | None = None
    try:
        with shop.line("cutter") as line:
            cut = line.ask("judge", name=sheet.name)["report"]
            without = line.ask("judge", name=sheet.name, hpgl=as_told(straight.strokes, setting, cards))["report"]
            seen = line.ask("picture", name=sheet.name)
        picture = base64.b64decode(seen["png"])
        note = note.with_(cut=_miss(cut), without=_miss(without), box=tuple(seen["box"]))
    except JobError as error:
        note = note.with_(unseen=f"Every line is cut. The sheet could not be looked at: {error.what}")

    def publish(session: Session) -> None:
        sha = shop.blobs.put(session, picture, "image/png") if picture else None
        keep_cut(session, sheet.id, progress, note.with_(picture=sha))

    return Outcome({"sheet_id": sheet.id, "state": "done"}, publish)


def _miss(report: dict[str, float] | None) -> CutMiss | None:
    return CutMiss(**report) if report else None


def keep_cut(session: Session, sheet_id: int, progress: ProgressDocument, note: CutDocument) -> None:
    """The sheet is cut whole; `note` is what is shown of it."""
    row = session.get_one(Sheet, sheet_id)
    row.state, row.report, row.good = SheetState.CUT, note, row.pieces - len(progress.spoiled)
    session.get_one(Run, row.plate.run_id).state = RunState.CUT
    worst = f", at worst {note.cut.worst_mm:.2f} mm off" if note.cut else ""
    noted(session, sheet_id, "look" if note.unseen else "good", f"{row.name} is cut: {row.pieces} pieces{worst}.")


def left_off(session: Session, arguments: dict[str, Any], begun: bool = True) -> None:
    """The cut was broken off, by a crash or a power cut: what is noted stands, and the log says so."""
    sheet = session.get(Sheet, arguments["sheet_id"])
    if sheet is not None and begun:
        progress = progress_of(sheet)
        noted(session, sheet.id, "stop", f"{sheet.name}: the cut was broken off; {len(progress.done)} lines are cut for certain, {len(progress.doubtful)} in doubt.")  # fmt: skip


def settle_doubt(shop: Shop, sheet_id: int, how: Literal["cut", "again", "spoiled"]) -> None:
    """What became of the lines in doubt, as a person saw it: they are cut, they are to be cut again, or their pieces are
    spoiled and go on as if cut. Raises NotThere, JobError, machines.Busy while the cutter is at work."""
    plate = shop.database.within(lambda session: sheet_there(session, sheet_id).plate)
    lines = lines_of_sheet(shop, plate)

    def settle(session: Session) -> None:
        machines.refuse_busy(session, "cutter")
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


def as_told(strokes: Sequence[Stroke], setting: CutterSetting, cards: dict[Any, Any]) -> str:
    """HP-GL of `strokes` as this machine has to be told them."""
    told = [replace(stroke, points=setting.told(stroke.points)) for stroke in strokes]
    return "IN;PA;" + "".join(hpgl_part(told, setting.profile, cards)) + "PU;SP0;\n"


def unaligned(fit: FitFile, plan: FramePlan) -> TransformFile:
    """The cut as it would go without reading marks beyond the first: placed on one mark, square to the machine."""
    mark = next(m for m in plan.marks if any(r.id == m.id and r.used for r in fit.residuals))
    at = fit.transform.to_transform()(np.array([[mark.x, mark.y]]))[0]
    sign = -1.0 if fit.load == "tail" else 1.0
    return TransformFile(
        kind="similarity", origin=(mark.x, mark.y), scale=1.0, x=[float(at[0]), sign, 0.0], y=[float(at[1]), 0.0, sign]
    )


class _Watch:
    """Looks again and again at a mark that was read: it has to lie where it lay."""

    def __init__(self, plan: FramePlan, recipe: MarkRecipe, reading: ReadingDocument, setting: CutterSetting) -> None:
        used = {one.id for one in reading.fit.residuals if one.used}
        self._marks = [mark.measured for mark in reading.marks if mark.measured and mark.id in used]
        self._seen: dict[int, tuple[float, float]] = {}
        self._first_mm = SLIPPED_MM + (PHOTO_OFF_MM if reading.by == "photo" else 0.0)
        self._recipe, self._setting = recipe, setting

    def moved_mm(self, line: DeviceLine, near: np.ndarray) -> float:
        """How far the mark nearest to `near` has moved; 0 while that is too little to be a slip. A mark that is not seen
        tells nothing."""
        if not self._marks:
            return 0.0
        number = min(range(len(self._marks)), key=lambda one: float(np.hypot(*(np.array(self._marks[one]) - near))))
        x, y = self._seen.get(number, self._marks[number])
        seen = find_marks(self._setting.corrected(OpticalHead(line), x, y), self._recipe)
        if not seen:
            return 0.0
        now = min(seen, key=lambda one: float(np.hypot(one.x - x, one.y - y)))
        moved = float(np.hypot(now.x - x, now.y - y))
        if moved > (SLIPPED_MM if number in self._seen else self._first_mm):
            return moved
        self._seen.setdefault(number, (now.x, now.y))
        return 0.0


class _Job:
    """One go at a cut: parts are sent one after the other until all is cut, held, or a tool has to be changed."""

    def __init__(
        self,
        shop: Shop,
        sheet: Sheet,
        progress: ProgressDocument,
        motion: Motion,
        cards: dict[Any, Any],
        setting: CutterSetting,
        watch: _Watch,
        report: Report,
    ) -> None:
        self._shop, self._sheet, self.progress = shop, sheet, progress
        self._motion, self._cards, self._setting = motion, cards, setting
        self._watch, self._report = watch, report
        self._name = f"{sheet.name}.{len(progress.done)}.{motion.cut_mm:.0f}"

    def run(self) -> str:
        """“done”, “held” or “tool”. Raises JobError; what was cut until then is noted."""
        parts = self._parts()
        for broken in range(AGAIN + 1):
            try:
                with self._shop.line("cutter") as line:
                    return self._send(line, parts, begin=broken == 0)
            except LineBroken as error:
                if broken == AGAIN or not self._listens_still():
                    raise self._in_doubt(error) from None
        raise AssertionError("the loop ends by returning or raising")

    def _listens_still(self) -> bool:
        """Whether the machine still has the job: then what it did is known, and the line is taken up again."""
        try:
            with self._shop.line("cutter") as line:
                return bool(line.ask("state")["job"] == self._name)
        except JobError:
            return False

    def _parts(self) -> list[tuple[ToolTurn, list[Stroke]]]:
        """Strokes in parts of a few whole lines of one tool."""
        parts: list[tuple[ToolTurn, list[Stroke]]] = []
        turns = self._motion.turns
        for number, turn in enumerate(turns):
            end = turns[number + 1].first if number + 1 < len(turns) else len(self._motion.strokes)
            held: list[Stroke] = []
            for stroke in self._motion.strokes[turn.first : end]:
                if len({one.line for one in held} | {stroke.line}) > LINES_A_PART:
                    parts.append((turn, held))
                    held = []
                held.append(stroke)
            parts.append((turn, held))
        return parts

    def _send(self, line: DeviceLine, parts: list[tuple[ToolTurn, list[Stroke]]], begin: bool) -> str:
        state = line.ask("state")
        if self._sheet.name not in (state["loaded"], *state.get("mat", [])):
            raise JobError("Another sheet lies on the cutter.", self._setting.name, "Load the right one and read its marks.")  # fmt: skip
        if begin:
            line.ask("begin", job=self._name, unit_mm=self._setting.profile.unit_mm)
        total = sum(len(strokes) for _, strokes in parts)
        sent, begun = 0, monotonic()
        for number, (turn, strokes) in enumerate(parts):
            sent += len(strokes)
            if all(stroke.line in self.progress.done for stroke in strokes):
                continue
            tool = self._cards[turn.kind].tool
            if self._setting.wants(tool):
                self._keep(waits_for=tool)
                return "tool"
            moved = self._watch.moved_mm(line, strokes[0].points[0])
            if moved:
                self._keep()
                raise JobError(f"The sheet has moved by {moved:.1f} mm since its marks were read.", self._sheet.name, "Look at what was cut last, read the marks again, then go on with the rest.")  # fmt: skip
            under_knife = {stroke.line for stroke in strokes}
            self._keep(doubtful=tuple(sorted(under_knife - set(self.progress.done))))
            self._plot(line, number, strokes)
            self._keep(done=tuple(sorted(under_knife | set(self.progress.done))), doubtful=())
            words = (
                f"{turn.kind.capitalize()}, line {sent} of {total} · {self._left(sent / total, monotonic() - begun)}"
            )
            if not self._report(0.05 + 0.88 * sent / total, words, {"line": sent, "lines": total}) and sent < total:
                return "held"
        return "done"

    def _left(self, share: float, spent: float) -> str:
        """The time left in words, when a `share` of the lines took `spent` seconds."""
        planned = self._motion.seconds * share
        if spent <= SLOW * planned + SLOW_SECONDS:
            return f"{_clock(self._motion.seconds - planned)} left"
        return f"{_clock(spent / share - spent)} left · the cutter is slower than planned"

    def _plot(self, line: DeviceLine, number: int, strokes: list[Stroke]) -> None:
        try:
            line.ask("plot", job=self._name, part=number, hpgl=as_told(strokes, self._setting, self._cards))
        except LineBroken:
            raise
        except JobError as error:  # the machine refused in the middle of the part
            raise self._in_doubt(error) from None

    def _in_doubt(self, error: JobError) -> JobError:
        """What to tell when it is not known how much of a part was cut."""
        lines = lines_of_sheet(self._shop, self._sheet.plate)
        pieces = sorted({piece for number in self.progress.doubtful if (piece := lines[number].piece) is not None})
        self._keep()
        if not pieces:
            return error
        named = f"piece {pieces[0]}" if len(pieces) == 1 else f"pieces {pieces[0]} to {pieces[-1]}"
        return JobError(error.what, error.where, f"Nothing is lost: {len(self.progress.done)} lines are cut and noted. Look at {named}, which was under the knife. Load the sheet, read its marks, say what became of it, and cut: it goes on there.")  # fmt: skip

    def _keep(self, **changes: object) -> None:
        """Note how far the cut is."""
        self.progress = self.progress.with_(**changes)

        def keep(session: Session) -> None:
            self._shop.check_hold(session)
            session.get_one(Sheet, self._sheet.id).progress = self.progress

        self._shop.database.within(keep, patience_seconds=NOTE_SECONDS)


def _clock(seconds: float) -> str:
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"
