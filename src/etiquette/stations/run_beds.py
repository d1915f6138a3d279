"""Where blanks lie on the bed of a run, and which designs may lie on each."""

from collections.abc import Mapping, Sequence

from etiquette.core.planning.bed_plans import Bed, BedWish, bed_of
from etiquette.core.production.frames import Box
from etiquette.files.documents.runs import BedPlace, RunDocument
from etiquette.stations.designs import DesignState
from etiquette.stations.kits import Kit, room_mm


def bed_wish(document: RunDocument, designs: Mapping[int, DesignState]) -> BedWish:
    """What the run asks of a bed plan."""
    bed = document.bed
    of_stock = any(one.stock_id for one in bed.places)
    places = tuple(one.to_place(_takes(one, document, designs, of_stock)) for one in bed.places)
    return BedWish(**bed.model_dump(exclude={"places"}), places=places)


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
    return bed_of(bed_wish(document, designs), *room_mm(document, kit))


def bed_end(bed: Bed, bounds: Sequence[Box]) -> float:
    """Where the furthest place of a bed ends that holds one of the pieces in `bounds`."""
    middles = [((left + right) / 2, (low + high) / 2) for left, low, right, high in bounds]
    held = [
        place.end[1]
        for place in bed.places
        if any(place.x_mm < x < place.end[0] and place.y_mm < y < place.end[1] for x, y in middles)
    ]
    return max(held, default=bed.length_mm)
