"""Where a design carries ink, without its finish lines: on its flaps, on its creases."""

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw
from shapely import LineString, Polygon

from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.folding.panels import FlatWork, flat_work
from etiquette.stations.designs import DesignState, lines_of
from etiquette.stations.shop import Shop

INK_LEVELS = 20
"""A pixel that differs more than this from bare white, of 255, carries ink."""
INKED_SHARE = 0.02
"""Less ink than this share of a flap is a stray pixel."""
CREASE_MM = 0.5
"""Ink that comes nearer to a crease bends with it."""


def ink_of(shop: Shop, state: DesignState) -> NDArray[np.bool_]:
    """Where the design is printed, without its finish lines, as pixels, top row first."""
    held = (state.lines.print_picture_sha if state.lines else None) or state.art.thumb_sha
    pixels = read_picture(shop.blobs.read(held), state.art.file_name).pixels.astype(int)
    return np.asarray((pixels[..., 3] > INK_LEVELS) & ((255 - pixels[..., :3]).max(axis=2) > INK_LEVELS))


def ink_share(ink: NDArray[np.bool_], area: Polygon, state: DesignState) -> float:
    """How much of an area of a design carries ink."""
    high, wide = ink.shape
    scale, height = wide / (state.document.width_mm or 1.0), state.height_mm or 0.0
    mask = Image.new("1", (wide, high))
    corners = [(x * scale, (height - y) * scale) for x, y in area.exterior.coords]
    ImageDraw.Draw(mask).polygon(corners, fill=1)
    inside = np.asarray(mask)
    return float(ink[inside].mean()) if inside.any() else 0.0


def inked_creases(shop: Shop, state: DesignState) -> list[tuple[float, float]]:
    """The middles of the creases of a design that ink lies on; none where it cannot be folded."""
    file = lines_of(shop, state)
    if file is None:
        return []
    try:
        flat = flat_work(file.lines)
    except JobError:
        return []  # what encloses nothing has no creases: Lines says so where it is folded
    return inked(flat, ink_of(shop, state), state) if flat.hinges else []


def inked(flat: FlatWork, ink: NDArray[np.bool_], state: DesignState) -> list[tuple[float, float]]:
    """The middles of the creases that `ink` lies on."""
    creases = [(LineString([one.start, one.end]).buffer(CREASE_MM, cap_style="flat"), one) for one in flat.hinges]
    return [one.middle for line, one in creases if ink_share(ink, line, state) > INKED_SHARE]
