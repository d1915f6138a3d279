"""Many closed polylines as one long ruler, so that points, directions and corners of all of them are found at once.

NumPy pays per call, not per point: a sheet of two hundred small outlines is worked like one large one.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Points

Reals = NDArray[np.float64]
Indices = NDArray[np.intp]

CORNER_DEGREES = 38.0
"""A turn sharper than this within the reach of a corner is a corner, not a curve."""
TANGENT_REACH = 4.0
"""The shortest stretch from which a direction is taken, in tolerances."""
TANGENT_SAMPLES = 9
REACH_DOUBLINGS = 9


@dataclass(frozen=True)
class Tracks:
    """Closed rings end to end: `points` (n, 2) with each ring's first point repeated at its end, `ruler` (n,) the
    distance travelled, rising through all rings; `begin` and `length` (rings,) of each ring on that ruler; `first`
    (rings + 1,) the index of each ring's first point."""

    points: Points
    ruler: Reals
    begin: Reals
    length: Reals
    first: Indices

    @classmethod
    def of(cls, rings: list[Points]) -> "Tracks":
        """Tracks of `rings`, each (n, 2) with n ≥ 3, unclosed and without repeated points."""
        counts = np.array([len(ring) + 1 for ring in rings])
        first = np.concatenate([[0], np.cumsum(counts)])
        points = np.vstack([part for ring in rings for part in (ring, ring[:1])])
        steps = np.hypot(*np.diff(points, axis=0).T)
        steps[first[1:-1] - 1] = 1.0  # a gap between rings keeps the ruler rising
        ruler = np.concatenate([[0.0], np.cumsum(steps)])
        return cls(points, ruler, ruler[first[:-1]], ruler[first[1:] - 1] - ruler[first[:-1]], first)

    def at(self, ring: Indices, where: Reals) -> Points:
        """Points (…, 2) of rings `ring` at distances `where` from their first point, any number of rounds on."""
        return np.moveaxis(self.axes_at(ring, where), 0, -1)

    def axes_at(self, ring: Indices, where: Reals) -> Reals:
        """The same by their coordinates (2, …): NumPy is twice as fast along rows of one coordinate as over pairs."""
        on = self.begin[ring] + where % self.length[ring]
        return np.stack([np.interp(on, self.ruler, self.points[:, axis]) for axis in (0, 1)])

    def corners(self, reach: float) -> list[Reals]:
        """For each ring the places (distance from its first point, rising) where its direction changes by more than
        CORNER_DEGREES over chords of `reach`; the sharpest of neighbours that lie within one and a half reaches."""
        ring = np.repeat(np.arange(len(self.length)), np.diff(self.first))
        place = self.ruler - self.begin[ring]
        before = self.points - self.at(ring, place - reach)
        after = self.at(ring, place + reach) - self.points
        turn = np.abs(_angle(before, after))
        turn[self.first[1:] - 1] = 0  # the repeated first point
        turn[self.length[ring] < 8 * reach] = 0
        found: list[list[float]] = [[] for _ in self.length]
        sharp = np.flatnonzero(turn > np.radians(CORNER_DEGREES))
        for index in sharp[np.argsort(-turn[sharp], kind="stable")]:
            others, here, round_ = found[ring[index]], float(place[index]), float(self.length[ring[index]])
            if all(min(abs(here - other), round_ - abs(here - other)) > 1.5 * reach for other in others):
                others.append(here)
        return [np.array(sorted(places)) for places in found]

    def directions(self, ring: Indices, where: Reals, room: Reals, both: bool, tolerance: float) -> Points:
        """Unit directions (n, 2) at `where`: the slope of a parabola through as much of the track as it follows within
        half the tolerance, at most `room` (n,): behind and ahead when `both`, else only ahead (`room` negative:
        behind, and the direction points backwards). A long reach does not see the noise of single points, a short one
        follows tight bends."""
        u = np.linspace(-1 if both else 0, 1, TANGENT_SAMPLES)
        design = np.stack([np.ones_like(u), u, u * u], axis=1)
        solve = np.linalg.pinv(design)
        off = design @ solve - np.eye(TANGENT_SAMPLES)
        sign, most = np.sign(room), np.abs(room)
        reach = np.minimum(TANGENT_REACH * tolerance, most)
        best = np.zeros((len(where), 2))
        active = np.arange(len(where))
        for doubling in range(REACH_DOUBLINGS):
            samples = self.axes_at(
                ring[active][:, None], where[active][:, None] + (sign * reach)[active][:, None] * u[None, :]
            )
            miss = np.hypot(*(samples @ off.T)).max(axis=1)
            good = miss <= tolerance / 2 if doubling else np.ones(len(active), dtype=bool)
            best[active[good]] = (samples[:, good] @ solve[1]).T
            active = active[good & (reach[active] < most[active])]
            if not len(active):
                break
            reach[active] = np.minimum(2 * reach[active], most[active])
        return best / np.maximum(np.hypot(best[:, 0], best[:, 1]), 1e-12)[:, None]


def _angle(before: Points, after: Points) -> Reals:
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    angle: Reals = np.arctan2(cross, (before * after).sum(axis=1))
    return angle
