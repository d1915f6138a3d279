"""Affine matrices as PDF and SVG write them: six numbers, for rows of points."""

import numpy as np

from etiquette.core.geometry.paths import Points

Matrix = tuple[float, float, float, float, float, float]
IDENTITY: Matrix = (1, 0, 0, 1, 0, 0)


def times(inner: Matrix, outer: Matrix) -> Matrix:
    """The matrix that applies `inner` first."""
    a, b, c, d, e, f = inner
    p, q, r, s, t, u = outer
    return (a * p + b * r, a * q + b * s, c * p + d * r, c * q + d * s, e * p + f * r + t, e * q + f * s + u)


def applied(matrix: Matrix, points: Points) -> Points:
    """`points` (n, 2) under a matrix: (n, 2)."""
    a, b, c, d, e, f = matrix
    moved: Points = points @ np.array([[a, b], [c, d]]) + (e, f)
    return moved


def scale_of(matrix: Matrix) -> float:
    """Mean factor by which lengths grow."""
    a, b, c, d, *_ = matrix
    return float(np.sqrt(abs(a * d - b * c)))
