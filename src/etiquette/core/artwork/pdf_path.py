"""The path under way in a content stream (ISO 32000-1, 8.5.2): built operator by operator, painted as a whole."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from etiquette.core.geometry.matrices import Matrix
from etiquette.core.geometry.paths import Path, Points

PAINTS: dict[str, tuple[bool, bool, bool, bool]] = {
    "S": (False, True, False, False),
    "s": (False, True, False, True),
    "f": (True, False, False, False),
    "F": (True, False, False, False),
    "f*": (True, False, True, False),
    "B": (True, True, False, False),
    "B*": (True, True, True, False),
    "b": (True, True, False, True),
    "b*": (True, True, True, True),
    "n": (False, False, False, False),
}
"""Operator: fills, strokes, by the even-odd rule, closes first."""
FILL_ALONE = {"B": "f", "B*": "f*", "b": "f", "b*": "f*"}
STROKE_ALONE = {"B": "S", "B*": "S", "b": "s", "b*": "s"}


MOST = 1e7
"""Millimetres from the corner of the page: farther is no place."""


class PathUnderWay:
    """Points are taken in the units of the stream and kept in those of the page."""

    def __init__(self, matrix: Callable[[], Matrix]) -> None:
        """`matrix` says what leads to the page just now."""
        self._matrix = matrix
        self._paths: list[Path] = []
        self._start: np.ndarray | None = None
        self._at = np.zeros(2)
        self._segments: list[np.ndarray] = []

    def move(self, operands: list[Any]) -> None:
        """Operator m (ISO 32000-1, 8.5.2): a new subpath begins."""
        self._finish(False)
        self._start = self._at = self._point(*operands)

    def line(self, operands: list[Any]) -> None:
        """Operator l."""
        self._at = self._point(*operands)
        if self._start is None:
            self._start = self._at
        else:
            self._segments.append(self._at[None, :])

    def curve(self, name: str, operands: list[Any]) -> None:
        """Operators c, v and y, by `name`: v begins and y ends with the point that is there."""
        points = self._points(operands)
        if name == "v":
            points = np.vstack([self._at, points])
        elif name == "y":
            points = np.vstack([points, points[-1]])
        if self._start is None:
            self._start = points[0]
        self._segments.append(points)
        self._at = points[-1]

    def close(self) -> None:
        """Operator h: back to where the subpath began."""
        start = self._start
        self._finish(True)
        self._start = start
        if start is not None:
            self._at = start

    def rectangle(self, operands: list[Any]) -> None:
        """Operator re: a closed subpath by itself."""
        x, y, w, h = (float(value) for value in operands)
        self._finish(False)
        corners = [self._point(*corner) for corner in ((x, y), (x + w, y), (x + w, y + h), (x, y + h))]
        self._paths.append(Path.from_points(np.array(corners)))
        self._start = self._at = corners[0]

    def taken(self, closed: bool) -> tuple[Path, ...]:
        """All subpaths, the last one `closed` or not; a new path begins."""
        self._finish(closed)
        paths, self._paths = tuple(self._paths), []
        return paths

    def _point(self, x: Any, y: Any) -> Points:
        return np.array(_carried(self._matrix(), float(x), float(y)))

    def _points(self, numbers: Sequence[Any]) -> Points:
        """Points (n, 2) of 2·n numbers."""
        matrix = self._matrix()
        pairs = zip(map(float, numbers[::2]), map(float, numbers[1::2]), strict=True)
        return np.array([_carried(matrix, x, y) for x, y in pairs])

    def _finish(self, closed: bool) -> None:
        if self._start is not None and self._segments:
            segments = list(self._segments)
            if closed and not _is_same(segments[-1][-1], self._start):
                segments.append(self._start[None, :])
            self._paths.append(Path(self._start, tuple(segments), closed))
        self._segments = []
        self._start = None


def _carried(matrix: Matrix, x: float, y: float) -> tuple[float, float]:
    """In plain floats: of two to six numbers NumPy would be three times as slow, and a page of small print has hundreds
    of thousands. Raises ValueError."""
    a, b, c, d, e, f = matrix
    u, v = a * x + c * y + e, b * x + d * y + f
    if not (-MOST <= u <= MOST and -MOST <= v <= MOST):  # false of what is no number, too
        raise ValueError("a coordinate is not a number")
    return u, v


def _is_same(one: Points, other: Points) -> bool:
    """Two points (2,) that differ by rounding alone, as numpy.allclose has it, which takes a tenth of a millisecond."""
    (x, y), (u, v) = one.tolist(), other.tolist()
    return bool(abs(x - u) <= 1e-9 + 1e-5 * abs(u) and abs(y - v) <= 1e-9 + 1e-5 * abs(v))
