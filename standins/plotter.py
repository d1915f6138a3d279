"""The side of a cutter that HP-GL sees: instructions are followed as they come, and questions answered in their turn
(HP 7475A Interfacing and Programming Manual, 1983)."""

import re
import socket
import socketserver
import threading
from collections.abc import Callable
from typing import Protocol

import numpy as np

from standins.plotter_language import arc
from standins.wire import beside, on_free_port

MODEL = b"EQ-SIM"
END = b"\r"
IDLE, LEVER_UP = b"24", b"32"
ESCAPE = 0x1B
NO_ERROR, NOT_KNOWN = 0, 1
LETTERS = re.compile(rb"^(?:(?:IN|PA|PR|PU|PD|SP|VS|FS|AA|OA|OC|OS|OE|OI|OF|PS|IP|SC)|\x1b)")
"""What HP-GL begins with; anything else, like a web page's request, closes the line."""
BUFFER_BYTES = 1024
MOST_HELD = 1 << 16


class Bed(Protocol):
    """What a plotter works on."""

    unit_mm: float

    def reset(self) -> None: ...
    def begin(self) -> None: ...
    def stroke(self, pen: int, points: np.ndarray, force: float) -> None: ...


class Halted(Exception):
    """There is no media any more: nothing is followed until hands have laid some."""


class PowerGone(Exception):
    """Everything is forgotten, and the line is dead."""


class Dead(Exception):
    """The line is cut after so many bytes of the next answer."""

    def __init__(self, after: int) -> None:
        super().__init__("the line was cut")
        self.after = after


class Plotter:
    """Follows HP-GL. `bed` is told when a tool goes down, and what it drew when it is lifted or a question is put;
    `answering` is called before each answer and may raise Dead."""

    def __init__(self, bed: Bed, answering: Callable[[], None] = lambda: None) -> None:
        self._bed, self._answering = bed, answering
        self._held = b""
        self.at = (0.0, 0.0)
        self._pen, self._force, self._down, self._absolute = 0, 0.0, False, True
        self._run: list[tuple[float, float]] = []
        self._error = NO_ERROR
        self.halted = False

    def forget(self) -> None:
        """Power was gone."""
        self.__init__(self._bed, self._answering)  # type: ignore[misc]

    def mend(self) -> None:
        """Hands have laid media: what waited is forgotten."""
        self.halted, self._held, self._run, self._down = False, b"", [], False

    @property
    def position_mm(self) -> tuple[float, float]:
        return self.at[0] * self._bed.unit_mm, self.at[1] * self._bed.unit_mm

    def feed(self, data: bytes) -> bytes:
        """Follow what came; returns the answers to what was asked in it. Raises PowerGone, Dead."""
        said = b""
        while (at := data.find(b"\x1b.K")) >= 0:  # at once, whatever waits before it
            self._cut()
            self._held, data = b"", data[at + 3 :]
        self._held += data
        while self._held:
            if self._held[0] == ESCAPE:
                if len(self._held) < 3:
                    break
                asked, self._held = self._held[2:3], self._held[3:]
                said += self._escaped(asked)
                continue
            if self.halted:
                asked_now = self._held.find(b"\x1b")  # escapes are answered at once, whatever waits before them
                if asked_now < 0:
                    break
                before, self._held = self._held[:asked_now], self._held[asked_now:]
                said += self.feed(b"")
                self._held = before + self._held
                break
            end = self._held.find(b";")
            if end < 0:
                break
            instruction, self._held = self._held[:end].strip(), self._held[end + 1 :]
            try:
                said += self._follow(instruction.decode("ascii", "replace"))
            except Halted:
                self.halted = True
        return said

    def _escaped(self, asked: bytes) -> bytes:
        if asked == b"B":
            return str(max(0, BUFFER_BYTES - len(self._held))).encode() + END
        if asked == b"O":
            return (LEVER_UP if self.halted else b"8") + END
        return b""

    def _follow(self, instruction: str) -> bytes:
        name, figures = instruction[:2], [float(one) for one in re.findall(r"-?\d+(?:\.\d+)?", instruction[2:])]
        if name in ("OA", "OC", "OS", "OE", "OI", "OF"):
            self._cut()
            self._answering()
            return self._said(name) + END
        if name == "IN":
            self._lift()
            self._absolute, self._force = True, 0.0
            self._bed.reset()
        elif name in ("PA", "PR"):
            self._absolute = name == "PA"
        elif name == "SP":
            self._lift()
            self._pen = int(figures[0]) if figures else 0
        elif name == "FS":
            self._lift()
            self._force = figures[0] if figures else 0.0
        elif name == "PU":
            self._lift()
        elif name == "PD":
            if not self._down:
                self._bed.begin()
                self._down, self._run = True, [self.at]
        elif name == "AA" and len(figures) >= 3:
            self._go(arc(self.at, (figures[0], figures[1]), figures[2]))
        elif name not in ("VS", "AA", "PS", "IP", "SC"):
            self._error = NOT_KNOWN
        if name in ("PA", "PR", "PU", "PD"):
            for x, y in zip(figures[::2], figures[1::2], strict=False):
                self._go([(x, y) if self._absolute else (self.at[0] + x, self.at[1] + y)])
        return b""

    def _go(self, places: list[tuple[float, float]]) -> None:
        self.at = places[-1]
        if self._down:
            self._run += places

    def _lift(self) -> None:
        self._cut()
        self._run, self._down = [], False

    def _cut(self) -> None:
        """What the tool has drawn since it went down, or since this was done last."""
        run, self._run = self._run, self._run[-1:]
        if len(run) > 1:
            self._bed.stroke(self._pen, np.array(run) * self._bed.unit_mm, self._force)

    def _said(self, name: str) -> bytes:
        if name in ("OA", "OC"):
            return f"{self.at[0]:.0f},{self.at[1]:.0f},{int(self._down)}".encode()
        if name == "OI":
            return MODEL
        if name == "OF":
            return f"{1 / self._bed.unit_mm:.0f},{1 / self._bed.unit_mm:.0f}".encode()
        if name == "OE":
            error, self._error = self._error, NO_ERROR
            return str(error).encode()
        return IDLE


def serve_plotter(plotter: Plotter, lock: threading.Lock, first_port: int) -> int:
    """Speak HP-GL on 127.0.0.1 beside the caller, on the first free port; returns it."""

    class Connection(socketserver.BaseRequestHandler):
        request: socket.socket

        def handle(self) -> None:
            self.request.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            begun = False
            while True:
                try:
                    data = self.request.recv(4096)
                except OSError:
                    return
                if not data or (not begun and not LETTERS.match(data)):
                    return
                begun = True
                try:
                    with lock:
                        said = plotter.feed(data)
                except Dead as dead:
                    with lock:
                        self.request.sendall(plotter._said("OA")[: dead.after])
                    return
                except PowerGone:
                    return
                if said:
                    self.request.sendall(said)
                if len(plotter._held) > MOST_HELD:
                    return

    class Server(socketserver.ThreadingTCPServer):
        allow_reuse_address = True
        daemon_threads = True

    return beside(on_free_port(Server, Connection, first_port))
