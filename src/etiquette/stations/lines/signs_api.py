"""Braille on designs."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import designs
from etiquette.stations.lines import signs
from etiquette.stations.lines.schemas import DesignShown
from etiquette.stations.lines.signs_schemas import BrailleAsked, BrailleChoices, PlacementShown
from etiquette.stations.lines.views import design_shown

router = APIRouter(prefix="/api/braille", tags=["lines"], dependencies=[needs(Right.PREPARE)])


@router.get("")
def show_choices() -> BrailleChoices:
    """Tables and sets of sizes."""
    return signs.choices()


@router.put("/{design_id}")
def put_braille(shop: ShopHere, design_id: int, asked: BrailleAsked) -> DesignShown:
    signs.put(shop, design_id, asked)
    return within(shop, lambda session: design_shown(shop, designs.state_of(session, design_id)))


@router.get("/{design_id}/placement")
def show_placement(shop: ShopHere, design_id: int) -> PlacementShown:
    """What the rules of braille and raised characters say of a sign."""
    return within(shop, lambda session: signs.placement(shop, session, design_id))


@router.get("/{design_id}/heights.png", response_class=Response)
def show_heights(shop: ShopHere, design_id: int, dpi: Annotated[float, Query(ge=50, le=2880)] = 600.0) -> Response:
    """A 16-bit picture of heights, for printers that build them in passes."""
    shown = {"Content-Disposition": 'attachment; filename="heights.png"'}
    return Response(signs.heights(shop, design_id, dpi), media_type="image/png", headers=shown)
