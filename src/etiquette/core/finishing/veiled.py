"""What is to be seen of art that lets something through: pictures with a transparent ground, soft masks, faded shadows.

No path tells it, so the page is drawn there and its opacity traced; everything else on the page stays as exact as its
paths."""

import math
from collections.abc import Sequence

import numpy as np
import pypdfium2
import shapely
from shapely import Polygon, affinity

from etiquette.core.artwork.pdf_state import FAINTEST
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.finishing.coverage import Field
from etiquette.core.finishing.lines import areas_from_share
from etiquette.core.geometry.polygons import polygons_of, united
from etiquette.core.units import MM_PER_INCH

FINEST_DPI = 600.0
MOST_PIXELS = 3000
"""Of the longer side of what is drawn at once: a quarter of a second."""
MOST_PARTS = 16
"""Places that lie apart are drawn one by one, so that each is drawn finely; more of them all together."""
RIM_MM = 0.5
"""Drawn round every place, so that its edge is an edge in the picture too."""
TOLERANCE_MM = 0.02
TINT = 0.75
"""Where no more than this is seen anywhere, something whole is laid on as a tint; above it fades."""


def veiled_areas(pdf: bytes, page: VectorPage, places: Sequence[Polygon]) -> list[Polygon]:
    """What is seen in `places` (mm) of the first page of `pdf`, which is `page`, on a ground that is left out of it.

    The edge lies where half is seen; of a tint, half of what is seen most: a picture laid on at a third of its strength
    is one all the same."""
    document = pypdfium2.PdfDocument(pdf)
    sheet, whole = document[0], shapely.box(0, 0, page.width_mm, page.height_mm)
    found: list[Polygon] = []
    for part in _apart(places):
        left, low, right, high = part.buffer(RIM_MM).intersection(whole).bounds
        px_per_mm = min(FINEST_DPI / MM_PER_INCH, MOST_PIXELS / max(right - left, high - low))
        opacity, corner, mm_per_px = _drawn(sheet, page, (left, low, right, high), px_per_mm)
        most = int(opacity.max(initial=0))
        if most < 255 * FAINTEST:
            continue
        if most < 255 * TINT:
            opacity = (opacity.astype(np.float32) * (255 / most)).astype(np.uint8)
        traced = areas_from_share(opacity, mm_per_px, TOLERANCE_MM)
        found += [affinity.translate(area, *corner) for area in traced]
    return found


def _apart(places: Sequence[Polygon]) -> list[Polygon]:
    """Boxes that do not overlap, with all `places` in them."""
    boxes = [shapely.box(*place.bounds) for place in places]
    while len(merged := polygons_of(united(boxes))) < len(boxes):
        boxes = [shapely.box(*one.bounds) for one in merged]
    return boxes if len(boxes) <= MOST_PARTS else [shapely.box(*shapely.union_all(boxes).bounds)]


def _drawn(
    sheet: pypdfium2.PdfPage, page: VectorPage, box: tuple[float, float, float, float], px_per_mm: float
) -> tuple[Field, tuple[float, float], float]:
    """The opacity (h, w) of what lies in `box` (left, low, right, high in mm), where its lower left corner lies, and
    the size of a pixel in mm: cropping goes by whole pixels."""
    left, low, right, high = box
    points = sheet.get_width() / page.width_mm  # PDFium leaves the user unit of the page out
    crop = [length * points for length in (left, low, page.width_mm - right, page.height_mm - high)]
    scale = px_per_mm / points
    drawn = sheet.render(scale=scale, crop=tuple(crop), fill_color=(255, 255, 255, 0), rev_byteorder=True)
    whole = math.ceil(sheet.get_width() * scale), math.ceil(sheet.get_height() * scale)
    x = math.ceil(crop[0] * scale) / whole[0] * page.width_mm
    y = math.ceil(crop[1] * scale) / whole[1] * page.height_mm
    return np.ascontiguousarray(drawn.to_numpy()[..., 3]), (x, y), page.width_mm / whole[0]
