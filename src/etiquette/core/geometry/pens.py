"""One path protocol, and the small pens that write it as SVG, PDF and DXF.

A pen receives `move_to`, `line_to`, `curve_to` and `close_path` in millimetres, y up; each writer turns that into its
own units. (The idea is that of fontTools' pens: any outline meets any drawing.) HP-GL has its pen in `core.cutting`,
because only there are curves flattened to what a device can follow.
"""

import math
from typing import Protocol

from etiquette.core.units import MM_PER_POINT


class Pen(Protocol):
    """Receives a path in millimetres, y up."""

    def move_to(self, x: float, y: float) -> None: ...
    def line_to(self, x: float, y: float) -> None: ...
    def curve_to(self, x1: float, y1: float, x2: float, y2: float, x: float, y: float) -> None: ...
    def close_path(self) -> None: ...


def figure(value: float, places: int = 4) -> str:
    """A number as short as it can be without losing `places` decimals; never `-0`."""
    text = f"{value:.{places}f}"
    text = text.rstrip("0").rstrip(".") if places else text
    return "0" if text in ("-0", "") else text


class SvgPen:
    """Writes SVG path data with y down: y becomes `height_mm` − y."""

    def __init__(self, height_mm: float = 0.0) -> None:
        self._height = height_mm
        self._parts: list[str] = []

    @property
    def data(self) -> str:
        return " ".join(self._parts)

    def _add(self, letter: str, *points: float) -> None:
        pairs = [f"{figure(x)},{figure(self._height - y)}" for x, y in zip(points[::2], points[1::2], strict=True)]
        self._parts.append(letter + " ".join(pairs))

    def move_to(self, x: float, y: float) -> None:
        self._add("M", x, y)

    def line_to(self, x: float, y: float) -> None:
        self._add("L", x, y)

    def curve_to(self, x1: float, y1: float, x2: float, y2: float, x: float, y: float) -> None:
        self._add("C", x1, y1, x2, y2, x, y)

    def arc_to(self, cx: float, cy: float, sweep: float, x: float, y: float) -> None:
        """Round (cx, cy) by `sweep` radians, positive counter-clockwise as it is seen, to (x, y), in quarter turns at
        most: of a half turn the middle would move by 0.1 mm where the last digit of the radius is rounded."""
        radius, clockwise = math.hypot(x - cx, y - cy), int(sweep < 0)
        count = max(1, math.ceil(abs(sweep) / (math.pi / 2) - 1e-9))
        last = math.atan2(y - cy, x - cx)
        for left in reversed(range(count)):
            angle = last - sweep * left / count
            at = (cx + radius * math.cos(angle), cy + radius * math.sin(angle)) if left else (x, y)
            round_by = f"{figure(radius)},{figure(radius)} 0 0 {clockwise}"
            self._parts.append(f"A{round_by} {figure(at[0])},{figure(self._height - at[1])}")

    def close_path(self) -> None:
        self._parts.append("Z")


class PdfPen:
    """Writes PDF path operators (ISO 32000, 8.5.2) in points, y up."""

    def __init__(self) -> None:
        self._parts: list[str] = []

    @property
    def data(self) -> str:
        return "\n".join(self._parts)

    def _add(self, operator: str, *numbers: float) -> None:
        self._parts.append(" ".join([*(figure(number / MM_PER_POINT) for number in numbers), operator]))

    def move_to(self, x: float, y: float) -> None:
        self._add("m", x, y)

    def line_to(self, x: float, y: float) -> None:
        self._add("l", x, y)

    def curve_to(self, x1: float, y1: float, x2: float, y2: float, x: float, y: float) -> None:
        self._add("c", x1, y1, x2, y2, x, y)

    def arc_to(self, cx: float, cy: float, sweep: float, x: float, y: float) -> None:
        """As of SvgPen, in cubics of a quarter turn at most, with control points 4/3·tan(angle / 4) radii away."""
        count = max(1, math.ceil(abs(sweep) / (math.pi / 2)))
        step, radius = sweep / count, math.hypot(x - cx, y - cy)
        reach = 4 / 3 * math.tan(step / 4) * radius
        first = math.atan2(y - cy, x - cx) - sweep
        for number in range(count):
            a, b = first + number * step, first + (number + 1) * step
            ax, ay, bx, by = math.cos(a), math.sin(a), math.cos(b), math.sin(b)
            self.curve_to(
                cx + radius * ax - reach * ay, cy + radius * ay + reach * ax,
                cx + radius * bx + reach * by, cy + radius * by - reach * bx,
                cx + radius * bx, cy + radius * by,
            )  # fmt: skip

    def close_path(self) -> None:
        self._add("h")
