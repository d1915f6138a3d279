"""One go at a cut: parts that are never cut twice, watched by the camera, held and gone on with at any time."""

from time import monotonic
from typing import Any, Literal

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.cutting.motion import Motion, Stroke, ToolTurn
from etiquette.core.errors import JobError
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.devices.line import DeviceLine, LineBroken, OpticalHead
from etiquette.files.documents.sheets import ProgressDocument, ReadingDocument
from etiquette.stations.bench.cut_progress import lines_of_sheet
from etiquette.stations.shop import NOTE_SECONDS, Shop
from etiquette.stations.tools import CutterSetting, as_told
from etiquette.store.models import Sheet
from etiquette.tasks.task import Report

LINES_A_PART = 8
"""After so many lines the machine is asked, the operator may hold, and the camera looks whether the sheet still
lies."""


SLIPPED_MM = 0.15
"""A mark that has moved by more since it was read: the media slipped."""


PHOTO_OFF_MM = 0.25
"""How far the head may see a mark beside where a photo showed it."""


SLOW, SLOW_SECONDS = 1.25, 5.0
"""A machine that takes this many times as long as planned, and as many seconds more, is slow: the time left follows
it."""


State = Literal["done", "held", "tool"]
AGAIN = 3
"""Times a broken line is taken up again."""


class _Watch:
    """Looks again and again at a mark that was read: it has to lie where it lay."""

    def __init__(self, plan: FramePlan, recipe: MarkRecipe, reading: ReadingDocument, setting: CutterSetting) -> None:
        used = {one.id for one in reading.fit.residuals if one.used}
        self._marks = [mark.measured for mark in reading.marks if mark.measured and mark.id in used]
        self._seen: dict[int, tuple[float, float]] = {}
        self._first_mm = SLIPPED_MM + (PHOTO_OFF_MM if reading.by == "photo" else 0.0)
        self._recipe, self._setting = recipe, setting

    def moved_mm(self, line: DeviceLine, near: np.ndarray) -> float:
        """How far the mark nearest to `near` has moved; 0 while that is too little to be a slip. A mark that is not
        seen tells nothing."""
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

    def run(self) -> State:
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

    def _send(self, line: DeviceLine, parts: list[tuple[ToolTurn, list[Stroke]]], begin: bool) -> State:
        state = line.ask("state")
        if self._sheet.name not in (state["loaded"], *state.get("mat", [])):
            raise JobError(
                "Another sheet lies on the cutter.", self._setting.name, "Load the right one and read its marks."
            )
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
                raise JobError(
                    f"The sheet has moved by {moved:.1f} mm since its marks were read.",
                    self._sheet.name,
                    "Look at what was cut last, read the marks again, then go on with the rest.",
                )
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
        return JobError(
            error.what,
            error.where,
            f"Nothing is lost: {len(self.progress.done)} lines are cut and noted. Look at {named}, which was under "
            "the knife. Load the sheet, read its marks, say what became of it, and cut: it goes on there.",
        )

    def _keep(self, **changes: object) -> None:
        """Note how far the cut is."""
        self.progress = self.progress.with_(**changes)

        def keep(session: Session) -> None:
            self._shop.check_hold(session)
            session.get_one(Sheet, self._sheet.id).progress = self.progress

        self._shop.database.within(keep, patience_seconds=NOTE_SECONDS)


def _clock(seconds: float) -> str:
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"
