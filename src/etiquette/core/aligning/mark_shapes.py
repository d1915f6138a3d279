"""Signed distance to the edge of every kind of registration mark: negative inside its dark area, in mm.

Boxes and discs after the usual constructive formulas (distance to a union is the least of its parts').
"""

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely import box

from etiquette.core.marking.marks import MarkRecipe

Reals = NDArray[np.floating[Any]]


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
    x, y = _middle_of_corner(half, stroke)
    along, across = u + x, v + y
    return np.minimum(
        _box(along - half, across - stroke / 2, half, stroke / 2),
        _box(along - stroke / 2, across - half, stroke / 2, half),
    )


def distance_and_slopes(recipe: MarkRecipe, u: Reals, v: Reals) -> tuple[Reals, Reals, Reals]:
    """The signed distance, and how it changes along u and along v: the direction away from the nearest edge, a unit
    vector but on the ridges, where two edges are as near."""
    half, stroke = recipe.size_mm / 2, min(recipe.stroke_mm, recipe.size_mm / 2)
    if recipe.shape in ("disc", "ring"):
        away = np.hypot(u, v)
        out, safe = away - half, np.maximum(away, 1e-12)
        if not (recipe.shape == "ring" and half > stroke):
            return out, u / safe, v / safe
        hollow = -(out + stroke) > out
        sign = np.where(hollow, -1.0, 1.0) / safe
        return np.where(hollow, -(out + stroke), out), sign * u, sign * v
    if recipe.shape == "square":
        return _sloped_box(u, v, half, half)
    if recipe.shape == "cross":
        return _nearer(_sloped_box(u, v, half, stroke / 2), _sloped_box(u, v, stroke / 2, half))
    x, y = _middle_of_corner(half, stroke)
    along, across = u + x, v + y
    return _nearer(
        _sloped_box(along - half, across - stroke / 2, half, stroke / 2),
        _sloped_box(along - stroke / 2, across - half, stroke / 2, half),
    )


def turns_alike(recipe: MarkRecipe) -> float:
    """By how many degrees a mark can be turned until it looks the same; 0: by any."""
    return {"disc": 0.0, "ring": 0.0, "square": 90.0, "cross": 90.0, "corner": 360.0}[recipe.shape]


def _box(u: Reals, v: Reals, half_u: float, half_v: float) -> Reals:
    du, dv = np.abs(u) - half_u, np.abs(v) - half_v
    outside = np.hypot(np.maximum(du, 0), np.maximum(dv, 0))
    return np.asarray(outside + np.minimum(np.maximum(du, dv), 0))


def _sloped_box(u: Reals, v: Reals, half_u: float, half_v: float) -> tuple[Reals, Reals, Reals]:
    du, dv = np.abs(u) - half_u, np.abs(v) - half_v
    past_u, past_v = np.maximum(du, 0), np.maximum(dv, 0)
    outside = np.hypot(past_u, past_v)
    within, along_u = outside == 0, du > dv
    safe = np.where(within, 1.0, outside)
    slope_u = np.where(within, along_u, past_u / safe) * np.sign(u)
    slope_v = np.where(within, ~along_u, past_v / safe) * np.sign(v)
    return outside + np.minimum(np.maximum(du, dv), 0), slope_u, slope_v


def _nearer(one: tuple[Reals, Reals, Reals], other: tuple[Reals, Reals, Reals]) -> tuple[Reals, Reals, Reals]:
    """Of two shapes that are one, wherever the nearer one is."""
    first = one[0] <= other[0]
    distance, slope_u, slope_v = (np.where(first, a, b) for a, b in zip(one, other, strict=True))
    return distance, slope_u, slope_v


@cache
def _middle_of_corner(half: float, stroke: float) -> tuple[float, float]:
    """The middle of the darkness of a corner of two arms, from its outer point."""
    middle = box(0, 0, 2 * half, stroke).union(box(0, 0, stroke, 2 * half)).centroid
    return float(middle.x), float(middle.y)
