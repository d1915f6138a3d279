"""From finish lines to strokes of a tool: in order, closed with an overcut, with little travel."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from shapely import Polygon, STRtree

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.profiles import DeviceProfile, ToolCard
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path, Points

KIND_ORDER: tuple[Kind, ...] = ("pen", "crease", "score", "kiss", "perforation", "through")
"""What marks or bends comes before what cuts, and a kiss cut before what frees the sheet (common practice, no
published source)."""

Carry = Callable[[Points], Points]


@dataclass(frozen=True)
class Stroke:
    """One path of a tool without lifting: `points` (n, 2) in cutter millimetres."""

    kind: Kind
    points: Points


@dataclass(frozen=True)
class Motion:
    """All strokes in the order they are made, with length, travel and time."""

    strokes: tuple[Stroke, ...]
    cut_mm: float
    travel_mm: float
    seconds: float


def plan_motion(
    lines: Sequence[FinishLine],
    profile: DeviceProfile,
    tools: dict[Kind, ToolCard],
    carry: Carry = lambda points: points,
) -> Motion:
    """Strokes for `lines`, each point carried by `carry` (a fit); curves are flattened before they are bent, finely
    enough that the knife stays within the profile's tolerance of the bent curve."""
    strokes: list[Stroke] = []
    at = np.zeros(2)
    travel = 0.0
    for kind in KIND_ORDER:
        shapes = [carry(line.path.flatten(profile.tolerance_mm / 2)) for line in lines if line.kind == kind]
        closed = [line.path.closed for line in lines if line.kind == kind]
        for index in _order(shapes, closed, at):
            points = _from_nearest(shapes[index], closed[index], at)
            travel += float(np.linalg.norm(points[0] - at))
            at = points[-1]
            if closed[index]:
                points = _overcut(points, tools.get(kind, ToolCard()).overcut_mm)
            strokes.append(Stroke(kind, points))
    cut = sum(float(np.hypot(*np.diff(stroke.points, axis=0).T).sum()) for stroke in strokes)
    return Motion(tuple(strokes), cut, travel, _seconds(strokes, tools, travel, profile))


def _order(shapes: list[Points], closed: list[bool], start: Points) -> list[int]:
    """Inner before outer, otherwise always the nearest one that is free to be cut."""
    if not shapes:
        return []
    waits = _inner_first(shapes, closed)
    left = set(range(len(shapes)))
    entries = np.array([shape[0] for shape in shapes])
    at, order = start, []
    while left:
        free = [index for index in left if not waits[index] & left]
        candidates = np.array(sorted(free))
        chosen = int(candidates[np.argmin(((entries[candidates] - at) ** 2).sum(axis=1))])
        order.append(chosen)
        left.remove(chosen)
        at = shapes[chosen][-1]
    return order


def _inner_first(shapes: list[Points], closed: list[bool]) -> list[set[int]]:
    """For every shape the shapes that lie inside it and must come before it."""
    polygons = [
        Polygon(shape) if shut and len(shape) > 3 else Polygon() for shape, shut in zip(shapes, closed, strict=True)
    ]
    tree = STRtree(polygons)
    waits: list[set[int]] = [set() for _ in shapes]
    for inner, shape in enumerate(polygons):
        if shape.is_empty:
            continue
        for outer in tree.query(shape):
            if (
                outer != inner
                and polygons[outer].area > shape.area
                and polygons[outer].buffer(0).contains(shape.representative_point())
            ):
                waits[int(outer)].add(inner)
    return waits


def _from_nearest(points: Points, closed: bool, at: Points) -> Points:
    if not closed:
        near_end = np.linalg.norm(points[-1] - at) < np.linalg.norm(points[0] - at)
        return points[::-1] if near_end else points
    ring = points[:-1] if np.allclose(points[0], points[-1]) else points
    first = int(np.argmin(((ring - at) ** 2).sum(axis=1)))
    turned = np.roll(ring, -first, axis=0)
    return np.vstack([turned, turned[:1]])


def _overcut(points: Points, overcut_mm: float) -> Points:
    """A closed path that goes on past its start by `overcut_mm`, along itself."""
    if overcut_mm <= 0 or len(points) < 3:
        return points
    steps = np.hypot(*np.diff(points, axis=0).T)
    travelled = np.cumsum(steps)
    whole = points[1:][travelled < overcut_mm]
    number = min(len(whole), len(steps) - 1)
    rest = overcut_mm - (travelled[number - 1] if number else 0.0)
    share = min(1.0, rest / steps[number]) if steps[number] else 0.0
    last = points[number] + share * (points[number + 1] - points[number])
    return np.vstack([points, whole, last[None, :]])


def _seconds(strokes: Sequence[Stroke], tools: dict[Kind, ToolCard], travel: float, profile: DeviceProfile) -> float:
    cutting = sum(
        float(np.hypot(*np.diff(s.points, axis=0).T).sum()) / tools.get(s.kind, ToolCard()).speed_mm_s for s in strokes
    )
    return cutting + travel / profile.travel_mm_s + len(strokes) * profile.lift_seconds


def path_of(stroke: Stroke) -> Path:
    return Path.from_points(stroke.points, closed=False)
