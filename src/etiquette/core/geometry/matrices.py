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


def inverted(matrix: Matrix) -> Matrix:
    """The matrix that undoes `matrix`, which is not flat."""
    a, b, c, d, e, f = matrix
    whole = a * d - b * c
    p, q, r, s = d / whole, -b / whole, -c / whole, a / whole
    return (p, q, r, s, -e * p - f * r, -e * q - f * s)


def is_even(matrix: Matrix) -> bool:
    """Whether lengths grow alike in all directions, or none is left in one."""
    a, b, c, d, *_ = matrix
    # of the two factors by which lengths grow these are the squares' sum and the product
    both, product = a * a + b * b + c * c + d * d, abs(a * d - b * c)
    return product <= 1e-9 * both or both <= 2.000001 * product


def scale_of(matrix: Matrix) -> float:
    """Mean factor by which lengths grow."""
    a, b, c, d, *_ = matrix
    return float(np.sqrt(abs(a * d - b * c)))
