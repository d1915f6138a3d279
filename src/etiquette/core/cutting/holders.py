"""A holder for blanks: a sheet that lies on the bed, with an opening for every blank. Drawn so that it can be printed
as a template or cut: the openings and its edge through, the number of each opening with a pen."""

from dataclasses import dataclass

import numpy as np
from shapely import box

from etiquette.core.cutting.drawings import DrawingForm, drawing
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.slugs import slug_outlines, slug_width_mm
from etiquette.core.planning.bed_plans import Place

NUMBER_SHARE = 0.25
"""Height of a number, as a share of the shorter side of its opening."""
TALLEST_MM, SMALLEST_MM = 12.0, 2.0


@dataclass(frozen=True)
class Holder:
    """How large it is, where its openings are, and how much wider than its blank each opening is on every side."""

    width_mm: float
    length_mm: float
    places: tuple[Place, ...]
    play_mm: float = 0.0


def holder_drawing(holder: Holder, form: DrawingForm) -> bytes:
    """The drawing at its true size, its lower left corner the corner of the bed."""
    return drawing(_lines(holder), (holder.width_mm, holder.length_mm), form)


def _lines(holder: Holder) -> list[FinishLine]:
    """Numbers first, then the openings, the edge last: what is cut out stays where it is until then."""
    lines = [
        FinishLine("pen", path) for number, place in enumerate(holder.places, 1) for path in _number(str(number), place)
    ]
    for place in holder.places:
        opening = offset(place.outline, holder.play_mm, join="mitre" if place.shape == "rectangle" else "round")
        lines.append(FinishLine("through", Path.from_points(np.asarray(opening.exterior.coords)[:-1])))
    edge = box(0, 0, holder.width_mm, holder.length_mm)
    return [*lines, FinishLine("through", Path.from_points(np.asarray(edge.exterior.coords)[:-1]))]


def _number(text: str, place: Place) -> list[Path]:
    """In the middle of its opening."""
    height = float(np.clip(NUMBER_SHARE * min(place.width_mm, place.height_mm), SMALLEST_MM, TALLEST_MM))
    x = place.x_mm + (place.width_mm - slug_width_mm(text, height)) / 2
    y = place.y_mm + (place.height_mm - height) / 2
    return slug_outlines(text, x, y, height)
