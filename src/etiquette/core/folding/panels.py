"""The panels of folded work: what the cut encloses, parted where it is creased, and how the panels hang together.

Creases are where work is folded; perforations and scores are folds too. Drawings stop a crease a little short of the
edge, so its ends are carried on by as much before the panels are told apart."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import shapely
from shapely import LineString, MultiLineString, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import polygonize

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Points
from etiquette.core.geometry.polygons import inside_of

FOLDS: tuple[Kind, ...] = ("crease", "perforation", "score")
CUTS: tuple[Kind, ...] = ("through", "kiss")
FLAT_MM = 0.01
"""Curves of a drawing become steps this near to them."""
SHORT_MM = 0.5
"""As much a crease may stop short of the edge, and is carried on."""
LEAST_MM2 = 1.0
"""What is smaller is no panel: a sliver between two strokes that lie nearly on each other."""
LEAST_HINGE_MM = 0.5
STRAIGHT_MM = 0.1
"""Further from a straight line than this, card does not fold."""
MOST_PANELS = 200


@dataclass(frozen=True)
class Hinge:
    """Where two panels (by their numbers, from 0) hang together: a straight crease from `start` to `end`."""

    first: int
    second: int
    start: tuple[float, float]
    end: tuple[float, float]

    @property
    def middle(self) -> tuple[float, float]:
        return (self.start[0] + self.end[0]) / 2, (self.start[1] + self.end[1]) / 2


@dataclass(frozen=True)
class FlatWork:
    """Panels as they lie flat, printed side up, in design millimetres; `curved`: middles of creases that are not
    straight, along which nothing is folded; `loose`: those that part nothing."""

    panels: tuple[Polygon, ...]
    hinges: tuple[Hinge, ...]
    curved: tuple[tuple[float, float], ...] = ()
    loose: tuple[tuple[float, float], ...] = ()

    @property
    def largest(self) -> int:
        """The panel that stays where it is."""
        return int(np.argmax([panel.area for panel in self.panels]))


def flat_work(lines: Sequence[FinishLine]) -> FlatWork:
    """The panels of a design with these lines. Raises JobError when it is not cut out, or nothing is folded."""
    region = _cut_out([line for line in lines if line.kind in CUTS and line.path.closed])
    folds = [LineString(_open(line)) for line in lines if line.kind in FOLDS]
    if region.is_empty:
        raise JobError("It is not cut out yet.", "folding", "Give it a through or kiss line round it first.")
    if not folds:
        raise JobError("It has no crease.", "folding", "Add a crease, or take one from the art.")
    slits = [LineString(_open(line)) for line in lines if line.kind in CUTS and not line.path.closed]
    edges = shapely.union_all([region.boundary, *slits])
    whole = [
        _carried_on(fold, shapely.union_all([edges, *(one for one in folds if one is not fold)])) for fold in folds
    ]
    network = shapely.union_all([edges, *whole])
    panels = [
        one for one in polygonize(network) if one.area >= LEAST_MM2 and region.contains(one.representative_point())
    ]
    if len(panels) > MOST_PANELS:
        raise JobError(
            f"It has {len(panels)} panels; {MOST_PANELS} at most can be folded here.", "folding", "Fold a part of it."
        )
    panels.sort(key=lambda one: (round(one.centroid.x, 3), round(one.centroid.y, 3)))
    hinges, curved, used = _hinges(panels, whole)
    loose = tuple(_middle(fold) for number, fold in enumerate(folds) if number not in used)
    return FlatWork(tuple(panels), tuple(hinges), tuple(curved), loose)


def _cut_out(closed: Sequence[FinishLine]) -> BaseGeometry:
    """What through lines enclose, or kiss lines where there are none: outlines less the holes in them."""
    kind = "through" if any(line.kind == "through" for line in closed) else "kiss"
    rings = [inside_of(line.path, FLAT_MM) for line in closed if line.kind == kind]
    region: BaseGeometry = Polygon()
    for ring in sorted(rings, key=lambda one: -one.area):  # each ring turns inside to outside and back
        region = region.symmetric_difference(ring)
    return region


def _open(line: FinishLine) -> Points:
    points = line.path.flatten(FLAT_MM)
    return points if len(points) > 1 else np.vstack([points, points])


def _carried_on(fold: LineString, others: BaseGeometry) -> LineString:
    """The fold with each end that stops short of something carried on to it."""
    points = np.asarray(fold.coords)
    for end, before in ((0, 1), (-1, -2)):
        if others.distance(Point(points[end])) > SHORT_MM:
            continue
        way = points[end] - points[before]
        size = float(np.hypot(*way))
        if size:
            points[end] = points[end] + way / size * SHORT_MM
    return LineString(points)


def _hinges(
    panels: Sequence[Polygon], folds: Sequence[LineString]
) -> tuple[list[Hinge], list[tuple[float, float]], set[int]]:
    """Where panels that touch are creased, the places of what is not straight, and which folds part two panels."""
    tree = shapely.STRtree(list(panels))
    hinges: list[Hinge] = []
    curved: list[tuple[float, float]] = []
    used: set[int] = set()
    near = {(int(a), int(b)) for a, b in zip(*tree.query(list(panels), predicate="intersects"), strict=True) if a < b}
    for first, second in sorted(near):
        border = panels[first].boundary.intersection(panels[second].boundary)
        for number, fold in enumerate(folds):
            shared = border.intersection(fold.buffer(FLAT_MM))
            if shared.length < LEAST_HINGE_MM:
                continue
            used.add(number)
            points = shapely.get_coordinates(shared)
            start, end = _ends(points)
            if _off(points, start, end) > STRAIGHT_MM:
                curved.append(_middle(fold))
                continue
            hinges.append(Hinge(first, second, (float(start[0]), float(start[1])), (float(end[0]), float(end[1]))))
    return _one_each(hinges), curved, used


def _ends(points: Points) -> tuple[Points, Points]:
    """The two of `points` that lie furthest apart along the way they spread."""
    way = np.linalg.svd(points - points.mean(axis=0), full_matrices=False)[2][0]
    along = points @ way
    return points[int(np.argmin(along))], points[int(np.argmax(along))]


def _off(points: Points, start: Points, end: Points) -> float:
    way = end - start
    away = points - start
    return float(np.abs(way[0] * away[:, 1] - way[1] * away[:, 0]).max() / max(float(np.hypot(*way)), 1e-9))


def _one_each(hinges: Sequence[Hinge]) -> list[Hinge]:
    """Two panels hang together once: of several creases between them that lie in one line, the whole of it."""
    found: dict[tuple[int, int], Hinge] = {}
    for one in hinges:
        key = (one.first, one.second)
        if key in found:
            start, end = _ends(np.array([found[key].start, found[key].end, one.start, one.end]))
            one = Hinge(one.first, one.second, (float(start[0]), float(start[1])), (float(end[0]), float(end[1])))
        found[key] = one
    return list(found.values())


def _middle(fold: LineString | MultiLineString) -> tuple[float, float]:
    place = fold.interpolate(0.5, normalized=True)
    return float(place.x), float(place.y)


def hinge_pairs(flat: FlatWork) -> set[tuple[int, int]]:
    """The pairs of panels that hang together, the lower number first."""
    return {(one.first, one.second) for one in flat.hinges}


def not_hinged(flat: FlatWork) -> list[tuple[int, int]]:
    """All other pairs."""
    together = hinge_pairs(flat)
    return [pair for pair in combinations(range(len(flat.panels)), 2) if pair not in together]
