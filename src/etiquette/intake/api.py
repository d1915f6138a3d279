"""Drop folders, and orders from a shop's own system."""

import hashlib
import tempfile
from datetime import date
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, File, Form, Query, Response, UploadFile
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from etiquette.core.production.file_names import Named, read_name
from etiquette.core.units import parse_length
from etiquette.intake import folders, job_saving, job_taking, orders, shown, tasks
from etiquette.intake.schemas import FolderShown, Gather, OrderShown, SavedJob
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.lines.taking_in import MOST_UPLOAD_BYTES
from etiquette.stations.schemas import Asked, RowId, TaskMade

router = APIRouter(prefix="/api", tags=["orders"], dependencies=[needs(Right.PREPARE, see=Right.BOOKS)])
owning = [needs(Right.OWN, see=Right.BOOKS)]

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Pattern = Annotated[str, StringConstraints(max_length=200)]


class FolderAsked(Asked):
    name: Name
    path: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]


class FolderChanges(Asked):
    """What is not named stays."""

    model_config = ConfigDict(extra="forbid")
    version: int
    name: Name | None = None
    path: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)] | None = None
    recipe_id: RowId | None = None
    pattern: Pattern | None = None
    gather: Gather | None = None
    gather_metres: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] | None = None
    gather_hour: Annotated[int, Field(ge=0, le=23)] | None = None
    away: bool | None = None

    def named(self) -> dict[str, Any]:
        values = self.model_dump(exclude_unset=True, exclude={"version"})
        return {name: one for name, one in values.items() if one is not None or name == "recipe_id"}


class DesignNamed(BaseModel):
    design_id: int


class NameRead(BaseModel):
    name: str
    count: int | None
    width_mm: float | None
    customer: str | None


@router.get("/folders")
def list_folders(shop: ShopHere) -> list[FolderShown]:
    return within(shop, shown.folders_shown)


@router.post("/folders", dependencies=owning)
def add_folder(shop: ShopHere, asked: FolderAsked) -> list[FolderShown]:
    within(shop, lambda session: folders.add(shop, session, asked.model_dump()))
    return list_folders(shop)


@router.get("/folders/name")
def try_pattern(pattern: Pattern, name: Annotated[str, Query(max_length=255)]) -> NameRead:
    """How a pattern reads the name of a file."""
    read: Named = read_name(pattern, name.rsplit(".", 1)[0])
    return NameRead(**vars(read))


@router.patch("/folders/{folder_id}", dependencies=owning)
def change_folder(shop: ShopHere, folder_id: int, asked: FolderChanges) -> list[FolderShown]:
    within(shop, lambda session: folders.change(shop, session, folder_id, asked.version, asked.named()))
    return list_folders(shop)


@router.post("/orders")
def order(
    shop: ShopHere,
    submit: TaskSubmitter,
    file: Annotated[UploadFile, File()],
    key: Annotated[str, Form(min_length=8, max_length=120)],
    name: Annotated[str, Form(max_length=120)] = "",
    customer: Annotated[str, Form(max_length=120)] = "",
    count: Annotated[int | None, Form(ge=1, le=100_000)] = None,
    width: Annotated[str, Form(max_length=40)] = "",
    due: Annotated[date | None, Form()] = None,
    recipe: Annotated[str, Form(max_length=120)] = "",
) -> OrderShown:
    """Art with how many and how wide (“60”, “2 1/2 in”), by a recipe. The same key is the same order, however often it
    is sent."""
    content = file.file.read(MOST_UPLOAD_BYTES + 1)
    plain = (file.filename or "order")[-200:].encode(errors="replace").decode()
    named = Named(
        name.strip() or plain.rsplit(".", 1)[0], count, parse_length(width, "mm") if width.strip() else None,
        customer.strip() or None,
    )  # fmt: skip
    recipe_id = within(shop, lambda session: shown.recipe_named(session, recipe)) if recipe.strip() else None
    own = f"http {hashlib.sha256(key.encode()).hexdigest()}"
    made = orders.take(shop, own, plain, content, orders.Wished(named, due, recipe_id))
    return submit.within(lambda session: shown.order_shown(session, made))


@router.get("/orders/{order_id}")
def show_order(shop: ShopHere, order_id: int) -> OrderShown:
    return within(shop, lambda session: shown.order_shown(session, order_id))


@router.post("/orders/{order_id}/again", status_code=204)
def order_again(submit: TaskSubmitter, order_id: int) -> Response:
    """Somebody has looked at what it asks: it goes on."""
    submit.within(lambda session: orders.again(session, order_id))
    return Response(status_code=204)


@router.post("/orders/{order_id}/newer")
def take_as_newer_art(shop: ShopHere, order_id: int) -> DesignNamed:
    """It is newer art of the open design that it is called like."""
    return DesignNamed(design_id=orders.as_newer_art(shop, order_id))


@router.get("/jobs/{job_id}/file", response_class=Response)
def save_job(shop: ShopHere, job_id: int) -> StreamingResponse:
    """The job as JOB.zip: documents, art, print files, and what it is made on."""
    packed = tempfile.TemporaryFile()  # noqa: SIM115  closed when all of it is sent
    name = job_saving.save(shop, job_id, packed)
    size = packed.tell()
    packed.seek(0)
    called = quote(f"{name}.zip")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{called}", "Content-Length": str(size)}
    return StreamingResponse(iter(lambda: packed.read(1 << 20), b""), media_type="application/zip", headers=headers)


@router.post("/jobs/file")
def take_job(shop: ShopHere, submit: TaskSubmitter, file: Annotated[UploadFile, File()]) -> TaskMade:
    """A job that was saved, here or elsewhere, as a new one; its lines are found at once."""
    content = file.file.read(MOST_UPLOAD_BYTES + 1)
    name = (file.filename or "JOB.zip")[-200:].encode(errors="replace").decode()
    sha = job_taking.kept(shop, content, name)
    return TaskMade(task_id=submit(tasks.take_job, SavedJob(sha=sha, name=name)))
