"""HP-GL in small instructions, and a cutter that is told them: never more ahead than two seconds and its buffer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.cutting.instructions import LONGEST_SECONDS, Instruction, Pacer
from etiquette.core.errors import JobError
from etiquette.devices.contracts import LineBroken, Unclear
from etiquette.devices.hpgl_cutter import AHEAD_BYTES, AHEAD_SECONDS, HpglCutter, as_program
from standins.plotter_language import strokes
from tests.devices.plotter import FakePlotter

PLACES = st.tuples(st.integers(0, 60_000), st.integers(0, 60_000))
SQUARE = "IN;PA;PU;SP4;VS20;FS60;PU1000,1000;PD5000,1000,5000,5000,1000,5000,1000,1000;PU;SP0;"


def plotted(text: str) -> list[np.ndarray]:
    """What a reader of its own draws (the stand-in's, which shares no code with ours)."""
    return [stroke.points for stroke in strokes(text)]


def length(lines: list[np.ndarray]) -> float:
    return float(sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in lines))


@given(st.lists(st.lists(PLACES, min_size=2, max_size=60), min_size=1, max_size=5), st.integers(2, 60))
def test_instructions_draw_the_same_and_none_takes_long(shapes: list[list[tuple[int, int]]], cm_s: int) -> None:
    text = f"IN;PA;SP1;VS{cm_s};" + "".join(
        f"PU{x},{y};PD{','.join(f'{a},{b}' for a, b in rest)};" for (x, y), *rest in shapes
    )
    program = as_program(text)
    before, after = plotted(text), plotted("".join(one.text for one in program))
    assert len(before) == len(after)
    for line, split in zip(before, after, strict=True):
        # every place of the line is still there, in order, and what was put between lies on it within half a step
        at = 0
        for place in line:
            at += next(number for number, other in enumerate(split[at:]) if np.allclose(place, other))
        assert length([split]) == pytest.approx(length([line]), rel=1e-3, abs=0.05)
    assert all(one.seconds <= 2 * LONGEST_SECONDS + 0.1 for one in program)
    travel = sum(one.seconds for one in program if one.text.startswith("PD"))
    assert travel == pytest.approx(length(before) / (cm_s * 10), rel=0.01, abs=0.1 * len(shapes))


def test_an_arc_is_split_about_its_centre() -> None:
    """A half circle of 200 mm at 100 mm a second takes 6.28 s: thirteen parts, and the machine ends where it should."""
    program = as_program("PA;VS10;PU8000,0;PD;AA0,0,180;PA-8000,0;")
    arcs = [one for one in program if one.text.startswith("AA")]
    assert len(arcs) == 13 and sum(one.seconds for one in arcs) == pytest.approx(np.pi * 2, rel=1e-6)
    (drawn,) = plotted("".join(one.text for one in program))
    assert np.hypot(*drawn.T) == pytest.approx(np.full(len(drawn), 200.0), abs=0.05)
    assert drawn[-1] == pytest.approx((-200.0, 0.0), abs=0.05)


def test_a_square_is_followed_to_its_end_and_every_batch_is_answered() -> None:
    line = FakePlotter()
    cutter = HpglCutter(line)  # type: ignore[arg-type]
    program = as_program(SQUARE)
    assert cutter.run(program, lambda *_: True) == len(program)
    assert plotted(line.received.decode())[0][-1] == pytest.approx((25.0, 25.0))
    assert cutter.position().x == pytest.approx(25.0)


class Late(FakePlotter):
    """Counts what has been sent and not been answered: in seconds, and in bytes."""

    def __init__(self) -> None:
        super().__init__()
        self._clock = Pacer()
        self._flying: list[tuple[float, int]] = []
        self.most_seconds, self.most_bytes = 0.0, 0

    def write(self, data: bytes) -> None:
        super().write(data)
        moves = self._clock.split(data.removesuffix(b"OA;").decode())
        self._flying.append((sum(one.seconds for one in moves), len(data)))
        self.most_seconds = max(self.most_seconds, sum(seconds for seconds, _ in self._flying))
        self.most_bytes = max(self.most_bytes, sum(size for _, size in self._flying))

    def read_line(self, seconds: float) -> bytes | None:
        self._flying.pop(0)
        return super().read_line(seconds)


