"""Dots as domes: a picture of heights for printers that build up varnish or ink in passes."""

from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.core.tactile.signs import Dots

MOST_PIXELS = 100_000_000
LEVELS = 65_535


@dataclass(frozen=True)
class Domes:
    """Dots of one kind: their middles `places` (n, 2) in mm from the lower left corner, how wide and high they are."""

    places: NDArray[np.float64]
    dot_mm: float
    height_mm: float


def height_map(domes: Sequence[Domes], size_mm: tuple[float, float], dpi: float) -> NDArray[np.uint16]:
    """(rows, columns) of a field of `size_mm`, LEVELS as high as the highest dome: each dot a cap of a sphere on its
    base. Raises JobError when it would be too large."""
    px = dpi / 25.4
    wide, high = (round(side * px) for side in size_mm)
    if wide * high > MOST_PIXELS:
        raise JobError("The picture of heights is too large.", f"{wide} × {high} pixels", "Use fewer dots an inch.")
    made = np.zeros((high, wide), np.uint16)
    highest = max((one.height_mm for one in domes), default=1.0)
    for one in domes:
        _raise(made, one, size_mm[1], px, LEVELS * one.height_mm / highest)
    return made


def _raise(made: NDArray[np.uint16], domes: Domes, field_mm: float, px: float, level: float) -> None:
    """Put dots onto a field `field_mm` high, `level` at their tops."""
    high, wide = made.shape
    base, top = domes.dot_mm / 2, domes.height_mm
    radius = (base**2 + top**2) / (2 * top)  # of the sphere whose cap is as wide and as high as the dot
    reach = int(np.ceil(base * px)) + 1
    for x, y in domes.places:
        column, row = x * px, (field_mm - y) * px
        left, low = max(0, int(column) - reach), max(0, int(row) - reach)
        right, up = min(wide, int(column) + reach + 1), min(high, int(row) + reach + 1)
        across = (np.arange(left, right) + 0.5 - column) / px
        along = (np.arange(low, up) + 0.5 - row) / px
        away = across[None, :] ** 2 + along[:, None] ** 2
        dome = np.where(away < base**2, np.sqrt(np.maximum(radius**2 - away, 0)) - (radius - top), 0.0)
        raised = np.round(np.clip(dome / top, 0, 1) * level).astype(np.uint16)
        made[low:up, left:right] = np.maximum(made[low:up, left:right], raised)


def domes_of(dots: Dots) -> Domes:
    return Domes(dots.places, dots.sizes.made_dot, dots.sizes.made_height)


def height_png(domes: Sequence[Domes], size_mm: tuple[float, float], dpi: float) -> bytes:
    """The picture of heights as a 16-bit PNG."""
    out = BytesIO()
    Image.fromarray(height_map(domes, size_mm, dpi)).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()
