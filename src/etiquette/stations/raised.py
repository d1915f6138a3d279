"""What is raised on a design, held against the rules of braille and raised characters."""

from shapely import box, union_all

from etiquette.core.tactile.raised import Told, raised_told
from etiquette.stations.designs import DesignState, dots_of, plate_areas_of
from etiquette.stations.shop import Shop


def raised_told_of(shop: Shop, state: DesignState) -> list[Told]:
    """What 703.2 and 703.3.2 say of a design, whatever sizes its braille has."""
    raised = plate_areas_of(shop, state, "clear") if state.document.clear_raised else []
    dots = dots_of(state)
    return raised_told(raised, box(*union_all(dots).bounds) if dots else None)
