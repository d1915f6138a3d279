"""Dots as domes: a picture of heights for printers that build up varnish or ink in passes."""

from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.core.tactile.signs import Dots

MOST_PIXELS = 100_000_000
LEVELS = 65_535


def height_map(dots: Dots, dpi: float) -> NDArray[np.uint16]:
    """(rows, columns) of the box of the braille, LEVELS as high as a dome is: each dot a cap of a sphere on its base.
    Raises JobError when it would be too large."""
    px = dpi / 25.4
    wide, high = round(dots.width_mm * px), round(dots.height_mm * px)
    if wide * high > MOST_PIXELS:
        raise JobError("The picture of heights is too large.", f"{wide} × {high} pixels", "Use fewer dots an inch.")
    made = np.zeros((high, wide), np.uint16)
    base, top = dots.sizes.made_dot / 2, dots.sizes.made_height
    radius = (base**2 + top**2) / (2 * top)  # of the sphere whose cap is as wide and as high as the dot
    reach = int(np.ceil(base * px)) + 1
    for x, y in dots.places:
        column, row = x * px, (dots.height_mm - y) * px
        left, low = max(0, int(column) - reach), max(0, int(row) - reach)
        right, up = min(wide, int(column) + reach + 1), min(high, int(row) + reach + 1)
        across = (np.arange(left, right) + 0.5 - column) / px
        along = (np.arange(low, up) + 0.5 - row) / px
        away = across[None, :] ** 2 + along[:, None] ** 2
        dome = np.where(away < base**2, np.sqrt(np.maximum(radius**2 - away, 0)) - (radius - top), 0.0)
        level = np.round(np.clip(dome / top, 0, 1) * LEVELS).astype(np.uint16)
        made[low:up, left:right] = np.maximum(made[low:up, left:right], level)
    return made


def height_png(dots: Dots, dpi: float) -> bytes:
    """The picture of heights as a 16-bit PNG."""
    out = BytesIO()
    Image.fromarray(height_map(dots, dpi)).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()
