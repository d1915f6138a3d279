"""A cutter that speaks HP-GL over a byte line (HP 7475A Interfacing and Programming Manual, 1983).

So much is sent ahead of its last answer as it follows in two seconds and its buffer holds, and nothing counts as done
before it has answered a question put after it."""

import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from etiquette.core.cutting.instructions import Instruction, Pacer
from etiquette.core.errors import JobError
from etiquette.core.units import HPGL_UNIT_MM
from etiquette.devices.byte_line import ByteLine
from etiquette.devices.contracts import GoesOn, Identity, Interrupted, LineBroken, Position, Status, Unclear

AHEAD_SECONDS = 2.0
AHEAD_BYTES = 900
"""Below the 1,024 bytes that the buffer of a 7475A holds."""
BATCH_SECONDS, BATCH_BYTES = 0.5, 300
"""So much is followed by a question."""
ANSWER_SECONDS = 120.0
"""A machine may stand at its panel; after so long without a word the line counts as broken."""
ASK_SECONDS = 2.0
SETTLE_SECONDS = 10.0
"""For so long a machine may follow what a broken line has left in it: several times what is ever sent ahead."""
SILENT_SECONDS = 5.0
"""Longer than its motion takes by so much, and it is asked what holds it up."""
ESCAPE = b"\x1b."
FREE, ABORT, CONDITION = ESCAPE + b"B", ESCAPE + b"K", ESCAPE + b"O"
LEVER_UP = 32
"""In the answer to ESC.O, which does not wait its turn: the rollers hold nothing (7475A: paper lever raised)."""
IDENTITY, STATUS, ERROR, PLACE, SCALE = b"OI;", b"OS;", b"OE;", b"OA;", b"OF;"
QUESTIONS = {"OI": IDENTITY, "OA": PLACE, "OS": STATUS, "OE": ERROR, "OF": SCALE, "ESC.B": FREE}
ERRORS = {
    1: "an instruction that it does not know",
    2: "a wrong number of figures",
    3: "a figure out of its range",
    5: "a character that it does not know",
    6: "a place out of its reach",
}
"""What OE answers; 0: nothing is wrong."""

Confirm = Literal["oa", "os", "none"]


@dataclass(frozen=True)
class _Sent:
    """A batch that waits for its answer."""

    upto: int
    seconds: float
    size: int


