"""How large an SVG drawing is (SVG 2, 8.1 and 8.9): by its width and height, else by its view."""

import re
from typing import Any

import numpy as np

from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.geometry.pens import figure
from etiquette.core.units import MM_PER_INCH

PIXELS_PER_INCH = 96.0
MM_PER_PIXEL = MM_PER_INCH / PIXELS_PER_INCH
UNTOLD_MM = 100.0
"""The side of a drawing that says nothing of its size: it is typed anyway."""
_REAL_UNITS = {"mm": 1.0, "cm": 10.0, "in": MM_PER_INCH, "pt": MM_PER_INCH / 72, "pc": MM_PER_INCH / 6, "q": 0.25}


def size_of(root: Any) -> tuple[float, float, bool] | None:
    """Width and height in mm and whether the file says so in real units; pixels and bare numbers do not count. None
    when it says nothing: shares of a window (`width="100%"`) without a view."""
    width, known = _length(root.get("width"))
    height, known_too = _length(root.get("height"))
    box = [float(value) for value in re.findall(r"[-+]?[\d.]+(?:[eE][-+]?\d+)?", root.get("viewBox", ""))]
    if len(box) == 4 and box[2] > 0 and box[3] > 0:
        if width is None and height is None:
            width, height = box[2] * MM_PER_PIXEL, box[3] * MM_PER_PIXEL
        elif width is None and height is not None:
            width, known = height * box[2] / box[3], known_too
        elif height is None and width is not None:
            height, known_too = width * box[3] / box[2], known
    if width is None or height is None:
        return None
    return width, height, known and known_too


def painted_box(page: VectorPage) -> tuple[float, float, float, float] | None:
    """What the shapes of a drawing without a size cover, in pixels: left, top, right, bottom. None where there are
    words or pictures: how large those are is known once they are drawn."""
    rings = [path.flatten(0.1) for one in page.paths for path in one.paths if path.segments]
    if not rings or page.images or page.texts:
        return None
    reach = max((one.stroke_mm / 2 for one in page.paths if one.stroke), default=0.0)
    points = np.vstack(rings)
    (left, low), (right, high) = points.min(axis=0) - reach, points.max(axis=0) + reach
    edges = (left, page.height_mm - high, right, page.height_mm - low)
    return tuple(float(edge) / MM_PER_PIXEL for edge in edges)  # type: ignore[return-value]


def show_all(root: Any, box: tuple[float, float, float, float] | None) -> None:
    """Give a drawing that says nothing of its size the view that shows `box` (left, top, right, bottom in pixels), so
    that all who draw it draw the same; None: what it paints cannot be told without drawing it."""
    left, top, right, bottom = box or (0.0, 0.0, UNTOLD_MM / MM_PER_PIXEL, UNTOLD_MM / MM_PER_PIXEL)
    width, height = max(right - left, 1e-3), max(bottom - top, 1e-3)
    root.set("width", figure(width))
    root.set("height", figure(height))
    root.set("viewBox", " ".join(figure(value) for value in (left, top, width, height)))


def _length(text: str | None) -> tuple[float | None, bool]:
    found = re.fullmatch(r"\s*([\d.]+(?:[eE][-+]?\d+)?)\s*([a-zA-Z%]*)\s*", text or "")
    if not found or found[2] == "%":
        return None, False
    value, unit = float(found[1]), found[2].lower()
    if value <= 0:
        return None, False
    if unit in _REAL_UNITS:
        return value * _REAL_UNITS[unit], True
    return value * MM_PER_PIXEL, False
