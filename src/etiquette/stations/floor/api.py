"""Floor, lamps, lengths."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request

from etiquette.core.units import parse_length
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations.floor import views
from etiquette.stations.floor.schemas import CardShown, FloorShown, Lamp, LengthRead, RollLeft

router = APIRouter(prefix="/api", tags=["floor"], dependencies=[needs(Right.PREPARE)])


@router.get("/floor")
def show_floor(shop: ShopHere) -> FloorShown:
    state = within(shop, views.state_of)
    return FloorShown(
        today=datetime.now(UTC).date(),
        cards=[CardShown(**vars(card)) for card in state.cards],
        rolls=[RollLeft(name=name, remaining_mm=left, length_mm=whole) for name, left, whole in state.rolls],
        good=state.good,
        pieces=state.pieces,
        bare=state.bare,
        still_open=state.still_open,
    )


@router.get("/lamps")
def show_lamps(request: Request) -> list[Lamp]:
    watcher: views.LampWatcher = request.app.state.lamps
    return [Lamp(name=name, kind=kind, on=on) for name, kind, on in watcher.seen()]


@router.get("/length")
def read_length(
    text: Annotated[str, Query(max_length=100)], unit: str = Query("mm", pattern="^(mm|in)$")
) -> LengthRead:
    """One reader of lengths for every field: `3 1/2"`, `12,5`, `3*25.4`."""
    return LengthRead(mm=parse_length(text, unit))
