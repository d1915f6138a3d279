"""A design that is taken apart into tiles."""

from fastapi import APIRouter
from fastapi.responses import Response

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.lines import assembling, tasks, tiles_views, tiling
from etiquette.stations.lines.tiles_schemas import OfRevision, RunMade, TilesEdit, TilesShown
from etiquette.stations.schemas import OfDesign, TaskMade

router = APIRouter(prefix="/api/tiles", tags=["lines"], dependencies=[needs(Right.PREPARE)])


@router.get("/{design_id}")
def show_tiles(shop: ShopHere, design_id: int) -> TilesShown:
    return within(shop, lambda session: tiles_views.tiles_shown(session, design_id))


@router.post("/{design_id}")
def begin_tiles(shop: ShopHere, design_id: int, asked: OfRevision) -> TilesShown:
    within(shop, lambda session: tiling.begin(session, design_id, asked.revision))
    return show_tiles(shop, design_id)


@router.post("/{design_id}/edits")
def change_tiles(shop: ShopHere, design_id: int, asked: TilesEdit) -> TilesShown:
    within(shop, lambda session: tiling.change(session, design_id, asked.revision, asked.words, asked.changes))
    return show_tiles(shop, design_id)


@router.post("/{design_id}/whole")
def be_whole(shop: ShopHere, design_id: int, asked: OfRevision) -> TilesShown:
    within(shop, lambda session: tiling.be_whole(session, design_id, asked.revision))
    return show_tiles(shop, design_id)


@router.put("/{design_id}/seams")
def find_seams(design_id: int, submit: TaskSubmitter) -> TaskMade:
    """Seams where least of the art is cut through."""
    return TaskMade(task_id=submit(tasks.find_seams, OfDesign(design_id=design_id)))


@router.put("/{design_id}/made")
def make_tiles(design_id: int, submit: TaskSubmitter) -> TaskMade:
    """Every tile becomes a design of the job."""
    return TaskMade(task_id=submit(tasks.make_tiles, OfDesign(design_id=design_id)))


@router.post("/{design_id}/run")
def make_run(shop: ShopHere, design_id: int) -> RunMade:
    return RunMade(run_id=within(shop, lambda session: tiling.make_run(session, design_id)))


@router.get("/{design_id}/tint.png", response_class=Response)
def show_tint(shop: ShopHere, design_id: int) -> Response:
    """Where the art is busy."""
    return Response(within(shop, lambda session: tiles_views.tint_of(shop, session, design_id)), media_type="image/png")


@router.get("/{design_id}/assembly.pdf", response_class=Response)
def show_assembly(shop: ShopHere, design_id: int) -> Response:
    made = assembling.assembly_pdf(shop, design_id)
    return Response(
        made, media_type="application/pdf", headers={"Content-Disposition": "inline; filename=assembly.pdf"}
    )


@router.get("/{design_id}/assembly.png", response_class=Response)
def show_assembly_picture(shop: ShopHere, design_id: int) -> Response:
    return Response(assembling.assembly_png(shop, design_id), media_type="image/png")


@router.post("/{design_id}/assembly")
def pin_assembly(shop: ShopHere, design_id: int) -> None:
    """Kept with the job, in the place of the one before."""
    assembling.pin(shop, design_id)