class HpglCutter:
    """Driver (contracts.Cutter). `confirm`: the question that the machine answers; with “none” it is told and
    watched by the clock, and what it has done is only believed."""

    def __init__(
        self,
        line: ByteLine,
        unit_mm: float = HPGL_UNIT_MM,
        confirm: Confirm = "oa",
        before_moving: Callable[[], None] = lambda: None,
    ) -> None:
        self._line, self._unit, self._confirm = line, unit_mm, confirm
        self._before_moving = before_moving

    def __enter__(self) -> "HpglCutter":
        self._line.__enter__()
        return self

    def __exit__(self, *reason: object) -> None:
        self._line.__exit__(*reason)

    def identity(self) -> Identity:
        """Each question is put once; what is not answered in time is not understood. Nothing moves."""
        understands = []
        model = ""
        for name, question in QUESTIONS.items():
            answer = self._answer(question, ASK_SECONDS)
            if answer is not None:
                understands.append(name)
            elif name == "OA" and not understands:
                break  # it says nothing at all: there is no use in asking on
            if name == "OI" and answer:
                model = answer.decode("ascii", "replace")[:60]
        return Identity("cutter", model=model, understands=tuple(understands))

    def refuse_other_scale(self) -> None:
        """By its answer to OF; one that does not understand that is believed."""
        answer = self._answer(SCALE, ASK_SECONDS) if self._confirm != "none" else None
        try:
            steps = float(answer.split(b",")[0]) if answer else 0.0
        except ValueError:
            raise self._unclear() from None
        wanted = 1 / self._unit
        if steps and abs(steps - wanted) > 0.01 * wanted:
            raise JobError(
                f"{self._line.name} counts {steps:g} steps a mm, and is told {wanted:g}.",
                self._line.name,
                "Choose the profile on the Shelf that is as the machine is set.",
            )

    def status(self) -> Status:
        answer = self._answer(ERROR, ASK_SECONDS)
        if answer is None:
            return Status("unknown")
        number = self._number(answer)
        return Status("ready") if number == 0 else Status("stopped", (ERRORS.get(number, f"error {number}"),))

    def position(self) -> Position:
        """Where the head stands now. Raises LineBroken, Unclear."""
        return self._place_in(self._answer(PLACE, ANSWER_SECONDS))

    def _place_in(self, answer: bytes | None) -> Position:
        if answer is None:
            raise LineBroken(f"{self._line.name} does not say where it is.", self._line.name, "Look at the machine.")
        try:
            x, y, *_ = (float(one) for one in answer.split(b","))
        except ValueError:
            raise self._unclear() from None
        return Position(x * self._unit, y * self._unit)

    def settled(self) -> Position:
        """Where the head stands after a line has broken. What that has left in the machine, half an instruction
        perhaps, is forgotten (ESC.K), or followed by one that does not understand this. Questions left there are
        answered first, so one of another kind is put between: what comes after its answer is meant. Raises LineBroken,
        Unclear."""
        self._before_moving()  # moves nothing, but whoever holds the machine now does not want it forgotten
        self._line.write(ABORT + ERROR + PLACE)
        while (answer := self._line.read_line(SETTLE_SECONDS)) is not None and b"," in answer:
            pass
        answer = None if answer is None else self._line.read_line(SETTLE_SECONDS)
        return self._place_in(answer)

    def lead(self, x: float, y: float) -> None:
        self._before_moving()
        text = f"PU{round(x / self._unit)},{round(y / self._unit)};"
        self.run([Instruction(text, 0.0)], lambda *_: True)

    def run(self, program: Sequence[Instruction], goes_on: GoesOn) -> int:
        """See contracts.Cutter; `goes_on` is asked before each batch, with the number of its first instruction. When it
        says no, what is under way is followed to its end, and the tool lifted."""
        sent = answered = 0
        flying: deque[_Sent] = deque()
        held = False
        while answered < len(program):
            while not held and sent < len(program):
                batch = self._batch(program, sent)
                if not self._has_room([*flying, batch]):
                    break
                held = not goes_on(sent, sum(one.seconds for one in flying))
                if held:
                    break
                self._before_moving()
                try:
                    self._line.write(batch_text(program[sent : batch.upto]) + self._question())
                except LineBroken as broken:
                    raise Interrupted(broken, answered, batch.upto) from None
                sent = batch.upto
                flying.append(batch)
            if not flying:
                break
            try:
                self._await(flying[0])
            except JobError as broken:
                raise Interrupted(broken, answered, sent) from None
            answered = flying.popleft().upto
        if held:
            self._line.write(b"PU;")
        return answered

    @staticmethod
    def _has_room(flying: Sequence[_Sent]) -> bool:
        """Whether so much may be under way at once; a single batch always may."""
        return len(flying) == 1 or (
            sum(one.seconds for one in flying) <= AHEAD_SECONDS and sum(one.size for one in flying) <= AHEAD_BYTES
        )

    def _batch(self, program: Sequence[Instruction], first: int) -> _Sent:
        upto, seconds, size = first, 0.0, len(self._question())
        while upto < len(program):
            one = program[upto]
            if upto > first and (seconds + one.seconds > BATCH_SECONDS or size + len(one.text) > BATCH_BYTES):
                break
            upto, seconds, size = upto + 1, seconds + one.seconds, size + len(one.text)
        return _Sent(upto, seconds, size)

    def _question(self) -> bytes:
        return {"oa": PLACE, "os": STATUS, "none": b""}[self._confirm]

    def _await(self, batch: _Sent) -> None:
        if self._confirm == "none":
            time.sleep(batch.seconds)
        elif not self._answered(batch):
            raise LineBroken(
                f"{self._line.name} stopped answering.", self._line.name, "Look at the machine, then try again."
            )

    def _answered(self, batch: _Sent) -> bool:
        """Wait for the answer; a machine that is silent longer than the motion takes is asked what holds it up."""
        patience, waited = batch.seconds + SILENT_SECONDS, 0.0
        while waited < ANSWER_SECONDS + batch.seconds:
            answer = self._line.read_line(patience)
            if answer is not None and (b"," in answer or self._confirm == "os" or not answer.isdigit()):
                return True
            if answer is not None and int(answer) & LEVER_UP:
                name = self._line.name
                raise JobError(f"There is no media under the rollers of {name} any more.", name, "Load it again.")
            waited += patience
            patience = SILENT_SECONDS
            if answer is None and self._confirm == "oa":
                self._line.write(CONDITION)
        return False

    def _answer(self, question: bytes, seconds: float) -> bytes | None:
        self._line.forget()
        self._line.write(question)
        return self._line.read_line(seconds)

    def _number(self, answer: bytes) -> int:
        try:
            return int(answer)
        except ValueError:
            raise self._unclear() from None

    def _unclear(self) -> Unclear:
        return Unclear(
            f"{self._line.name} answered something that cannot be understood.",
            self._line.name,
            "Check that the right machine answers at its address, and the speed of its line.",
        )


def batch_text(program: Sequence[Instruction]) -> bytes:
    """Instructions as they are sent, in one piece."""
    return "".join(one.text for one in program).encode("ascii")


def as_program(text: str, unit_mm: float = HPGL_UNIT_MM, travel_mm_s: float | None = None) -> list[Instruction]:
    """A whole HP-GL file in instructions."""
    pacer = Pacer(unit_mm) if travel_mm_s is None else Pacer(unit_mm, travel_mm_s)
    return pacer.split(text)
