"""One go at a cut: lines that are never cut twice, watched by the eye, held and gone on with at any time."""

from functools import partial
from time import monotonic
from typing import Any, Literal

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.cutting.instructions import Instruction, Pacer
from etiquette.core.cutting.motion import Motion, Stroke, ToolTurn
from etiquette.core.errors import JobError
from etiquette.devices import holds
from etiquette.devices.contracts import GoesOn, Interrupted, LineBroken, Unreachable
from etiquette.devices.eyes import OpticalHead
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.stations.bench.cut_progress import lines_of_sheet
from etiquette.stations.bench.cut_watch import Watch
from etiquette.stations.machines import CutterHere
from etiquette.stations.shop import NOTE_SECONDS, Shop
from etiquette.stations.tools import told_parts
from etiquette.store.models import Sheet
from etiquette.tasks.task import Report

LINES_A_PART = 8
"""After so many lines it is noted what is cut, and the eye looks whether the sheet still lies."""
HOLD_SECONDS = 2.0
"""A cut that is held stops within so much motion; a line that ends within it is cut to its end."""
SLOW, SLOW_SECONDS = 1.25, 5.0
"""A machine that takes this many times as long as planned, and as many seconds more, is slow: the time left follows
it."""
AGAIN = 3
"""Times a broken line is taken up again."""
SAME_PLACE_MM = 0.05
"""A head that stands so near to where it was sent stands there."""

State = Literal["done", "held", "tool"]


