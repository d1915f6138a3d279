"""Paths of vector art that hands point at: the one that lies there, and those that look like it."""

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
import shapely
from shapely import LineString, Point

from etiquette.core.artwork.line_rules import WIDTH_SLACK_MM
from etiquette.core.artwork.vectors import PaintedPath, filled
from etiquette.core.geometry.paths import Points

Likeness = Literal["layer", "colour", "width"]
FLAT_MM = 0.05
"""How closely a path is followed to find what lies under a finger."""


def path_at(paths: Sequence[PaintedPath], x: float, y: float, reach_mm: float) -> PaintedPath | None:
    """The path at (x, y), mm from the lower left of the art: the one whose outline runs nearest within `reach_mm`, else
    the topmost whose fill lies there. Of outlines on each other it is the topmost."""
    near = [one for one in paths if _may_reach(one, x, y, reach_mm)]
    place = Point(x, y)
    distances = [(_distance(one, place), -number, one) for number, one in enumerate(near)]
    found = min(distances, default=None, key=lambda one: one[:2])
    if found and found[0] <= reach_mm:
        return found[2]
    inside = (one for one in reversed(near) if one.fill and filled(_rings(one), one.even_odd).covers(place))
    return next(inside, None)


def alike(paths: Sequence[PaintedPath], one: PaintedPath, by: Likeness) -> list[PaintedPath]:
    """Those of `paths` that lie in the same layer as `one`, are of its colour, or have a stroke as wide; `one` among
    them."""
    same: dict[Likeness, Callable[[PaintedPath], bool]] = {
        "layer": lambda other: other.layers == one.layers,
        "colour": lambda other: look_of(other) == look_of(one),
        "width": lambda other: bool(other.stroke) and abs(other.stroke_mm - one.stroke_mm) <= WIDTH_SLACK_MM,
    }
    return [other for other in paths if other.number == one.number or same[by](other)]


def look_of(path: PaintedPath) -> tuple[str, tuple[str, ...]]:
    """The colour and the spots by which a path is told from others: those of its stroke, else of its fill."""
    ink = path.stroke or path.fill
    return (ink.colour, ink.spots) if ink else ("", ())


def same_places(old: Sequence[PaintedPath], new: Sequence[PaintedPath], numbers: Sequence[int]) -> bool:
    """Whether `numbers` mean the same paths in `new` art as in `old`: as many, and these painted and layered alike."""
    before, after = ({one.number: one for one in paths} for paths in (old, new))
    return len(old) == len(new) and all(
        number in before and number in after and _marks(before[number]) == _marks(after[number]) for number in numbers
    )


def _marks(path: PaintedPath) -> tuple[object, ...]:
    return path.fill, path.stroke, path.layers


def _may_reach(path: PaintedPath, x: float, y: float, reach_mm: float) -> bool:
    """Whether (x, y) lies so near to the control points of a path that it may be pressed: a curve lies within them."""
    points = [part for one in path.paths for part in (one.start[None, :], *one.segments)]
    if not points:
        return False
    every = np.concatenate(points)
    low, high = every.min(axis=0) - reach_mm, every.max(axis=0) + reach_mm
    return bool((low <= (x, y)).all() and ((x, y) <= high).all())


def _distance(path: PaintedPath, place: Point) -> float:
    lines = [LineString(ring) for ring in _rings(path) if len(ring) > 1]
    return min((float(shapely.distance(line, place)) for line in lines), default=float("inf"))


def _rings(path: PaintedPath) -> list[Points]:
    return [one.flatten(FLAT_MM) for one in path.paths if one.segments]
