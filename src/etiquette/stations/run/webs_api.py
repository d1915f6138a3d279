"""Label webs."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, UploadFile
from fastapi.responses import FileResponse

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import edits
from etiquette.stations.run import dies, tasks, webs
from etiquette.stations.run.web_schemas import (
    DieOfWeb,
    FinisherAsked,
    FinisherOfWeb,
    OfWeb,
    ShapeAsked,
    WebAsked,
    WebEdit,
    WebListed,
    WebShown,
)
from etiquette.stations.run.web_views import dies_shown, finishers_shown, web_shown, webs_listed
from etiquette.stations.schemas import StepAsked, TaskMade

router = APIRouter(prefix="/api/webs", tags=["webs"], dependencies=[needs(Right.PREPARE)])


@router.get("")
def list_webs(shop: ShopHere) -> list[WebListed]:
    return within(shop, webs_listed)


@router.get("/finishers")
def list_finishers(shop: ShopHere) -> list[FinisherOfWeb]:
    """What finishers ask of a black mark, under the shop's own names."""
    return within(shop, finishers_shown)


@router.post("/finishers", dependencies=[needs(Right.KEEP)])
def keep_finisher(shop: ShopHere, asked: FinisherAsked) -> list[FinisherOfWeb]:
    within(shop, lambda session: webs.keep_finisher(session, asked.name, asked.rules))
    return list_finishers(shop)


@router.get("/dies")
def list_dies(shop: ShopHere) -> list[DieOfWeb]:
    return within(shop, dies_shown)


@router.post("/dies", dependencies=[needs(Right.KEEP)])
def take_die(shop: ShopHere, file: Annotated[UploadFile, File()]) -> list[DieOfWeb]:
    """A die from its drawing (PDF, SVG, DXF): its labels, how they stand, the gaps between them."""
    content = file.file.read(dies.MOST_BYTES + 1)
    dies.take(shop, content, (file.filename or "die")[-200:].encode(errors="replace").decode())
    return list_dies(shop)


@router.post("")
def begin_web(shop: ShopHere, asked: WebAsked) -> WebShown:
    """A web of these designs beside each other."""
    return within(shop, lambda session: web_shown(session, webs.begin(shop, session, asked.designs)))


@router.get("/{web_id}")
def show_web(shop: ShopHere, web_id: int) -> WebShown:
    return within(shop, lambda session: web_shown(session, web_id))


@router.post("/{web_id}/edits")
def change_web(shop: ShopHere, web_id: int, asked: WebEdit) -> WebShown:
    within(shop, lambda session: webs.change(session, web_id, asked.revision, asked.words, asked.named()))
    return show_web(shop, web_id)


@router.put("/{web_id}/shape")
def take_shape(shop: ShopHere, web_id: int, asked: ShapeAsked) -> WebShown:
    """Labels are cut as the line of one of its designs goes."""
    within(shop, lambda session: webs.take_shape(shop, session, web_id, asked.revision, asked.design_id))
    return show_web(shop, web_id)


@router.post("/{web_id}/{way}")
def step_web(shop: ShopHere, web_id: int, way: Literal["undo", "redo"], asked: StepAsked) -> WebShown:
    within(shop, lambda session: edits.step(session, "web", web_id, asked.revision, way))
    return show_web(shop, web_id)


@router.put("/{web_id}/files")
def make_files(web_id: int, submit: TaskSubmitter) -> TaskMade:
    """The print file and the cut files, read back and proved to match."""
    return TaskMade(task_id=submit(tasks.make_web_files, OfWeb(web_id=web_id)))


@router.get("/{web_id}/files/{name}", response_class=FileResponse)
def give_file(shop: ShopHere, web_id: int, name: str) -> FileResponse:
    """As it was made last."""
    sha, called = within(
        shop,
        lambda session: (webs.part_there(session, web_id, name).content_sha, webs.web_there(session, web_id).name),
    )
    media = "application/pdf" if name.endswith(".pdf") else "application/dxf"
    return FileResponse(shop.blobs.path(sha), media_type=media, filename=f"{called or web_id} {name}")
