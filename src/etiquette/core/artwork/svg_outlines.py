"""The outlines that svgelements reads, as paths of the page: through the transform by the points of their curves.

svgelements can do that itself, point by point; but an arc that is skewed comes out another there."""

from typing import Any

import numpy as np
import svgelements

from etiquette.core.geometry.matrices import Matrix, is_even
from etiquette.core.geometry.paths import Path, Points


def to_page(shape: Any, scale: float, height: float) -> Matrix:
    """From the space in which `shape` is told to the page: millimetres, y up, `scale` of them a pixel."""
    a, b, c, d, e, f = (float(getattr(shape.transform, name)) * scale for name in "abcdef")
    return (a, -b, c, -d, e, height - f)


def pen_of(shape: Any, matrix: Matrix) -> Matrix | None:
    """From a pen as wide as 1 to the page; None where what it draws is as wide in all directions."""
    if is_even(matrix) or shape.values.get("vector-effect") == "non-scaling-stroke":
        return None
    a, b, c, d, e, f = matrix
    width = float(shape.stroke_width or 0)
    return (a * width, b * width, c * width, d * width, e, f) if width > 0 else None


def paths_of(outline: svgelements.Path, matrix: Matrix) -> tuple[Path, ...]:
    """The subpaths of `outline`, carried by `matrix`."""
    paths: list[Path] = []
    start: Points | None = None
    segments: list[Points] = []

    a, b, c, d, e, f = matrix

    def at(*points: Any) -> Points:
        # in plain floats: of two or three points NumPy would be slower
        return np.array([(a * point.x + c * point.y + e, b * point.x + d * point.y + f) for point in points])

    def finish(closed: bool) -> None:
        nonlocal segments
        if start is not None and segments:
            if closed and not np.allclose(segments[-1][-1], start, atol=1e-9):
                segments.append(start[None, :])
            paths.append(Path(start, tuple(segments), closed))
        segments = []

    for piece in outline:
        if isinstance(piece, svgelements.Move):
            finish(False)
            start = at(piece.end)[0]
        elif isinstance(piece, svgelements.Close):
            finish(True)
        elif isinstance(piece, svgelements.Line):
            segments.append(at(piece.end))
        elif isinstance(piece, svgelements.QuadraticBezier):
            p0, p1, p2 = at(piece.start, piece.control, piece.end)
            segments.append(np.array([p0 + (p1 - p0) * 2 / 3, p2 + (p1 - p2) * 2 / 3, p2]))
        elif isinstance(piece, svgelements.CubicBezier):
            segments.append(at(piece.control1, piece.control2, piece.end))
        elif isinstance(piece, svgelements.Arc):
            for curve in piece.as_cubic_curves():
                segments.append(at(curve.control1, curve.control2, curve.end))
    finish(False)
    return tuple(paths)
