"""What a label of a web is cut to: a rectangle with round corners, or a shape of its own, stretched to the box of the
label. Millimetres, y up; shapes are rings of shares of their box, from its lower left corner."""

from collections.abc import Sequence
from math import pi, sqrt

import numpy as np
import shapely
from shapely import Polygon

from etiquette.core.geometry.paths import Points
from etiquette.core.geometry.polygons import rounded
from etiquette.core.planning.webs import Box, Label, Shape

OFF_SHAPE_MM = 0.1
"""So near to a rectangle with round corners a drawn outline is one."""
FINE_MM = 0.003
"""So near the ring of a shape stays to what it was taken from: a tenth of what a knife repeats to."""
MOST_POINTS = 4000
LEAST_SHARE = 1e-6
ALIKE_MM = 0.1
"""So near in size art's own cut is the label's."""
Place = tuple[float, float]


def cut_of(label: Label, box: Box, turn_deg: float = 0.0, corner_mm: float | None = None) -> Polygon:
    """The cut of a label that fills `box`, turned by a multiple of 90° counter-clockwise; `corner_mm`: of a rectangle,
    where they are not the label's own."""
    if not label.shape:
        return rounded(box, label.corner_mm if corner_mm is None else corner_mm)
    shares = np.array(label.shape)
    for _ in range(round(turn_deg / 90) % 4):
        shares = np.column_stack([1 - shares[:, 1], shares[:, 0]])
    low, high = np.array(box[:2]), np.array(box[2:])
    return Polygon(low + shares * (high - low))


def label_like(outline: Polygon) -> Label:
    """A label that is cut as `outline` is, without its holes: a rectangle with round corners where it is one."""
    x0, y0, x1, y1 = outline.bounds
    width, height = round(x1 - x0, 3), round(y1 - y0, 3)
    ring = Polygon(outline.exterior)
    off = max(0.0, (x1 - x0) * (y1 - y0) - ring.area)
    corner = min(sqrt(off / (4 - pi)), width / 2, height / 2)
    if ring.exterior.hausdorff_distance(rounded(outline.bounds, corner).exterior) <= OFF_SHAPE_MM:
        return Label(width, height, round(corner, 2))
    return Label(width, height, shape=_shares(ring))


def _shares(ring: Polygon) -> Shape:
    points: Points = np.asarray(ring.simplify(FINE_MM).exterior.coords)[:-1]
    low, high = points.min(axis=0), points.max(axis=0)
    return tuple((float(x), float(y)) for x, y in ((points - low) / (high - low)).round(7))


def why_no_shape(shape: Sequence[Sequence[float]]) -> str | None:
    """Why a ring of shares is no shape of a label, in words; None: it is one."""
    if not 3 <= len(shape) <= MOST_POINTS:
        return f"a shape has 3 to {MOST_POINTS} corners"
    if any(len(point) != 2 for point in shape):
        return "a corner of a shape is a pair of numbers"
    points = np.array(shape, dtype=float)
    if not (np.isfinite(points).all() and (points >= -LEAST_SHARE).all() and (points <= 1 + LEAST_SHARE).all()):
        return "the corners of a shape are shares of its box, from 0 to 1"
    if (np.abs(points.min(axis=0)) > LEAST_SHARE).any() or (np.abs(points.max(axis=0) - 1) > LEAST_SHARE).any():
        return "a shape reaches all four sides of its box"
    ring = Polygon(points)
    if not shapely.is_valid(ring) or ring.area < LEAST_SHARE:
        return "the outline of a shape crosses itself"
    return None


def as_large(label: Label, own: Polygon) -> bool:
    """Whether art's own cut is as large as the label, which then lies on it."""
    x0, y0, x1, y1 = own.bounds
    return bool(max(abs(x1 - x0 - label.width_mm), abs(y1 - y0 - label.height_mm)) < ALIKE_MM)


def middle_of(own: Polygon) -> Place:
    x0, y0, x1, y1 = own.bounds
    return (x0 + x1) / 2, (y0 + y1) / 2
