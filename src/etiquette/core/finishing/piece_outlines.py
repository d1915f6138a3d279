"""What a design takes on the stock."""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely import Polygon

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.polygons import polygons_of


def outline_of(lines: Sequence[FinishLine]) -> Polygon:
    """What a design takes on the stock: the hull of islands if it has several, else its outermost line."""
    rings = [Polygon(line.path.flatten(0.02)) for line in lines if line.path.closed]
    if not rings:  # loose strokes only: the piece is what they span
        rings = [shapely.MultiPoint(np.vstack([line.path.flatten(0.02) for line in lines])).convex_hull.buffer(0.1)]
    whole = shapely.union_all([ring.buffer(0) for ring in rings])
    parts = polygons_of(whole)
    outline = parts[0] if len(parts) == 1 else whole.convex_hull
    return Polygon(Polygon(outline.exterior).simplify(0.03).exterior)
