"""Flat forms of folded work from the size of the goods: tube, sleeve, tag, tuck-end box.

Distances between creases are those of the goods and once the thickness of the card, half of it at each crease, so that
the goods have room inside and the middle planes of the panels meet when they are folded."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from shapely import Point, Polygon, box, union_all
from shapely.affinity import translate

from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path

FormKind = Literal["tube", "sleeve", "tag", "tuck-end box"]
Segment = tuple[tuple[float, float], tuple[float, float]]
GLUE_SLANT_SHARE = 0.4
"""How much a glue flap is cut aslant at its ends, as a share of its depth: it slips in without catching."""
TUCK_SHARE = 0.6
"""Depth of a tuck flap, as a share of the box's depth."""
DUST_SHARE = 0.45
"""Length of a dust flap, as a share of the box's width: two of them do not meet."""
EASE_MM = 0.5
"""By so much a lid, a tuck flap and a dust flap are narrower at each side than where they go in."""
LEAST_MM = 0.1
"""No knife cuts a smaller part, and far smaller ones are no numbers to reckon with."""
HOLE_FROM_EDGE = 1.5
"""The middle of a tag's hole lies so many of its diameters from the edge."""


@dataclass(frozen=True)
class Goods:
    """What goes in, mm: how wide it is as it stands, how deep and how high; a tag has only width and height."""

    width_mm: float
    depth_mm: float
    height_mm: float


@dataclass(frozen=True)
class Form:
    """A flat form, origin at its lower left, printed side up. `outline` and `holes` are cut through; `seams`: segments
    that meet when it is folded, each with the one it meets."""

    outline: Polygon
    creases: tuple[Segment, ...]
    holes: tuple[Polygon, ...] = ()
    seams: tuple[tuple[Segment, Segment], ...] = ()

    def lines(self) -> list[FinishLine]:
        """Creases first, as they are made, then what is cut out, the outline last."""
        cut = [*self.holes, self.outline]
        return [
            *(FinishLine("crease", Path.from_points(np.array(one), closed=False)) for one in self.creases),
            *(FinishLine("through", Path.from_points(np.asarray(one.exterior.coords)[:-1])) for one in cut),
        ]


def form_of(
    kind: FormKind, goods: Goods, thickness_mm: float = 0.0, glue_mm: float = 12.0, hole_mm: float = 0.0
) -> Form:
    """Raises JobError where a size is missing or a part would have none."""
    sizes = (goods.width_mm, goods.height_mm) if kind == "tag" else (goods.width_mm, goods.depth_mm, goods.height_mm)
    if min(sizes) < LEAST_MM:
        raise JobError(f"A {kind} needs every size of its goods.", kind, f"Type at least {LEAST_MM} mm.")
    if kind == "tag":
        return _tag(goods, hole_mm)
    if glue_mm < LEAST_MM:
        raise JobError(f"A {kind} needs a glue flap.", kind, f"Make it at least {LEAST_MM} mm wide.")
    if glue_mm > goods.depth_mm + thickness_mm:
        raise JobError(
            f"The glue flap of {glue_mm:.1f} mm does not lie on a side that is {goods.depth_mm:.1f} mm deep.",
            kind,
            "Make it narrower.",
        )
    width, depth, height = (size + thickness_mm for size in (goods.width_mm, goods.depth_mm, goods.height_mm))
    if kind == "sleeve":
        return _sleeve(width, depth, goods.height_mm, glue_mm)
    if kind == "tube":
        return _round_about(width, depth, goods.height_mm, glue_mm)
    return _tuck_end(width, depth, height, glue_mm)


def _round_about(width: float, depth: float, height: float, glue: float) -> Form:
    """Glue flap, front, side, back, side: folded round the goods, open at both ends."""
    edges = np.cumsum([glue, width, depth, width, depth])
    flap = _flap(glue, 0.0, height)
    outline = union_all([flap, box(glue, 0, edges[-1], height)])
    creases = tuple(((float(x), 0.0), (float(x), height)) for x in edges[:-1])
    seam = (((glue, 0.0), (glue, height)), ((float(edges[-1]), 0.0), (float(edges[-1]), height)))
    return Form(outline, creases, seams=(seam,))


