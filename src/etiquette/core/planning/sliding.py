"""Closing the last gaps: pieces of a whole layout slide towards the start of the roll as far as their outlines let
them.

The raster keeps pieces up to a cell further apart than they need to be. Here exact outlines are used: grown by half the
gap, on the outside of their arcs, each slides straight or aslant until it touches another.
"""

from collections.abc import Hashable, Sequence

import numba
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon, STRtree
from shapely.geometry.polygon import orient

from etiquette.core.geometry.polygons import offset
from etiquette.core.planning.constructing import shrunk_zone

ARC_TOLERANCE_MM = 0.004
SPARE_MM = 0.001
"""What is left between two outlines that touch, so that rounding never makes them overlap."""
DIRECTIONS = ((0.0, -1.0), (-0.7071067811865476, -0.7071067811865476), (0.7071067811865476, -0.7071067811865476))
LEAST_MM = 0.002
OVERLAP_MM = 0.1
"""Outlines may start a little in each other, because they are grown by a little more than the gap: then neither moves
into the other."""
FARTHEST_MM = 2.0
"""How far a piece slides in one go: what lies further off need not be looked at."""

Rings = NDArray[np.float64]


def slid(
    outlines: Sequence[Polygon],
    alike: Sequence[Hashable],
    zones: Sequence[Polygon],
    gap_mm: float,
    area: tuple[float, float, float, float],
    fixed: NDArray[np.bool_],
    passes: int,
) -> NDArray[np.float64]:
    """How far (n, 2) each outline can be moved so that all lie lower, none nearer than the gap, none in a zone and none
    outside `area` (left, low, right, top). Outlines with the same entry in `alike` are one, moved. What is marked in
    `fixed`, outlines and zones after them, stays; all must keep the gap already."""
    half = gap_mm / 2 + 2 * ARC_TOLERANCE_MM
    rings = [_grown(outline, half) for outline in _distinct(outlines, alike)]
    places = np.array([outline.bounds[:2] for outline in outlines]).reshape(-1, 2)
    firsts = {kind: number for number, kind in reversed(list(enumerate(alike)))}
    numbers = {kind: number for number, kind in enumerate(dict.fromkeys(alike))}
    rings = [rings[numbers[kind]] + places[n] - places[firsts[kind]] for n, kind in enumerate(alike)]
    rings += [np.asarray(orient(shrunk_zone(zone, gap_mm / 2)).exterior.coords) for zone in zones]
    starts = np.concatenate([[0], np.cumsum([len(ring) for ring in rings])]).astype(np.int64)
    own = np.array([outline.bounds for outline in [*outlines, *zones]])
    boxes = np.array([[*ring.min(axis=0), *ring.max(axis=0)] for ring in rings])
    points, moved, room = np.vstack(rings), np.zeros((len(rings), 2)), np.array(area, dtype=float)
    for _ in range(passes):
        near, first = _neighbours(boxes)
        gained = slide_once(points, starts, boxes, own, room, fixed, np.array(DIRECTIONS), near, first, moved)
        if gained < LEAST_MM * len(rings):
            break
    return moved[: len(outlines)]


def _distinct(outlines: Sequence[Polygon], alike: Sequence[Hashable]) -> list[Polygon]:
    """The first outline of each kind."""
    first: dict[Hashable, Polygon] = {}
    for outline, kind in zip(outlines, alike, strict=True):
        first.setdefault(kind, outline)
    return list(first.values())


def _grown(outline: Polygon, half_gap: float) -> Rings:
    grown = offset(Polygon(outline.exterior), half_gap, ARC_TOLERANCE_MM)
    return np.asarray(orient(grown).exterior.coords)  # type: ignore[arg-type]