@pytest.mark.parametrize("cm_s", (10, 38, 1000))
def test_no_more_is_sent_ahead_than_the_buffer_holds_and_two_seconds_take(cm_s: int) -> None:
    line = Late()
    program = Pacer().split(f"VS{cm_s};" + "".join(f"PU{x},0;PD{x},4000;" for x in range(0, 40_000, 400)))
    assert HpglCutter(line).run(program, lambda *_: True) == len(program)  # type: ignore[arg-type]
    assert line.most_bytes <= AHEAD_BYTES and line.most_seconds <= AHEAD_SECONDS
    # and what may be used is used: a fast machine is kept busy up to its buffer, a slow one for more than a second
    assert line.most_bytes > AHEAD_BYTES / 2 or line.most_seconds > AHEAD_SECONDS / 2


def test_hold_sends_no_more_and_what_was_sent_is_known_for_certain() -> None:
    line = FakePlotter()
    program = as_program(SQUARE)
    done = HpglCutter(line).run(program, lambda number, _: number < 6)  # type: ignore[arg-type]
    assert 0 < done < len(program) and line.writes[-1] == b"PU;"
    assert line.received.decode() == "".join(one.text for one in program[:done]) + "PU;"


def test_a_line_that_breaks_is_said_and_nothing_more_is_sent() -> None:
    line = FakePlotter(dies_after=9)
    with pytest.raises(LineBroken, match="closed the line"):
        HpglCutter(line).run(as_program(SQUARE), lambda *_: True)  # type: ignore[arg-type]
    assert line.received.count(b";") <= 9


def test_what_a_line_before_has_left_in_the_machine_is_followed_and_answered_first() -> None:
    """A machine keeps what it was sent when a line breaks: moves, and questions whose answers are not meant."""
    line = FakePlotter()
    line.write(b"PU100,100;OA;PD400,100;OA;PD400,800;OA;")  # as another connection left it, followed by now
    at = HpglCutter(line).settled()  # type: ignore[arg-type]
    assert (at.x, at.y) == (10.0, 20.0)
    silent = HpglCutter(FakePlotter(mute=(b"OE;",)))  # type: ignore[arg-type]
    with pytest.raises((LineBroken, Unclear)):
        silent.settled()


def test_silence_is_a_broken_line_and_nonsense_is_another_machine() -> None:
    silent = HpglCutter(FakePlotter(mute=(b"OA;",)))  # type: ignore[arg-type]
    with pytest.raises(LineBroken, match="stopped answering"):
        silent.run([Instruction("PU1,1;", 0.0)], lambda *_: True)
    for answer in (b"HTTP/1.1 400", b"", b"1", b"a,b,c"):
        with pytest.raises(Unclear, match="cannot be understood"):
            HpglCutter(FakePlotter(answer=answer)).position()  # type: ignore[arg-type]


def test_who_answers_is_asked_without_moving_anything() -> None:
    line = FakePlotter(mute=(b"OS;",))
    who = HpglCutter(line).identity()  # type: ignore[arg-type]
    assert who.model == "7475A" and who.understands == ("OI", "OA", "OE", "OF", "ESC.B")
    assert line.received == b""
    assert HpglCutter(FakePlotter(mute=(b"OI;", b"OA;"))).identity().understands == ()  # type: ignore[arg-type]


def test_whoever_was_left_behind_sends_nothing() -> None:
    def left_behind() -> None:
        raise JobError("The cutter was given to another task.", "cutter", "Look at it.")

    line = FakePlotter()
    cutter = HpglCutter(line, before_moving=left_behind)  # type: ignore[arg-type]
    with pytest.raises(JobError, match="another task"):
        cutter.run(as_program(SQUARE), lambda *_: True)
    with pytest.raises(JobError, match="another task"):
        cutter.lead(10, 10)
    with pytest.raises(JobError, match="another task"):
        cutter.settled()  # or what the other one has sent would be forgotten
    assert line.writes == []
