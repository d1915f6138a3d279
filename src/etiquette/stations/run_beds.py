"""Where blanks lie on the bed of a run, and which designs may lie on each."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from etiquette.core.marking.frame_plans import ANY_CODE, FramePlan, OnBed
from etiquette.core.marking.frames import blank_rim_mm, plan_blank
from etiquette.core.marking.slug_words import slug_of
from etiquette.core.planning.bed_plans import Bed, BedWish, Rim, bed_of
from etiquette.core.production.frames import Box
from etiquette.files.documents.runs import BedPlace, RunDocument
from etiquette.stations.designs import DesignState
from etiquette.stations.kits import Kit, bed_corner_mm, room_mm


def rim_of(document: RunDocument, kit: Kit) -> Rim | None:
    """What its own marks take of a blank of the run; None: marks stand round the bed."""
    if not document.apart:
        return None
    last = sum(item.count for item in document.items)
    first_words = "" if document.slug == "" else f"{ANY_CODE.frame}-{last}"
    return Rim(*blank_rim_mm(kit.recipe, first_words, document.arrow_side))


def bed_wish(document: RunDocument, kit: Kit, designs: Mapping[int, DesignState]) -> BedWish:
    """What the run asks of a bed plan."""
    bed = document.bed
    of_stock = any(one.stock_id for one in bed.places)
    places = tuple(one.to_place(_takes(one, document, designs, of_stock)) for one in bed.places)
    return BedWish(**bed.model_dump(exclude={"places", "marks"}), places=places, rim=rim_of(document, kit))


def _takes(
    place: BedPlace, document: RunDocument, designs: Mapping[int, DesignState], of_stock: bool
) -> frozenset[str] | None:
    """Which designs may lie on a blank: the one that it is for; where blanks are of several stocks, those whose job
    says this one, or none."""
    if place.design_id is not None:
        return frozenset([str(place.design_id)])
    if not of_stock:
        return None
    own = place.stock_id or document.stock_id
    return frozenset(str(key) for key, one in designs.items() if one.design.job.stock_id in (None, own))


def bed_for(document: RunDocument, kit: Kit, designs: Mapping[int, DesignState]) -> Bed:
    """The places of one frame, from the corner between its marks."""
    return bed_of(bed_wish(document, kit, designs), *room_mm(document, kit))


def bed_end(bed: Bed, bounds: Sequence[Box]) -> float:
    """Where the furthest place of a bed ends that holds one of the pieces in `bounds`."""
    middles = [((left + right) / 2, (low + high) / 2) for left, low, right, high in bounds]
    held = [
        place.end[1]
        for place in bed.places
        if any(place.x_mm < x < place.end[0] and place.y_mm < y < place.end[1] for x, y in middles)
    ]
    return max(held, default=bed.length_mm)


def blank_plans(
    document: RunDocument,
    kit: Kit,
    designs: Mapping[int, DesignState],
    boxes: Sequence[Box],
    codes: Mapping[int, str],
    fields: Mapping[str, str],
) -> list[FramePlan]:
    """A frame for every blank that holds one of the pieces in `boxes`, which lie on bed after bed in their order;
    `codes` by the number of the frame (from 1). Raises JobError when marks have no room, or the cutter cannot read that
    far."""
    places = bed_for(document, kit, designs).of_boxes(boxes)
    left, near = bed_corner_mm(document, kit)
    plans = []
    for number, (bed, place) in enumerate(places, 1):
        here = [other for of, other in places if of == bed]
        length = near + max(other.end[1] for other in here) + kit.recipe.tail_margin_mm
        slug = slug_of(codes[number], number, fields, document.slug)
        size = (place.width_mm, place.height_mm)
        corner = (place.x_mm, place.y_mm)
        plan = plan_blank(corner, size, kit.recipe, kit.reach, codes[number], slug, document.arrow_side)
        lies = OnBed(bed, left + place.x_mm, near + place.y_mm, document.sheet_mm or length, len(here))
        plans.append(replace(plan, lies=lies))
    return plans
