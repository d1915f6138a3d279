"""Floor, lamps, lengths."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request

from etiquette.core.units import Points, parse_length
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations.clock import clock_of
from etiquette.stations.floor.floor_views import bar_shown, floor_shown, together_items
from etiquette.stations.floor.job_schemas import ItemShown
from etiquette.stations.floor.lamps import Lamps, LampWatcher
from etiquette.stations.floor.schemas import BarShown, FloorShown, LengthRead

router = APIRouter(prefix="/api", tags=["floor"], dependencies=[needs(Right.PREPARE)])


def lamps_seen(request: Request) -> Lamps:
    watcher: LampWatcher = request.app.state.lamps
    return watcher.seen()


LampsSeen = Annotated[Lamps, Depends(lamps_seen)]


@router.get("/floor")
def show_floor(shop: ShopHere, lamps: LampsSeen) -> FloorShown:
    return within(shop, lambda session: floor_shown(session, clock_of(session), lamps))


@router.get("/floor/together")
def list_together(shop: ShopHere) -> list[ItemShown]:
    """Pieces of the jobs that the Floor offers as one run."""
    return within(shop, lambda session: together_items(session, clock_of(session)))


@router.get("/bar")
def show_bar(shop: ShopHere, lamps: LampsSeen) -> BarShown:
    """A few figures, and a pulse that is another one when anything has changed: asked again and again by every page."""
    return within(shop, lambda session: bar_shown(session, clock_of(session), lamps))


@router.get("/length")
def read_length(
    text: Annotated[str, Query(max_length=100)],
    unit: str = Query("mm", pattern="^(mm|in)$"),
    points: Points = "type",
) -> LengthRead:
    """One reader of lengths for every field: `3 1/2"`, `12,5`, `3*25.4`; `10pt` of type, or of card."""
    return LengthRead(mm=parse_length(text, unit, points))
