"""A plotter in this process, with the methods of a byte line: what it is sent, what it says, and how it fails."""

import re
from collections import deque

from etiquette.core.cutting.instructions import Pacer
from etiquette.devices.contracts import LineBroken

QUESTION = re.compile(rb"OA;|OI;|OS;|OE;|OF;|\x1b\.[BKO]")


class FakePlotter:
    """Follows at once what it is sent and has its answers ready; `mute` questions are not answered, and after
    `dies_after` instructions the line is closed."""

    name = "Cutter"

    def __init__(
        self, mute: tuple[bytes, ...] = (), dies_after: int | None = None, answer: bytes | None = None
    ) -> None:
        self.received = b""
        self.writes: list[bytes] = []
        self.opened = 0
        self._mute, self._dies_after, self._answer = mute, dies_after, answer
        self._pacer = Pacer()
        self._answers: deque[bytes] = deque()

    def __enter__(self) -> "FakePlotter":
        self.opened += 1
        return self

    def __exit__(self, *_: object) -> None:
        pass

    @property
    def at_mm(self) -> tuple[float, float]:
        return self._pacer.at[0] * 0.025, self._pacer.at[1] * 0.025

    def write(self, data: bytes) -> None:
        self.writes.append(data)
        rest = data
        while found := QUESTION.search(rest):
            self._follow(rest[: found.start()])
            if found[0] not in (*self._mute, b"\x1b.K"):  # which is no question
                self._answers.append(self._said(found[0]))
            rest = rest[found.end() :]
        self._follow(rest)

    def read_line(self, seconds: float) -> bytes | None:
        return self._answers.popleft() if self._answers else None

    def forget(self) -> None:
        self._answers.clear()

    def _follow(self, data: bytes) -> None:
        if self._dies_after is not None:
            self._dies_after -= data.count(b";")
            if self._dies_after < 0:
                raise LineBroken("Cutter closed the line.", "Cutter", "Look at the machine.")
        self.received += data
        self._pacer.split(data.decode())

    def _said(self, question: bytes) -> bytes:
        x, y = self._pacer.at
        if self._answer is not None:
            return self._answer
        return {
            b"OA;": f"{x:.0f},{y:.0f},0".encode(),
            b"OI;": b"7475A",
            b"OS;": b"24",
            b"OE;": b"0",
            b"OF;": b"40,40",
        }.get(question, b"1024")
