"""In what order shapes are cut, and where each is entered.

What lies inside a shape comes before it, so that nothing is cut loose from the sheet that still has to be cut; a shape
and all that lies in it are cut together, one piece after the other. Along a long frame the shapes are taken stretch by
stretch, so that the media moves little. Within these bounds the way in between is kept short: a tour through the
middles of what belongs together, then for the whole sequence the entry points that together make the shortest way."""

from collections.abc import Sequence
from itertools import groupby

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, STRtree

from etiquette.core.geometry.paths import Points

ENTRIES = 24
"""Places on a closed shape at which it may be entered."""


def cutting_order(
    shapes: Sequence[Points],
    closed: Sequence[bool],
    start: Points,
    stretch_mm: float,
    ranks: Sequence[int] | None = None,
) -> tuple[list[int], list[int]]:
    """The order of `shapes` (each (n, 2); a closed one repeats its first point), and for each in that order the index
    of the point where it is entered; an open one is entered at its first (0) or last (−1) point. `stretch_mm` is along
    y, 0 for the whole length at once. `ranks` (n,): shapes that lie in no other come by their rank, and only those of
    one rank by the shortest way."""
    if not shapes:
        return [], []
    parents = _parents(shapes, closed)
    children: dict[int, list[int]] = {}
    for index, parent in enumerate(parents):
        children.setdefault(parent, []).append(index)
    middles = np.array([(shape.min(axis=0) + shape.max(axis=0)) / 2 for shape in shapes])
    order: list[int] = []
    outer = _ranked(children[-1], middles, start, stretch_mm, ranks)
    pending: list[tuple[int, bool]] = [(one, False) for one in reversed(outer)]
    while pending:  # a walk over the tree without recursion: drawings can be nested deeply
        index, inside_done = pending.pop()
        if inside_done or index not in children:
            order.append(index)
            continue
        at = middles[order[-1]] if order else start
        pending.append((index, True))
        pending += [(one, False) for one in reversed(_way(children[index], middles, at, stretch_mm))]
    return order, _entries([shapes[index] for index in order], [closed[index] for index in order], start)


def _parents(shapes: Sequence[Points], closed: Sequence[bool]) -> list[int]:
    """For every shape the smallest closed one round it, −1 for none. Open lines have none: they free nothing."""
    polygons = [
        Polygon(shape).buffer(0) if shut and len(shape) > 3 else Polygon()
        for shape, shut in zip(shapes, closed, strict=True)
    ]
    areas = np.array([polygon.area for polygon in polygons])
    tree = STRtree(polygons)
    parents = []
    for index, shape in enumerate(polygons):
        if shape.is_empty:
            parents.append(-1)
            continue
        inside = shape.representative_point()
        round_it = [int(o) for o in tree.query(shape.centroid) if o != index and areas[o] > areas[index]]
        round_it = [outer for outer in round_it if polygons[outer].contains(inside)]
        parents.append(min(round_it, key=lambda outer: areas[outer], default=-1))
    return parents


def _ranked(
    members: list[int], middles: Points, start: Points, stretch_mm: float, ranks: Sequence[int] | None
) -> list[int]:
    """`members` by their rank, those of one rank in a short way."""
    if ranks is None:
        return _way(members, middles, start, stretch_mm)
    way: list[int] = []
    for _, alike in groupby(sorted(members, key=ranks.__getitem__), key=ranks.__getitem__):
        held, at = list(alike), middles[way[-1]] if way else start
        way += held if len(held) == 1 else _way(held, middles, at, stretch_mm)
    return way


def _way(members: list[int], middles: Points, start: Points, stretch_mm: float) -> list[int]:
    """`members` in a short way from `start`, stretch by stretch along y."""
    from etiquette.core.cutting.touring import tour  # compiled kernels: only where they work

    places = middles[members]
    low, high = places[:, 1].min(), places[:, 1].max()
    if not stretch_mm or high - low <= 2 * stretch_mm:
        return [members[index] for index in tour(places, start)]
    count = int(np.ceil((high - low) / stretch_mm))
    stretch = np.minimum(((places[:, 1] - low) / (high - low) * count).astype(int), count - 1)
    way: list[int] = []
    at = start
    for number in range(count) if start[1] <= (low + high) / 2 else reversed(range(count)):
        here = np.flatnonzero(stretch == number)
        if len(here):
            way += [members[here[index]] for index in tour(places[here], at)]
            at = middles[way[-1]]
    return way


def _entries(shapes: Sequence[Points], closed: Sequence[bool], start: Points) -> list[int]:
    """The entry of every shape in its place in the sequence, so that the way between them is shortest (dynamic
    programming over up to ENTRIES places a shape). A closed shape is left where it is entered, an open one at its other
    end."""
    choices = [_choices(shape, shut) for shape, shut in zip(shapes, closed, strict=True)]
    cost, leaving = np.zeros(1), np.atleast_2d(start).astype(float)
    back: list[NDArray[np.intp]] = []
    for shape, shut, indices in zip(shapes, closed, choices, strict=True):
        entering = shape[indices]
        ways = cost[:, None] + np.hypot(
            leaving[:, None, 0] - entering[None, :, 0], leaving[:, None, 1] - entering[None, :, 1]
        )
        back.append(ways.argmin(axis=0))
        cost = ways.min(axis=0)
        leaving = entering if shut else entering[::-1]
    chosen = [int(cost.argmin())]
    for step in reversed(back[1:]):
        chosen.append(int(step[chosen[-1]]))
    return [int(indices[one]) for indices, one in zip(choices, reversed(chosen), strict=True)]


def _choices(shape: Points, shut: bool) -> NDArray[np.intp]:
    """Indices of the points at which `shape` may be entered."""
    if not shut:
        return np.array([0, -1])
    count = len(shape) - 1
    return np.unique(np.linspace(0, count, min(ENTRIES, count), endpoint=False).astype(np.intp))
