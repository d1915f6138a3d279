"""HP-GL in small instructions, each with the time it takes: so little is sent ahead that a machine can be held.

HP 7475A Interfacing and Programming Manual (1983): PU, PD, PA, PR, AA, VS, IN; a unit is 0.025 mm unless the device
says otherwise."""

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from etiquette.core.units import HPGL_UNIT_MM

LONGEST_SECONDS = 0.5
"""No instruction takes longer: a quarter of what may be sent ahead, so that there is something to answer meanwhile."""
MOST_PAIRS = 24
"""Coordinate pairs an instruction carries: about 300 bytes, a third of the buffer of a small plotter."""
USUAL_SPEED_MM_S = 381.0
"""What a 7475A draws at when it is told no speed (VS: 38.1 cm/s)."""


@dataclass(frozen=True)
class Instruction:
    """Complete commands that lead to a place, `end` in device units. `stroke`: the number of the stroke it belongs
    to."""

    text: str
    seconds: float
    stroke: int = 0
    end: tuple[float, float] = (0.0, 0.0)


@dataclass
class Pacer:
    """Splits HP-GL, text after text: it remembers where the tool is and how fast it goes."""

    unit_mm: float = HPGL_UNIT_MM
    travel_mm_s: float = USUAL_SPEED_MM_S
    speed_mm_s: float = USUAL_SPEED_MM_S
    at: tuple[float, float] = (0.0, 0.0)
    down: bool = False
    absolute: bool = True
    _lift_seconds: float = field(default=0.08, repr=False)

    def split(self, text: str, stroke: int = 0) -> list[Instruction]:
        """The instructions of `text`, which are the same to the machine as the text is."""
        return [Instruction(part, seconds, stroke, self.at) for part, seconds in self._parts(text)]

    def _parts(self, text: str) -> Iterator[tuple[str, float]]:
        for name, arguments in re.findall(r"([A-Z]{2})([^A-Z;]*);?\s*", text):
            numbers = [float(one) for one in re.findall(r"-?\d+(?:\.\d+)?", arguments)]
            if name in ("PU", "PD", "PA", "PR"):
                yield from self._moves(name, numbers)
            elif name == "AA" and len(numbers) >= 3:
                yield from self._arc(*numbers[:3])
            else:
                if name == "VS" and numbers:
                    self.speed_mm_s = max(1.0, numbers[0] * 10)
                if name == "IN":
                    self.absolute, self.down = True, False
                yield f"{name}{arguments.strip()};", self._lift_seconds if name == "SP" else 0.0

    def _moves(self, name: str, numbers: list[float]) -> Iterator[tuple[str, float]]:
        lifts = 0.0
        if name in ("PU", "PD"):
            lifts = self._lift_seconds if self.down != (name == "PD") else 0.0
            self.down = name == "PD"
        else:
            self.absolute = name == "PA"
        pairs = list(zip(numbers[::2], numbers[1::2], strict=False))
        if not pairs or not self.absolute:  # relative moves are passed on as they are: a step never goes far
            seconds = lifts + sum(self._seconds(math.hypot(x, y)) for x, y in pairs)
            self.at = (self.at[0] + sum(x for x, _ in pairs), self.at[1] + sum(y for _, y in pairs))
            yield f"{name}{','.join(f'{one:g}' for one in numbers)};", seconds
            return
        held: list[str] = []
        seconds = lifts
        for x, y in self._fine(pairs):
            seconds += self._seconds(math.hypot(x - self.at[0], y - self.at[1]))
            self.at = (x, y)
            held.append(f"{x:.10g},{y:.10g}")
            if len(held) >= MOST_PAIRS or seconds >= LONGEST_SECONDS:
                yield f"{name}{','.join(held)};", seconds
                held, seconds = [], 0.0
        if held:
            yield f"{name}{','.join(held)};", seconds

    def _fine(self, pairs: list[tuple[float, float]]) -> Iterator[tuple[float, float]]:
        """The places with others between those that are too far apart, on whole units of the straight line."""
        x, y = self.at
        for nx, ny in pairs:
            parts = math.ceil(self._seconds(math.hypot(nx - x, ny - y)) / LONGEST_SECONDS)
            for number in range(1, parts):
                yield round(x + (nx - x) * number / parts), round(y + (ny - y) * number / parts)
            yield nx, ny
            x, y = nx, ny

    def _arc(self, x: float, y: float, degrees: float) -> Iterator[tuple[str, float]]:
        radius, start = (
            math.hypot(self.at[0] - x, self.at[1] - y),
            math.atan2(self.at[1] - y, self.at[0] - x),
        )
        seconds = self._seconds(radius * math.radians(abs(degrees)))
        parts = max(1, math.ceil(seconds / LONGEST_SECONDS))
        for _ in range(parts):
            yield f"AA{x:.10g},{y:.10g},{degrees / parts:.6g};", seconds / parts
        end = start + math.radians(degrees)
        self.at = (x + radius * math.cos(end), y + radius * math.sin(end))

    def _seconds(self, units: float) -> float:
        return units * self.unit_mm / (self.speed_mm_s if self.down else self.travel_mm_s)
