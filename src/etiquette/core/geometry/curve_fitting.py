"""Cubic Béziers through a polyline, with corners kept.

After P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves", Graphics Gems, 1990: fit one cubic by
least squares on the chord-length parameters, improve the parameters by Newton steps, split where it is worst.
"""

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Path, Points, cubic_at

CORNER_DEGREES = 38.0
"""A turn sharper than this within the reach of two tolerances is a corner, not a curve."""
TANGENT_REACH = 4.0
"""The shortest stretch from which a tangent is taken, in tolerances."""
NEWTON_ROUNDS = 4
WORTH_IMPROVING = 6.0
"""Newton steps are tried only when the error is within this multiple of the tolerance (Schneider uses a square)."""


def fit_ring(ring: Points, tolerance_mm: float) -> Path:
    """A closed path whose distance from every point of `ring` (n, 2, unclosed) is at most `tolerance_mm`."""
    points = _evenly(ring, tolerance_mm)
    count = len(points)
    if count < 8:
        return Path.from_points(ring)
    corners = _corners(points, tolerance_mm)
    if len(corners) == 0:
        # no corner: start where it bends least, and keep the tangent continuous across the seam
        seam = int(np.argmin(_turns(points, 3)))
        corners = np.array([seam])
        around = np.roll(points, count // 2 - seam, axis=0)
        seam_tangent = _middle_tangent(around, count // 2, tolerance_mm)
    else:
        seam_tangent = None
    segments: list[Points] = []
    for number, first in enumerate(corners):
        last = corners[(number + 1) % len(corners)]
        span = np.arange(first, last + 1 if last > first else last + count + 1) % count
        run = points[span]
        start = seam_tangent if seam_tangent is not None else _end_tangent(run, tolerance_mm)
        end = -seam_tangent if seam_tangent is not None else _end_tangent(run[::-1], tolerance_mm)
        segments.extend(_fit(run, start, end, tolerance_mm))
    return Path(points[corners[0]], tuple(segments), True)


def _evenly(ring: Points, tolerance_mm: float) -> Points:
    """The ring with repeated points gone and long edges divided, so that chord parameters mean something."""
    steps = np.hypot(*np.diff(np.vstack([ring, ring[:1]]), axis=0).T)
    ring = ring[steps > 1e-9]
    if len(ring) < 3:
        return ring
    closed = np.vstack([ring, ring[:1]])
    steps = np.hypot(*np.diff(closed, axis=0).T)
    longest = max(8 * tolerance_mm, steps.sum() / 4000)
    parts = np.maximum(1, np.ceil(steps / longest).astype(int))
    starts = np.repeat(closed[:-1], parts, axis=0)
    ends = np.repeat(closed[1:], parts, axis=0)
    offsets = np.arange(parts.sum()) - np.repeat(np.cumsum(parts) - parts, parts)
    share = (offsets / np.repeat(parts, parts))[:, None]
    evenly: Points = starts + share * (ends - starts)
    return evenly


def _unit(vector: Points) -> Points:
    length = np.linalg.norm(vector)
    unit: Points = vector / length if length > 0 else np.array([1.0, 0.0])
    return unit


def _turns(points: Points, reach: int) -> NDArray[np.float64]:
    before = points - np.roll(points, reach, axis=0)
    after = np.roll(points, -reach, axis=0) - points
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turns: NDArray[np.float64] = np.abs(np.degrees(np.arctan2(cross, (before * after).sum(axis=1))))
    return turns


def _corners(points: Points, tolerance_mm: float) -> NDArray[np.intp]:
    """Indices where the direction changes sharply, measured over chords of about four tolerances."""
    closed = np.vstack([points, points[:1]])
    travelled = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    total, at = travelled[-1], travelled[:-1]
    chord = max(4 * tolerance_mm, 1e-6)
    if total < 8 * chord:
        return np.array([], dtype=np.intp)

    def along(where: NDArray[np.float64]) -> Points:
        where = where % total
        return np.stack([np.interp(where, travelled, closed[:, axis]) for axis in (0, 1)], axis=1)

    before, after = points - along(at - chord), along(at + chord) - points
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turn = np.abs(np.degrees(np.arctan2(cross, (before * after).sum(axis=1))))
    corners: list[int] = []
    for index in np.flatnonzero(turn > CORNER_DEGREES)[np.argsort(-turn[turn > CORNER_DEGREES])]:
        gaps = [min(abs(at[index] - at[other]), total - abs(at[index] - at[other])) for other in corners]
        if all(gap > 1.5 * chord for gap in gaps):
            corners.append(int(index))
    return np.array(sorted(corners), dtype=np.intp)


def _middle_tangent(points: Points, index: int, tolerance: float) -> Points:
    """Direction at a point inside a run, from as much of the run on both sides as one parabola follows."""
    away = _travelled(points)
    return _parabola_direction(
        points, away - away[index], min(away[index], away[-1] - away[index]), tolerance, both=True
    )


def _end_tangent(run: Points, tolerance: float) -> Points:
    """Direction at the first point of a run, from as much of its beginning as one parabola follows."""
    away = _travelled(run)
    return _parabola_direction(run, away, away[-1], tolerance, both=False)


def _parabola_direction(points: Points, away: NDArray[np.float64], most: float, tolerance: float, both: bool) -> Points:
    """Slope at 0 of a parabola in `away` through the points within a reach that is doubled while the parabola stays
    within half the tolerance: a long reach does not see the noise of single points, a short one follows tight bends."""
    best: Points | None = None
    reach = TANGENT_REACH * tolerance
    while True:
        first, last = np.searchsorted(away, (-reach if both else 0.0, reach))
        near = slice(max(0, int(first) - 1), int(last) + 1)
        if away[near].size >= 4:
            design = np.stack([np.ones_like(away[near]), away[near], away[near] ** 2], axis=1)
            solution = np.linalg.lstsq(design, points[near], rcond=None)[0]
            if np.hypot(*(design @ solution - points[near]).T).max() > tolerance / 2:
                break
            best = solution[1]
        if reach >= most:
            break
        reach *= 2
    if best is None:
        at = int(np.argmin(np.abs(away)))
        best = points[min(at + 1, len(points) - 1)] - points[max(at - 1, 0) if both else at]
    return _unit(best)


def _travelled(points: Points) -> NDArray[np.float64]:
    """Distance along the polyline at each of its points."""
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])


