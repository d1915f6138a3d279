"""Rings and polygons: between Shapely geometries, arrays and what a knife can follow."""

from collections.abc import Sequence
from typing import Literal

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon, make_valid
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path, Points

Join = Literal["round", "mitre"]
GRID_MM = 1e-4
"""Far finer than anything is printed or cut."""
STEPS_A_QUARTER = 64
"""Of a round corner: of 3 mm they stay within 0.3 µm."""
MITRE_LIMIT = 4.0
"""A corner sharper than about 29° is cut off, or a mitred line would run far from the art."""


def inside_of(path: Path, tolerance_mm: float) -> Polygon:
    """What a closed path goes round, flattened to `tolerance_mm`; empty for one that is open, or so small that fewer
    than three corners are left of it."""
    ring = path.flatten(tolerance_mm) if path.closed else ()
    return Polygon(ring) if len(ring) > 3 else Polygon()


def united(areas: Sequence[BaseGeometry]) -> BaseGeometry:
    """The union of `areas`, taken of those alone that meet: the letters of a page do not, and all at once they take
    twenty times as long. Where rounding stops it, as in drawings of many nearly equal edges, all of it is laid on a
    grid of GRID_MM first, on which it always ends."""
    given = shapely.get_parts(np.array(areas, dtype=object))
    crossed = ~shapely.is_valid(given)  # one that meets no other would come back as it is
    given[crossed] = shapely.make_valid(given[crossed])
    try:
        return shapely.disjoint_subset_union_all(given)
    except shapely.errors.GEOSException:
        return shapely.union_all(shapely.make_valid(given), grid_size=GRID_MM)


def polygons_of(geometry: BaseGeometry) -> list[Polygon]:
    """The polygons in `geometry`, biggest first; lines and points are left out."""
    if isinstance(geometry, Polygon):
        return [] if geometry.is_empty else [geometry]
    parts = [part for part in getattr(geometry, "geoms", []) for part in polygons_of(part)]
    return sorted(parts, key=lambda part: -part.area)


def offset(
    geometry: BaseGeometry, distance_mm: float, tolerance_mm: float = 0.01, join: Join = "round"
) -> BaseGeometry:
    """`geometry` grown (or shrunk, when negative) by `distance_mm`, arcs of round joins within `tolerance_mm`; mitred
    joins are cut off at MITRE_LIMIT times the distance."""
    if distance_mm == 0:
        return geometry
    radius = abs(distance_mm)
    # the sagitta of an arc of a quarter turn in n parts is r(1 − cos(π/4n))
    quarter = int(np.ceil(np.pi / 4 / np.arccos(max(0.0, 1 - min(tolerance_mm, radius) / radius))))
    # part by part and joined at the end: a buffer of many parts at once costs twice as much
    parts = np.array(polygons_of(geometry) or [geometry], dtype=object)
    grown = shapely.buffer(
        parts, distance_mm, quad_segs=min(max(quarter, 4), 64), join_style=join, mitre_limit=MITRE_LIMIT
    )
    return united(grown) if len(grown) > 1 else grown[0]


def checked_polygon(outline: Points, holes: list[Points], where: str) -> Polygon:
    """The polygon of `outline` with `holes`. Raises JobError when it crosses itself or has no area."""
    if len(outline) < 3 or not np.isfinite(outline).all():
        raise JobError("An outline has fewer than three corners.", where, "Give it at least three.")
    if any(len(hole) < 3 or not np.isfinite(hole).all() for hole in holes):
        raise JobError("A hole has fewer than three corners.", where, "Give it at least three.")
    polygon = Polygon(outline, holes)
    if not polygon.is_valid:
        reason = explain_validity(polygon)
        place = reason[reason.find("[") + 1 : -1] if "[" in reason else ""
        raise JobError(
            f"The outline crosses itself near {place or 'one of its corners'}.",
            where,
            "Repair the outline and try again.",
        )
    if polygon.area <= 0:
        raise JobError("An outline has no area.", where, "Draw it round something.")
    return polygon


def repaired(polygon: Polygon) -> MultiPolygon:
    """`polygon` made valid, as parts; used only on outlines that Etiquette itself traced from pixels."""
    valid = polygon if polygon.is_valid else make_valid(polygon)
    return MultiPolygon(polygons_of(valid))


def rounded(box: tuple[float, float, float, float], corner_mm: float) -> Polygon:
    """A rectangle with round corners of `corner_mm`, no rounder than it is small."""
    x0, y0, x1, y1 = box
    corner = min(corner_mm, (x1 - x0) / 2, (y1 - y0) / 2)
    if corner < GRID_MM:  # sharp
        return shapely.box(*box)
    # of a round label nothing but a point is left inside, of a label with round ends a line
    middles = [(x, y) for x in (x0 + corner, x1 - corner) for y in (y0 + corner, y1 - corner)]
    made: Polygon = shapely.MultiPoint(middles).convex_hull.buffer(corner, quad_segs=STEPS_A_QUARTER)
    return made