def _neighbours(boxes: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Who may come in whose way in one pass: those of i are near[first[i]:first[i + 1]]."""
    reach = len(DIRECTIONS) * FARTHEST_MM
    wide = shapely.box(boxes[:, 0] - reach, boxes[:, 1] - reach, boxes[:, 2] + reach, boxes[:, 3] + reach)
    one, two = STRtree(shapely.box(*boxes.T)).query(wide)
    order = np.argsort(one, kind="stable")
    return two[order].astype(np.int64), np.searchsorted(one[order], np.arange(len(boxes) + 1)).astype(np.int64)


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def slide_once(points, starts, boxes, own, area, fixed, directions, near, first, moved):  # type: ignore[no-untyped-def]
    """Slide every outline along every direction, the lowest first; points, boxes, bounds and `moved` follow. Returns
    how far all went together."""
    gained = 0.0
    for i in np.argsort(boxes[:, 1]):
        if fixed[i]:
            continue
        for d in range(len(directions)):
            dx, dy = directions[d, 0], directions[d, 1]
            room = min(FARTHEST_MM, (area[1] - own[i, 1]) / dy)
            if dx < 0:
                room = min(room, (area[0] - own[i, 0]) / dx)
            elif dx > 0:
                room = min(room, (area[2] - own[i, 2]) / dx)
            if room > LEAST_MM:
                room = _room(i, dx, dy, room, points, starts, boxes, near[first[i] : first[i + 1]]) - SPARE_MM
            if room <= LEAST_MM:
                continue
            for k in range(starts[i], starts[i + 1]):
                points[k, 0] += dx * room
                points[k, 1] += dy * room
            for k in range(2):
                boxes[i, 2 * k] += dx * room
                boxes[i, 2 * k + 1] += dy * room
                own[i, 2 * k] += dx * room
                own[i, 2 * k + 1] += dy * room
            moved[i, 0] += dx * room
            moved[i, 1] += dy * room
            gained += room
    return gained


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _room(i, dx, dy, room, points, starts, boxes, near):  # type: ignore[no-untyped-def]
    """How far outline i can go along (dx, dy), at most `room`."""
    left, right = boxes[i, 0] + min(dx * room, 0.0), boxes[i, 2] + max(dx * room, 0.0)
    low, high = boxes[i, 1] + min(dy * room, 0.0), boxes[i, 3]
    for j in near:
        if j == i or boxes[j, 0] > right or boxes[j, 2] < left or boxes[j, 1] > high or boxes[j, 3] < low:
            continue
        room = _hit(points, starts[i], starts[i + 1], starts[j], starts[j + 1], dx, dy, room)
        room = _hit(points, starts[j], starts[j + 1], starts[i], starts[i + 1], -dx, -dy, room)
        if room <= 0.0:
            return 0.0
    return room


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _hit(points, first, last, other_first, other_last, dx, dy, room):  # type: ignore[no-untyped-def]
    """How far the corners first … last go along (dx, dy) before one meets an edge of the other outline."""
    left, right, front, back = np.inf, -np.inf, -np.inf, np.inf
    for k in range(first, last - 1):
        across = points[k, 0] * dy - points[k, 1] * dx
        along = points[k, 0] * dx + points[k, 1] * dy
        left, right = min(left, across), max(right, across)
        front, back = max(front, along), min(back, along)
    for e in range(other_first, other_last - 1):
        ax, ay, bx, by = points[e, 0], points[e, 1], points[e + 1, 0], points[e + 1, 1]
        # across: the coordinate at right angles to the direction
        one, two = ax * dy - ay * dx, bx * dy - by * dx
        # rings run counter-clockwise: an edge that faces the motion runs to the side of greater `across`
        if two - one < 1e-12 or two < left or one > right:
            continue
        low, high = one, two
        along_a, along_b = ax * dx + ay * dy, bx * dx + by * dy
        nearest = min(along_a, along_b)
        farthest = max(along_a, along_b)
        if nearest >= front + room or farthest < back - OVERLAP_MM:
            continue
        for k in range(first, last - 1):
            across = points[k, 0] * dy - points[k, 1] * dx
            if across < low or across > high:
                continue
            at = points[k, 0] * dx + points[k, 1] * dy
            if at + room <= nearest or at > farthest + OVERLAP_MM:
                continue
            way = along_a + (along_b - along_a) * (across - one) / (two - one) - at
            if way > -OVERLAP_MM and way < room:
                room = max(way, 0.0)
    return room
