"""Paths of lines and cubic Béziers, in millimetres, y up; immutable."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import wraps
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.pens import Pen

Points = NDArray[np.float64]


RADIUS_REACH_MM = 0.3
"""Half the stretch over which a turn is measured: about the offset of a drag knife (0.25 mm, from memory)."""


@dataclass(frozen=True, eq=False)
class Path:
    """A path from `start` through `segments`: each an array (1, 2) for a line or (3, 2) for a cubic Bézier. It never
    changes, and is the same as itself alone: what was measured of it is kept in mind."""

    start: Points
    segments: tuple[Points, ...]
    closed: bool

    @classmethod
    def from_points(cls, points: Sequence[Sequence[float]] | Points, closed: bool = True) -> "Path":
        """A path of straight lines through `points` (n, 2); a repeated last point of a closed ring is dropped."""
        array = np.asarray(points, dtype=float)
        if closed and len(array) > 1 and np.allclose(array[0], array[-1]):
            array = array[:-1]
        lines = tuple(point[None, :] for point in array[1:])
        return cls(array[0], (*lines, array[:1]) if closed else lines, closed)

    @property
    def node_count(self) -> int:
        return len(self.segments) + (0 if self.closed else 1)

    def draw(self, pen: Pen) -> None:
        """Hand the path to `pen`; a closing line that is straight is left to `close_path`."""
        pen.move_to(*map(float, self.start))
        for number, segment in enumerate(self.segments):
            if len(segment) == 1:
                if not (self.closed and number == len(self.segments) - 1):
                    pen.line_to(*map(float, segment[0]))
            else:
                pen.curve_to(*map(float, segment.ravel()))
        if self.closed:
            pen.close_path()

    def mapped(self, transform: Callable[[Points], Points]) -> "Path":
        """The path with every control point carried by `transform` ((n, 2) to (n, 2)): exact for affine maps."""
        lengths = [len(segment) for segment in self.segments]
        carried = transform(np.vstack([self.start[None, :], *self.segments]))
        pieces = np.split(carried[1:], np.cumsum(lengths)[:-1]) if lengths else []
        return Path(carried[0], tuple(pieces), self.closed)

    def flatten(self, tolerance_mm: float = 0.01) -> Points:
        """The path as points (n, 2), nowhere further than `tolerance_mm` from it. A closed path repeats its start.

        The number of steps per Bézier follows from its second difference: error ≤ |d²|·h²/8.
        """
        if not self.segments:
            return self.start[None, :]
        if all(len(segment) == 1 for segment in self.segments):  # straight, as most of what a drawing has thousands of
            return np.concatenate([self.start[None, :], *self.segments])
        ends = np.array([segment[-1] for segment in self.segments])
        begins = np.vstack([self.start, ends[:-1]])
        curved = np.array([len(segment) > 1 for segment in self.segments])
        steps = np.ones(len(ends), dtype=np.intp)
        if curved.any():
            control = np.array([segment for segment in self.segments if len(segment) > 1])
            control = np.concatenate([begins[curved, None], control], axis=1)  # (m, 4, 2)
            bends = np.linalg.norm(control[:, :2] - 2 * control[:, 1:3] + control[:, 2:], axis=2).max(axis=1)
            steps[curved] = np.maximum(1, np.ceil(np.sqrt(6 * bends / (8 * tolerance_mm))))
        points = np.repeat(ends, steps, axis=0)
        if curved.any():
            # all points of all curves at once: a call a curve is what a page of small print takes its time with
            counts = steps[curved]
            number = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + 1
            weights = _bernstein(number / np.repeat(counts, counts))
            points[np.repeat(curved, steps)] = np.einsum("nk,nkd->nd", weights, np.repeat(control, counts, axis=0))
        return np.vstack([self.start, points])


def _bernstein(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Weights (n, 4) of the control points of a cubic Bézier at parameters `t` (n,)."""
    s = 1 - t
    return np.stack([s**3, 3 * s**2 * t, 3 * s * t**2, t**3], axis=1)


def signed_area(ring: Points) -> float:
    """Area of a ring (n, 2), closed or not: positive when counter-clockwise with y up."""
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def kept_in_mind(measure: Callable[[Path], float]) -> Callable[[Path], float]:
    """Measured once of each path, as long as that is there: lines are measured when they are found, checked and
    reported."""
    known: WeakKeyDictionary[Path, float] = WeakKeyDictionary()

    @wraps(measure)
    def asked(path: Path) -> float:
        if path not in known:
            known[path] = measure(path)
        return known[path]

    return asked


@kept_in_mind
def path_length(path: Path) -> float:
    """Length in millimetres, of the path flattened to a hundredth of one."""
    return float(np.hypot(*np.diff(path.flatten(), axis=0).T).sum())


@kept_in_mind
def smallest_radius(path: Path) -> float:
    """The smallest radius in mm that a tool has to turn along `path`; 0 when two segments meet at more than 20°,
    infinite for a straight line.

    Measured as a knife feels it, by circles through points RADIUS_REACH_MM before and after each place: the curvature
    of a Bézier at one parameter may be large where nothing can be seen.
    """
    if _has_corner(path):
        return 0.0
    points = path.flatten(1e-5)  # the sagitta of a 12 mm arc over the reach is only 0.004 mm
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    total = float(travelled[-1])
    if total < 4 * RADIUS_REACH_MM:
        return total / (2 * np.pi) if path.closed else np.inf
    at = np.arange(0, total, RADIUS_REACH_MM / 4)
    if not path.closed:
        at = at[(at >= RADIUS_REACH_MM) & (at <= total - RADIUS_REACH_MM)]

    def along(where: NDArray[np.float64]) -> Points:
        return np.stack([np.interp(where % total, travelled, points[:, axis]) for axis in (0, 1)], axis=1)

    before, here, after = along(at - RADIUS_REACH_MM), along(at), along(at + RADIUS_REACH_MM)
    sides = (
        np.linalg.norm(here - before, axis=1)
        * np.linalg.norm(after - here, axis=1)
        * np.linalg.norm(after - before, axis=1)
    )
    twice_area = np.abs((here - before)[:, 0] * (after - before)[:, 1] - (here - before)[:, 1] * (after - before)[:, 0])
    with np.errstate(divide="ignore", invalid="ignore"):
        radii = sides / (2 * twice_area)
    return float(np.nanmin(radii, initial=np.inf))


def _has_corner(path: Path) -> bool:
    """Whether two segments meet at more than 20°."""
    if not path.segments:
        return False
    steps = np.diff(np.vstack([path.start[None, :], *path.segments]), axis=0)
    of = np.repeat(np.arange(len(path.segments)), [len(segment) for segment in path.segments])
    there = np.linalg.norm(steps, axis=1) > 1e-6
    steps, of = steps[there], of[there]
    if not len(steps):
        return False
    meet = np.flatnonzero(np.diff(of))  # the last step of one segment, and the first of the next that has any
    before, after = steps[meet], steps[meet + 1]
    if path.closed:
        before, after = np.vstack([before, steps[-1:]]), np.vstack([after, steps[:1]])
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turns = np.degrees(np.arctan2(cross, (before * after).sum(axis=1)))
    return bool((np.abs(turns) > 20).any())