def _flap(glue: float, low: float, high: float) -> Polygon:
    """A glue flap left of x = `glue`, its ends cut aslant."""
    slant = min(GLUE_SLANT_SHARE * glue, (high - low) / 3)
    return Polygon([(glue, low), (glue, high), (0, high - slant), (0, low + slant)])


def _sleeve(width: float, depth: float, height: float, glue: float) -> Form:
    """Half of the back with the glue, side, front, side, half of the back: the halves lap at the back."""
    half = width / 2
    edges = np.cumsum([half + glue, depth, width, depth, half])
    outline = box(0, 0, float(edges[-1]), height)
    creases = tuple(((float(x), 0.0), (float(x), height)) for x in edges[:-1])
    # the free edge of one half comes to lie where the lap of the other one begins
    seam = (((glue, 0.0), (glue, height)), ((float(edges[-1]), 0.0), (float(edges[-1]), height)))
    return Form(outline, creases, seams=(seam,))


def _tag(goods: Goods, hole: float) -> Form:
    """Two halves, folded back to back along the top; a hole through both."""
    width, height = goods.width_mm, goods.height_mm
    outline = box(0, 0, width, 2 * height)
    creases = (((0.0, height), (width, height)),)
    holes: tuple[Polygon, ...] = ()
    if hole > 0:
        away = HOLE_FROM_EDGE * hole
        if hole < LEAST_MM:
            raise JobError(f"No knife cuts a hole of {hole:.3g} mm.", "tag", f"Make it {LEAST_MM} mm or more, or 0.")
        if away + hole / 2 > height or hole > width / 2:
            raise JobError(f"A hole of {hole:.1f} mm has no room in the tag.", "tag", "Make it smaller.")
        holes = tuple(Point(width / 2, y).buffer(hole / 2, 32) for y in (height - away, height + away))
    seam = (((0.0, 0.0), (width, 0.0)), ((0.0, 2 * height), (width, 2 * height)))
    return Form(outline, creases, holes, (seam,))


def _tuck_end(width: float, depth: float, height: float, glue: float) -> Form:
    """As a tube, with a lid at each end of the back, its tuck flap, and dust flaps at the sides."""
    tuck, dust = TUCK_SHARE * depth, DUST_SHARE * width
    low = depth + tuck  # the panels stand on what hangs below them
    body = _round_about(width, depth, height, glue)
    front, left, back, right = (float(x) for x in np.cumsum([glue, width, depth, width]))
    parts = [translate(body.outline, 0, low)]
    creases = [_up(one, low) for one in body.creases]
    seams = [(_up(one, low), _up(other, low)) for one, other in body.seams]
    lid = (back + EASE_MM, back + width - EASE_MM)
    for y, way in ((low + height, 1), (low, -1)):
        far = y + way * depth
        parts += [box(lid[0], min(y, far), lid[1], max(y, far)), _tapered(lid, far, far + way * tuck)]
        creases += [((lid[0], y), (lid[1], y)), ((lid[0], far), (lid[1], far))]
        # the far crease of a lid comes to lie on the edge of the front
        seams.append((((lid[0], far), (lid[1], far)), ((front + width - EASE_MM, y), (front + EASE_MM, y))))
        for x in (left, right):
            ends = (x + EASE_MM, x + depth - EASE_MM)
            parts.append(_tapered(ends, y, y + way * dust))
            creases.append(((ends[0], y), (ends[1], y)))
    outline = union_all(parts)
    assert isinstance(outline, Polygon)  # its parts hang together
    return Form(outline, tuple(creases), seams=tuple(seams))


def _tapered(ends: tuple[float, float], y0: float, y1: float) -> Polygon:
    """From `y0`, where it hangs, narrower towards `y1`, so that it finds its way in."""
    slant = min(abs(y1 - y0) / 4, (ends[1] - ends[0]) / 6)
    return Polygon([(ends[0], y0), (ends[1], y0), (ends[1] - slant, y1), (ends[0] + slant, y1)])


def _up(segment: Segment, by: float) -> Segment:
    (x0, y0), (x1, y1) = segment
    return ((x0, y0 + by), (x1, y1 + by))
