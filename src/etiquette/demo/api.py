"""The simulated room: hands, and what only a simulation knows. Nothing of it is there without the demo's machines."""

from fastapi import APIRouter, Response

from etiquette.core.calibrating.patterns import pattern_of
from etiquette.demo import hands
from etiquette.demo.schemas import FilmWork, LayAsked, LaySeveralAsked, RoomTold
from etiquette.demo.tasks import put_film_on
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.bench.schemas import BenchShown
from etiquette.stations.bench.views import bench_shown
from etiquette.stations.schemas import TaskMade
from etiquette.stations.shelf.card_cutting import named_card
from etiquette.stations.shelf.schemas import CardEntered, ScanKept
from etiquette.stations.shop import Shop

router = APIRouter(prefix="/api/room", tags=["simulated room"], dependencies=[needs(Right.CUT)])


@router.post("/runs/{run_id}/roll")
def put_roll_on(shop: ShopHere, run_id: int) -> RoomTold:
    """The roll of the run is put on its printer."""
    hands.put_roll_on(shop, run_id)
    return RoomTold()


@router.post("/sheets/{sheet_id}/film")
def laminate(sheet_id: int, submit: TaskSubmitter, anyway: bool = False) -> TaskMade:
    """The sheet goes through the laminator."""
    return TaskMade(task_id=submit(put_film_on, FilmWork(sheet_id=sheet_id, anyway=anyway)))


@router.post("/sheets/{sheet_id}/lay")
def lay(shop: ShopHere, sheet_id: int, asked: LayAsked) -> BenchShown:
    """The sheet is laid on its cutter."""
    hands.lay(shop, sheet_id, asked.end)
    return _bench(shop, sheet_id)


@router.post("/sheets/lay")
def lay_several(shop: ShopHere, asked: LaySeveralAsked) -> RoomTold:
    """Sheets are laid as one roll, or beside each other on a carrier mat."""
    hands.lay_several(shop, asked.sheet_ids, asked.how, [asked.end] * len(asked.sheet_ids))
    return RoomTold()


@router.post("/sheets/{sheet_id}/point/{mark_id}")
def point(shop: ShopHere, sheet_id: int, mark_id: str) -> RoomTold:
    """Hands lead the head to a mark."""
    hands.point(shop, sheet_id, mark_id)
    return RoomTold()


@router.post("/sheets/{sheet_id}/look")
def look_at_cut(shop: ShopHere, sheet_id: int) -> BenchShown:
    """What only a simulation knows of a cut sheet is kept with it."""
    hands.look_at_cut(shop, sheet_id)
    return _bench(shop, sheet_id)


def _bench(shop: Shop, sheet_id: int) -> BenchShown:
    return within(shop, lambda session: bench_shown(shop, session, sheet_id))


@router.post("/cards/bare")
def lay_bare(shop: ShopHere, asked: CardEntered) -> RoomTold:
    """A bare piece of stock is laid on a cutter, as large as a test card needs it."""
    pattern = pattern_of(named_card(asked.card), asked.readings)
    hands.lay_bare(shop, asked.cutter_id, pattern.width_mm, pattern.length_mm)
    return RoomTold()


@router.get("/cards/picture", response_class=Response)
def card_picture(shop: ShopHere) -> Response:
    """The card as it lies on the simulated cutter."""
    return Response(hands.card_picture(shop), media_type="image/png", headers={"Cache-Control": "no-store"})


@router.post("/prints/{name}/scan")
def scan(shop: ShopHere, name: str) -> ScanKept:
    """A printed card is laid under the scanner."""
    return hands.scan(shop, name)