def _fit(points: Points, start: Points, end: Points, tolerance: float) -> list[Points]:
    if len(points) == 2:
        return [points[1:]]
    chord = points[-1] - points[0]
    length = np.linalg.norm(chord)
    if length > 1e-9:
        off = np.abs((points[:, 0] - points[0, 0]) * chord[1] - (points[:, 1] - points[0, 1]) * chord[0]) / length
        along = (points - points[0]) @ chord / length
        # a straight line only where the neighbours' tangents agree with it, or a smooth arc would become a polygon
        straight = off.max() <= tolerance * 0.5 and along.min() > -tolerance and along.max() < length + tolerance
        if straight and min(start @ chord, -(end @ chord)) / length > 0.9998:
            return [points[-1:]]
    steps = np.hypot(*np.diff(points, axis=0).T)
    t = np.concatenate([[0], np.cumsum(steps)])
    t /= t[-1]
    control = _least_squares(points, t, start, end)
    worst, split = _worst(points, control, t)
    if worst <= tolerance:
        return [control[1:]]
    if worst <= tolerance * WORTH_IMPROVING:
        for _ in range(NEWTON_ROUNDS):
            t = _newton(points, control, t)
            control = _least_squares(points, t, start, end)
            worst, split = _worst(points, control, t)
            if worst <= tolerance:
                return [control[1:]]
    split = min(max(split, 1), len(points) - 2)
    tangent = _middle_tangent(points, split, tolerance)
    return _fit(points[: split + 1], start, -tangent, tolerance) + _fit(points[split:], tangent, end, tolerance)


def _least_squares(points: Points, t: NDArray[np.float64], start: Points, end: Points) -> Points:
    """The cubic with given ends and end tangents nearest to `points` at parameters `t` (Schneider, section 5)."""
    s = 1 - t
    b1, b2 = (3 * t * s**2)[:, None], (3 * t**2 * s)[:, None]
    b0, b3 = (s**3)[:, None], (t**3)[:, None]
    left, right = b1 * start, b2 * end
    rest = points - (points[0] * (b0 + b1) + points[-1] * (b2 + b3))
    c00, c01, c11 = (left * left).sum(), (left * right).sum(), (right * right).sum()
    x0, x1 = (left * rest).sum(), (right * rest).sum()
    determinant = c00 * c11 - c01 * c01
    length = float(np.linalg.norm(points[-1] - points[0]))
    if abs(determinant) > 1e-12:
        alpha, beta = (x0 * c11 - x1 * c01) / determinant, (c00 * x1 - c01 * x0) / determinant
    else:
        alpha = beta = 0.0
    if alpha < 1e-6 * length or beta < 1e-6 * length:
        alpha = beta = length / 3  # the standard fallback of Wu and Barsky, as in Schneider
    return np.stack([points[0], points[0] + alpha * start, points[-1] + beta * end, points[-1]])


def _worst(points: Points, control: Points, t: NDArray[np.float64]) -> tuple[float, int]:
    misses = np.hypot(*(cubic_at(control, t) - points).T)
    index = int(np.argmax(misses))
    return float(misses[index]), index


def _newton(points: Points, control: Points, t: NDArray[np.float64]) -> NDArray[np.float64]:
    first = 3 * np.diff(control, axis=0)
    second = 2 * np.diff(first, axis=0)
    s = (1 - t)[:, None]
    u = t[:, None]
    miss = cubic_at(control, t) - points
    d1 = s**2 * first[0] + 2 * s * u * first[1] + u**2 * first[2]
    d2 = s * second[0] + u * second[1]
    slope = (d1 * d1).sum(axis=1) + (miss * d2).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        better = np.where(np.abs(slope) > 1e-12, t - (miss * d1).sum(axis=1) / slope, t)
    return np.maximum.accumulate(np.clip(better, 0, 1))
