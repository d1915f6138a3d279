"""What of a frame has to stay clear, and whether it does."""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely import Polygon, STRtree, box

from etiquette.core.marking.codes import quiet_modules
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.frames import INSIDE_STOCK_MM
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.slugs import SLUG_HEIGHT_MM, slug_width_mm
from etiquette.core.marking.strips import PATCH_MM

APART_MM = 2.0
"""So far from the work, and from each other, test shapes are cut."""


def clear_zones(plan: FramePlan, recipe: MarkRecipe) -> list[Polygon]:
    """What pieces and their bleed keep out of: round each mark, each code with its quiet zone, the strip of patches,
    the arrow, the slug. A page that brings its own marks keeps them as clear as it came; without a code nothing stands
    beside it."""
    if plan.own_marks and not plan.codes:
        return []
    out = recipe.out_mm
    marks = [] if plan.own_marks else plan.marks
    zones = [box(mark.x - out, mark.y - out, mark.x + out, mark.y + out) for mark in marks]
    for code in plan.codes:
        width, height = code.size
        aside, above = (modules * code.module_mm for modules in quiet_modules(code.kind))
        zones.append(box(code.x - aside, code.y - above, code.x + width + aside, code.y + height + above))
    if plan.strip:
        zones.append(box(plan.strip.x, plan.strip.y, plan.strip.x + plan.strip.width_mm, plan.strip.y + PATCH_MM))
    x, y = plan.slug_at
    return [*zones, plan.arrow, box(x, y, x + slug_width_mm(plan.slug), y + SLUG_HEIGHT_MM)]


def free_place(plan: FramePlan, recipe: MarkRecipe, side_mm: float, number: int) -> tuple[float, float] | None:
    """The middle of a square of `side_mm` beside the work, where nothing is printed and no mark or code is looked for:
    the `number`-th from 0, from the tail on, none over another; None where there is no more room."""
    x0, y0, x1, y1 = plan.work
    stock = box(INSIDE_STOCK_MM, INSIDE_STOCK_MM, plan.width_mm - INSIDE_STOCK_MM, plan.length_mm - INSIDE_STOCK_MM)
    printed = box(x0 - APART_MM, y0 - APART_MM, x1 + APART_MM, y1 + APART_MM)
    free = stock.difference(shapely.union_all([printed, *clear_zones(plan, recipe)]))
    step = side_mm + APART_MM
    xs, ys = (np.arange(step / 2, size, step) for size in (plan.width_mm, plan.length_mm))
    places = [(float(x), float(y)) for y in ys[::-1] for x in xs]
    squares = [box(x - side_mm / 2, y - side_mm / 2, x + side_mm / 2, y + side_mm / 2) for x, y in places]
    shapely.prepare(free)
    there = [place for place, fits in zip(places, shapely.covers(free, squares), strict=True) if fits]
    return there[number] if number < len(there) else None


def proof(plan: FramePlan, recipe: MarkRecipe, printed: Sequence[Polygon]) -> list[str]:
    """What is wrong with a frame, in words: marks and codes that touch what is printed of a piece (its bleed included),
    that touch each other, or that leave the stock. Empty when all is well."""
    zones = clear_zones(plan, recipe)
    marks = [] if plan.own_marks else [f"Mark {mark.id[1:]}" for mark in plan.marks]
    codes, strip = ["The code at the head", "The code at the tail"], ["The colour strip"] if plan.strip else []
    names = [*marks, *codes, *strip, "The feed arrow", "The slug"][: len(zones)]
    stock = box(0, 0, plan.width_mm, plan.length_mm)
    faults = [f"{name} leaves the stock." for name, zone in zip(names, zones, strict=True) if not stock.covers(zone)]
    tree = STRtree(list(printed))
    for name, zone in zip(names, zones, strict=True):
        near = tree.query(zone, predicate="intersects")
        areas = shapely.area(shapely.intersection(tree.geometries[near], zone)) if len(near) else np.zeros(0)
        if (areas > 1e-6).any():
            faults.append(f"{name} has {int((areas > 1e-6).sum())} pieces or their bleed in its clear zone.")
    for number, zone in enumerate(zones):
        for other in range(number):
            if zone.intersection(zones[other]).area > 1e-6:
                faults.append(f"{names[other]} and {names[number].lower()} touch.")
    return faults
