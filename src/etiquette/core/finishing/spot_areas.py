"""Areas of white, clear and special inks: under or over what is printed, choked so that they never show past it, or
spread."""

from collections.abc import Sequence
from typing import Literal

from shapely import Polygon

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.polygons import inside_of, offset, polygons_of, united

Extent = Literal["none", "art", "line", "area"]
"""Nowhere, where the art prints, all inside the outermost line, or in a rectangle."""
FINE_MM = 0.01
LEAST_MM2 = 0.01
"""Slivers that a choke leaves are smaller than a drop of ink."""


def spot_area(
    extent: Extent,
    art: Sequence[Polygon],
    lines: Sequence[FinishLine],
    choke_mm: float,
    more: Sequence[Polygon] = (),
    area: Polygon | None = None,
) -> list[Polygon]:
    """The area in design millimetres: `extent`, or the rectangle `area`, made smaller by `choke_mm` (larger, when
    negative), and `more`, which the art itself names, as it is."""
    if extent == "line":
        rings = [inside_of(line.path, FINE_MM).buffer(0) for line in lines if line.path.closed]
        whole = united([Polygon(part.exterior) for ring in rings for part in polygons_of(ring)])
    else:
        whole = united(art) if extent == "art" else area or Polygon()
    moved = offset(whole, -choke_mm, FINE_MM) if not whole.is_empty else whole
    return [part for part in polygons_of(united([moved, *more])) if part.area >= LEAST_MM2]


def blocker_area(white: Sequence[Polygon], choke_mm: float) -> list[Polygon]:
    """What lies between two layers of `white` and lets nothing through: so much smaller that neither shows a rim of
    it."""
    moved = offset(united(white), -choke_mm, FINE_MM) if white else Polygon()
    return [part for part in polygons_of(moved) if part.area >= LEAST_MM2]