class CutJob:
    """One go at a cut: parts are sent one after the other until all is cut, held, or a tool has to be changed."""

    def __init__(
        self,
        shop: Shop,
        sheet: Sheet,
        cutter: CutterHere,
        progress: ProgressDocument,
        motion: Motion,
        cards: dict[Any, Any],
        watch: Watch,
        report: Report,
    ) -> None:
        self._shop, self._sheet, self._cutter, self.progress = shop, sheet, cutter, progress
        self._motion, self._cards, self._watch, self._report = motion, cards, watch, report
        self._pacer = Pacer(cutter.setting.profile.unit_mm, cutter.setting.profile.travel_mm_s)
        self._line = cutter.line(shop)
        self._held = False
        self._total, self._begun = len(motion.strokes), monotonic()

    def run(self) -> State:
        """“done”, “held” or “tool”. Raises JobError; what was cut until then is noted."""
        self._begun = monotonic()
        with self._line:
            self._line.refuse_other_scale()
            head = self._cutter.head(self._line) if self._cutter.eye else None
            self._watch.refuse_other_sheet(head)
            self._line.run(self._pacer.split("IN;PA;"), _always)
            sent = 0
            for turn, strokes in self._parts():
                sent += len(strokes)
                if not all(stroke.line in self.progress.done for stroke in strokes):
                    tool = self._cards[turn.kind].tool
                    if self._cutter.setting.wants(tool):
                        self._keep(waits_for=tool)
                        return "tool"
                    self._refuse_slipped(head, strokes)
                    self._cut_part(turn, strokes, sent)
                if self._held:
                    return "held"
            self._line.run(self._pacer.split("PU;SP0;"), _always)
        return "done"

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

    def _refuse_slipped(self, head: OpticalHead | None, strokes: list[Stroke]) -> None:
        moved = self._watch.moved_mm(head, strokes[0].points[0])
        if moved:
            self._keep()
            raise JobError(
                f"The sheet has moved by {moved:.1f} mm since its marks were read.",
                self._sheet.name,
                "Look at what was cut last, read the marks again, then go on with the rest.",
            )

    def _cut_part(self, turn: ToolTurn, strokes: list[Stroke], sent: int) -> None:
        """Cut the lines of a part, and note which of them are cut: all, or those until it was held."""
        texts = told_parts(strokes, self._cutter.setting, self._cards)
        program = [one for number, text in enumerate(texts) for one in self._pacer.split(text, number)]
        program += self._pacer.split("PU;", len(strokes) - 1)
        part = _Part(program, strokes)
        self._keep(doubtful=tuple(sorted(part.lines - set(self.progress.done))))
        before = sent - len(strokes)

        def goes_on(number: int, ahead: float) -> bool:
            if not self._held:
                self._held = not self._report(*self._said(turn, before + program[number].stroke))
            return not self._held or (part.is_inside(number) and part.left_of_line(number) + ahead <= HOLD_SECONDS)

        followed, sent_on, trouble = self._followed(program, goes_on)
        doubtful = part.doubtful(followed, sent_on)
        cut = part.complete(followed)
        self._keep(done=tuple(sorted(cut | set(self.progress.done))), doubtful=tuple(sorted(doubtful)))
        share, words = self._said(turn, sent if followed == len(program) else before + program[followed].stroke)
        goes = self._report(share, words, {"line": round(share * self._total), "lines": self._total})
        self._held = followed < len(program) or (not goes and sent < self._total)
        if trouble is None and doubtful:
            trouble = JobError("The cut was held in the middle of a line.", self._sheet.name, "Look at it.")
        if trouble is not None:
            raise self._in_doubt(trouble)

    def _followed(self, program: list[Instruction], goes_on: GoesOn) -> tuple[int, int, JobError | None]:
        """How much of the program the machine has followed for certain, how much it was sent, and what went wrong. When
        the line breaks it is asked where it stands, and goes on from there."""
        first = 0
        while True:
            try:
                done = first + self._line.run(program[first:], partial(_from, first, goes_on))
                return done, done, None
            except Interrupted as broken:
                answered, sent, cause = first + broken.answered, first + broken.sent, broken
            at = self._stands_at() if cause.lost else None
            reached = None if at is None else self._reached(program, answered, sent, at)
            if reached is None:
                return answered, sent, cause
            if reached == len(program):
                return reached, reached, None
            first = reached

    def _reached(self, program: list[Instruction], answered: int, sent: int, at: np.ndarray) -> int | None:
        """How much of what was sent a machine has followed whose head stands at `at` and which has nothing more to do;
        None when the place does not tell, because it passes there twice with the knife down between, or never."""
        unit = self._cutter.setting.profile.unit_mm
        ends = [(number, program[number - 1].end) for number in range(max(answered, 1), sent + 1)]
        there = [number for number, end in ends if np.hypot(*(np.array(end) * unit - at)) <= SAME_PLACE_MM]
        if not there or any(one.text.startswith("PD") for one in program[there[0] : there[-1]]):
            return None
        return there[0]

    def _stands_at(self) -> np.ndarray | None:
        """Where the machine's head is, asked on a new line; None: it does not say."""
        for _ in range(AGAIN):
            self._line.__exit__(None, None, None)
            try:
                self._line.__enter__()
                place = self._line.settled()
                return np.array([place.x, place.y])
            except (LineBroken, Unreachable):
                continue
            except holds.LeftBehind:
                raise  # another one has the cutter
            except JobError:
                return None
        return None

    def _said(self, turn: ToolTurn, lines: int) -> tuple[float, str]:
        share = lines / self._total
        left = self._left(share, monotonic() - self._begun)
        return 0.05 + 0.88 * share, f"{turn.kind.capitalize()}, line {lines} of {self._total} · {left}"

    def _left(self, share: float, spent: float) -> str:
        """The time left in words, when a `share` of the lines took `spent` seconds."""
        planned = self._motion.seconds * share
        if spent <= SLOW * planned + SLOW_SECONDS or not share:
            return f"{_clock(self._motion.seconds - planned)} left"
        return f"{_clock(spent / share - spent)} left · the cutter is slower than planned"

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


class _Part:
    """The program of a part, and which lines its instructions belong to."""

    def __init__(self, program: list[Instruction], strokes: list[Stroke]) -> None:
        self._program = program
        self._lines = [strokes[one.stroke].line for one in program]
        self.lines = set(self._lines)

    def _knife_was_down(self, followed: int) -> set[int]:
        return {self._lines[number] for number in range(followed) if self._program[number].text.startswith("PD")}

    def complete(self, followed: int) -> set[int]:
        """Lines that are cut to their end."""
        return set(self._lines[:followed]) - set(self._lines[followed:])

    def doubtful(self, followed: int, sent: int) -> set[int]:
        """Lines of which the machine was told something that it is not known to have followed to their end."""
        return self._knife_was_down(sent) - self.complete(followed)

    def is_inside(self, number: int) -> bool:
        """Whether the line of this instruction was begun before it."""
        return self._lines[number] in self._knife_was_down(number)

    def left_of_line(self, number: int) -> float:
        """Seconds that the rest of the line takes to which this instruction belongs."""
        own = self._lines[number]
        rest = zip(self._program[number:], self._lines[number:], strict=True)
        return sum(one.seconds for one, line in rest if line == own)


def _from(first: int, goes_on: GoesOn, number: int, ahead: float) -> bool:
    return goes_on(first + number, ahead)


def _always(*_: object) -> bool:
    return True


def _clock(seconds: float) -> str:
    return f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"
