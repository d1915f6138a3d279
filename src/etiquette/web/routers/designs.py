"""Lines: designs, their settings and their finish lines."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, UploadFile
from fastapi.responses import FileResponse

from etiquette.stations import lines
from etiquette.web.dependencies import ShopHere, TaskSubmitter, within
from etiquette.web.routers.edits import add_edit_routes
from etiquette.web.schemas import DesignListed, DesignMade, DesignShown, PreviewAsked, PreviewShown, TaskMade
from etiquette.web.shown import design_shown, lines_shown

router = APIRouter(prefix="/api/designs", tags=["lines"])
KEPT = {"Cache-Control": "private, max-age=3600"}


@router.get("")
def list_designs(shop: ShopHere) -> list[DesignListed]:
    def listed(session: lines.Session) -> list[DesignListed]:
        found = []
        for design in lines.all_designs(session):
            document = lines.DesignDocument(**design.document)
            width = document.width_mm
            found.append(
                DesignListed(
                    id=design.id,
                    name=document.name,
                    customer=design.job.customer,
                    due_count=document.due_count,
                    ready=document.ready,
                    width_mm=width,
                    height_mm=lines.height_mm(design, width) if width else None,
                )
            )
        return found

    return within(shop, listed)


@router.post("")
def take_in(
    shop: ShopHere, file: Annotated[UploadFile, File()], job_id: Annotated[int | None, Form()] = None
) -> DesignMade:
    content = file.file.read(lines.MOST_UPLOAD_BYTES + 1)
    return DesignMade(id=lines.take_in(shop, content, (file.filename or "art")[-200:], job_id))


@router.get("/{design_id}")
def show_design(shop: ShopHere, design_id: int) -> DesignShown:
    return within(shop, lambda session: design_shown(shop, lines.state_of(session, design_id)))


add_edit_routes(router, "design", lines.change, show_design, DesignShown)


@router.put("/{design_id}/lines")
def find_lines(design_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit("find lines", {"design_id": design_id}))


@router.post("/{design_id}/lines/preview")
def preview_lines(shop: ShopHere, design_id: int, asked: PreviewAsked) -> PreviewShown:
    return PreviewShown(lines=lines_shown(lines.preview_lines(shop, design_id, asked.changes)))


@router.get("/{design_id}/{what}", response_class=FileResponse)
def picture(shop: ShopHere, design_id: int, what: Literal["picture", "thumb"]) -> FileResponse:
    design = within(shop, lambda session: lines.state_of(session, design_id).design)
    return FileResponse(
        shop.blobs.path(design.picture_sha if what == "picture" else design.thumb_sha),
        media_type="image/png",
        headers=KEPT,
    )
