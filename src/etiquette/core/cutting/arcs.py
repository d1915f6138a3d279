"""Arcs through points, for devices and files that keep curves."""

from dataclasses import dataclass

import numpy as np

from etiquette.core.geometry.paths import Points

LEAST_POINTS = 4
MOST_SWEEP = np.pi
STRAIGHT_RADIUS = 1e5


@dataclass(frozen=True)
class Bend:
    """From the point before to `end` (2,): straight when `sweep` is 0, else round `centre` by `sweep` radians, positive
    counter-clockwise."""

    end: Points
    centre: Points
    sweep: float


def bends(points: Points, tolerance_mm: float) -> list[Bend]:
    """Straight moves and arcs along `points` (n, 2), each point at most `tolerance_mm` from them, as few as a greedy
    search finds: the longest run first that one arc can follow."""
    found: list[Bend] = []
    at = 0
    while at < len(points) - 1:
        best, reach = None, at + 1
        step = LEAST_POINTS - 1
        while at + step < len(points):
            bend = _arc(points[at : at + step + 1], tolerance_mm)
            if bend is None:
                break
            best, reach = bend, at + step
            step *= 2
        low, high = reach - at, min(step, len(points) - at - 1)
        while best is not None and high - low > 1:
            middle = (low + high) // 2
            bend = _arc(points[at : at + middle + 1], tolerance_mm)
            if bend is None:
                high = middle
            else:
                best, low, reach = bend, middle, at + middle
        found.append(best or Bend(points[reach], points[reach], 0.0))
        at = reach
    return found


def _arc(points: Points, tolerance_mm: float) -> Bend | None:
    """The arc from the first of `points` through its middle to its last, if all of them and the middles of their steps
    lie on it within the tolerance and it turns one way only."""
    first, last, between = points[0], points[-1], points[len(points) // 2]
    a, b = between - first, last - first
    cross = a[0] * b[1] - a[1] * b[0]
    if abs(cross) < 1e-9:
        return None
    offset = np.array([b[1] * (a @ a) - a[1] * (b @ b), a[0] * (b @ b) - b[0] * (a @ a)]) / (2 * cross)
    radius = float(np.hypot(*offset))
    centre = first + offset
    if radius > STRAIGHT_RADIUS:
        return None
    halves = (points[:-1] + points[1:]) / 2
    if np.abs(np.hypot(*(np.vstack([points, halves]) - centre).T) - radius).max() > tolerance_mm:
        return None
    angles = np.unwrap(np.arctan2(*(points - centre).T[::-1]))
    turns = np.diff(angles)
    sweep = float(angles[-1] - angles[0])
    if (turns * np.sign(sweep) <= 0).any() or abs(sweep) > MOST_SWEEP:
        return None
    return Bend(last, centre, sweep)
