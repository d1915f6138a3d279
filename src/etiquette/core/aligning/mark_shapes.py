"""Signed distance to the edge of every kind of registration mark: negative inside its dark area, in mm.

Boxes and discs after the usual constructive formulas (distance to a union is the least of its parts').
"""

import numpy as np
from numpy.typing import NDArray
from shapely import box

from etiquette.core.marking.marks import MarkRecipe

Reals = NDArray[np.float64]


def signed_distance(recipe: MarkRecipe, u: Reals, v: Reals) -> Reals:
    """Distance at places (u, v) about the middle of the mark's darkness, the arms of a corner towards + u and + v."""
    half, stroke = recipe.size_mm / 2, min(recipe.stroke_mm, recipe.size_mm / 2)
    if recipe.shape in ("disc", "ring"):
        out = np.hypot(u, v) - half
        hollow = recipe.shape == "ring" and half > stroke
        return np.maximum(out, -(out + stroke)) if hollow else np.asarray(out)
    if recipe.shape == "square":
        return _box(u, v, half, half)
    if recipe.shape == "cross":
        return np.minimum(_box(u, v, half, stroke / 2), _box(u, v, stroke / 2, half))
    middle = box(0, 0, 2 * half, stroke).union(box(0, 0, stroke, 2 * half)).centroid
    along, across = u + middle.x, v + middle.y
    return np.minimum(
        _box(along - half, across - stroke / 2, half, stroke / 2),
        _box(along - stroke / 2, across - half, stroke / 2, half),
    )


def turns_alike(recipe: MarkRecipe) -> float:
    """By how many degrees a mark can be turned until it looks the same; 0: by any."""
    return {"disc": 0.0, "ring": 0.0, "square": 90.0, "cross": 90.0, "corner": 360.0}[recipe.shape]


def _box(u: Reals, v: Reals, half_u: float, half_v: float) -> Reals:
    du, dv = np.abs(u) - half_u, np.abs(v) - half_v
    outside = np.hypot(np.maximum(du, 0), np.maximum(dv, 0))
    return np.asarray(outside + np.minimum(np.maximum(du, dv), 0))
