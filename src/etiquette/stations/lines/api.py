"""Lines: designs, their settings and their finish lines."""

from functools import partial
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, File, Form, Query, Request, UploadFile
from fastapi.responses import FileResponse, Response
from pydantic import StringConstraints

from etiquette.core.artwork.files_together import belonging
from etiquette.core.artwork.spot_inks import Plate
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import designs, edits
from etiquette.stations.line_rules import rules_file
from etiquette.stations.lines import (
    editing,
    page_marks,
    path_picking,
    proofing,
    taking_in,
    tasks,
    trying,
    using_recipes,
)
from etiquette.stations.lines.alike import alike_shown, give
from etiquette.stations.lines.checking import Waits, next_of_job
from etiquette.stations.lines.schemas import (
    AlikeAsked,
    AlikeMade,
    AlikeShown,
    ArrangeAsked,
    DesignEdit,
    DesignListed,
    DesignShown,
    DesignsMade,
    FilesDropped,
    FilesTogether,
    LikeAsked,
    MarksAsked,
    MeaningAsked,
    PathAsked,
    PathPressed,
    PreviewAsked,
    PreviewShown,
    ReturnAsked,
    VersionShown,
)
from etiquette.stations.lines.taking_progress import Reached, Takings
from etiquette.stations.lines.views import design_shown, designs_listed, path_pressed
from etiquette.stations.lines.widest import WidestOn, widest
from etiquette.stations.schemas import JobName, OfDesign, RecipeUse, RowId, StepAsked, TaskMade
from etiquette.stations.views import lines_shown

router = APIRouter(prefix="/api/designs", tags=["lines"], dependencies=[needs(Right.PREPARE)])
TakingKey = Annotated[str, StringConstraints(pattern=r"^[0-9a-z-]{8,40}$")]
KEPT = {"Cache-Control": "private, max-age=3600"}


def takings_of(request: Request) -> Takings:
    takings: Takings = request.app.state.takings
    return takings


TakingsHere = Annotated[Takings, Depends(takings_of)]


@router.get("")
def list_designs(shop: ShopHere, text: Annotated[str, Query(max_length=120)] = "") -> list[DesignListed]:
    """The newest of open jobs, or those with all words of `text` in the name of design, job or customer."""
    return within(shop, lambda session: designs_listed(session, text))


@router.post("")
def take_in(
    shop: ShopHere,
    takings: TakingsHere,
    submit: TaskSubmitter,
    file: Annotated[list[UploadFile], File()],
    job_id: Annotated[RowId | None, Form()] = None,
    key: Annotated[TakingKey | None, Form()] = None,
    find: Annotated[bool, Form()] = False,
    job_name: Annotated[JobName | None, Form()] = None,
) -> DesignsMade:
    """One file or several that belong together: colour, white and clear are paired by name. Under `key` it is told
    meanwhile how far the reading is. `find`: lines of the first are looked for at once, while whoever took it in is
    still about to open it. A new job is called `job_name`, else as the first file."""
    files = [taking_in.ArtFile(_name(one), partial(_content, one)) for one in file]
    with takings.under(key) as tell:
        ids = taking_in.take_in_together(shop, files, job_id, tell, job_name)
    finds = find and within(shop, lambda session: designs.state_of(session, ids[0]).document.width_mm) is not None
    job = taking_in.job_of(shop, ids[0])
    return DesignsMade(
        ids=ids, job_id=job, finding=submit(tasks.find_lines, OfDesign(design_id=ids[0])) if finds else None
    )


@router.post("/together")
def what_belongs_together(shop: ShopHere, asked: FilesDropped) -> FilesTogether:
    """How files of these names are taken in: set by set, so that one that cannot be read stops no other."""
    numbered = within(shop, rules_file).numbered
    return FilesTogether(sets=[one.files for one in belonging(asked.names, numbered)])


@router.get("/taking/{key}")
def how_far_it_is(takings: TakingsHere, key: TakingKey) -> Reached:
    """How far the reading of files is that are being taken in under `key`."""
    return takings.of(key)


def _content(file: UploadFile) -> bytes:
    file.file.seek(0)
    return file.file.read(taking_in.MOST_UPLOAD_BYTES + 1)


def _name(file: UploadFile) -> str:
    return (file.filename or "art")[-200:].encode(errors="replace").decode()


@router.get("/{design_id}")
def show_design(shop: ShopHere, design_id: int) -> DesignShown:
    return within(shop, lambda session: design_shown(shop, designs.state_of(session, design_id)))


@router.get("/{design_id}/alike")
def what_others_lack(shop: ShopHere, design_id: int) -> AlikeShown:
    """Settings that others of its job, which nobody has looked at yet, have otherwise."""
    return within(shop, lambda session: alike_shown(session, design_id))


@router.post("/{design_id}/alike")
def make_alike(shop: ShopHere, design_id: int, asked: AlikeAsked) -> AlikeMade:
    """Give those others the settings that are named."""
    return give(shop, design_id, asked.keys)


@router.get("/{design_id}/next")
def what_is_next(shop: ShopHere, design_id: int) -> Waits:
    """The design of the same job to look at after this one."""
    return within(shop, lambda session: next_of_job(session, design_id))


@router.get("/{design_id}/widest")
def how_wide(shop: ShopHere, design_id: int) -> list[WidestOn]:
    """How wide the art is when it takes all of the width of a stock."""
    return within(shop, lambda session: widest(session, designs.state_of(session, design_id).document))


@router.put("/{design_id}/lines")
def find_lines(design_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(tasks.find_lines, OfDesign(design_id=design_id)))


@router.post("/{design_id}/lines/preview")
def preview_lines(shop: ShopHere, design_id: int, asked: PreviewAsked) -> PreviewShown:
    return PreviewShown(lines=lines_shown(trying.preview_lines(shop, design_id, asked.named())))


@router.put("/{design_id}/art")
def replace_art(shop: ShopHere, design_id: int, file: Annotated[UploadFile, File()]) -> DesignShown:
    taking_in.replace_art(shop, design_id, _content(file), _name(file))
    return show_design(shop, design_id)


@router.put("/{design_id}/art/{plate}")
def set_plate_art(shop: ShopHere, design_id: int, plate: Plate, file: Annotated[UploadFile, File()]) -> DesignShown:
    """White or clear that came as a file of its own."""
    taking_in.set_plate_art(shop, design_id, plate, _content(file), _name(file))
    return show_design(shop, design_id)


@router.put("/{design_id}/meaning")
def keep_meaning(shop: ShopHere, design_id: int, asked: MeaningAsked) -> DesignShown:
    """What the customer of this design means by a word that could be two kinds of line."""
    within(shop, lambda session: editing.keep_meaning(session, design_id, asked.word, asked.means))
    return show_design(shop, design_id)


@router.post("/{design_id}/arrangement")
def arrange_art(shop: ShopHere, design_id: int, asked: ArrangeAsked) -> DesignShown:
    taking_in.arrange_art(shop, design_id, asked.revision, asked.step)
    return show_design(shop, design_id)


@router.post("/{design_id}/marks")
def find_marks(shop: ShopHere, design_id: int, asked: MarksAsked) -> DesignShown:
    """The registration marks that a page brings along."""
    page_marks.find(shop, design_id, asked.revision, asked.at)
    return show_design(shop, design_id)


@router.post("/{design_id}/paths")
def press_path(shop: ShopHere, design_id: int, asked: PathAsked) -> PathPressed:
    """A path of the art becomes a finish line, or art again."""
    picked = path_picking.press(shop, design_id, asked.revision, asked.at, asked.reach_mm, asked.kind)
    return path_pressed(show_design(shop, design_id), picked)


@router.post("/{design_id}/paths/like")
def press_like(shop: ShopHere, design_id: int, asked: LikeAsked) -> PathPressed:
    """What a path is, all are that are like it."""
    picked = path_picking.press_like(shop, design_id, asked.revision, asked.number, asked.by)
    return path_pressed(show_design(shop, design_id), picked)


@router.get("/{design_id}/versions")
def list_versions(shop: ShopHere, design_id: int) -> list[VersionShown]:
    found = within(shop, lambda session: editing.versions_of(session, design_id))
    return [VersionShown(id=one.id, words=one.words, at=one.at) for one in found]


@router.post("/{design_id}/versions")
def return_to_version(shop: ShopHere, design_id: int, asked: ReturnAsked) -> DesignShown:
    within(shop, lambda session: editing.return_to(session, design_id, asked.revision, asked.version))
    return show_design(shop, design_id)


@router.get("/{design_id}/{what}", response_class=FileResponse)
def picture(shop: ShopHere, design_id: int, what: Literal["picture", "thumb", "print"]) -> FileResponse:
    """The art as it came, small, or as it prints: without its finish lines."""
    state = within(shop, lambda session: designs.state_of(session, design_id))
    printed = state.lines.print_picture_sha if state.lines and what == "print" else None
    sha = printed or (state.art.thumb_sha if what == "thumb" else state.art.picture_sha)
    return FileResponse(shop.blobs.path(sha), media_type="image/png", headers=KEPT)


@router.get("/{design_id}/seen/{seen}", response_class=Response)
def picture_seen(
    shop: ShopHere,
    design_id: int,
    seen: Literal["plate", "stock", "reach"],
    mode: Annotated[int | None, Query(ge=1)] = None,
    mark: Annotated[int | None, Query(ge=0)] = None,
) -> Response:
    """The art as it prints, its colours changed; with a print mode as on its stock, or with what its inks do not
    reach; or with the places striped that a replacement of colour reaches."""
    content = within(shop, lambda session: proofing.asked_for(shop, session, design_id, mode, mark)).drawn(seen)
    return Response(content, media_type="image/png", headers=KEPT)


# last, because “undo” and “redo” are read from the place where other words stand


@router.post("/{design_id}/edits")
def change_design(shop: ShopHere, design_id: int, asked: DesignEdit) -> DesignShown:
    within(shop, lambda session: editing.change(session, design_id, asked.revision, asked.words, asked.named()))
    return show_design(shop, design_id)


@router.post("/{design_id}/recipe")
def use_recipe(shop: ShopHere, design_id: int, asked: RecipeUse) -> DesignShown:
    """What a recipe chose for lines, as one edit."""
    using_recipes.use_recipe(shop, design_id, asked.revision, asked.recipe_id)
    return show_design(shop, design_id)


@router.post("/{design_id}/{way}")
def step_design(shop: ShopHere, design_id: int, way: Literal["undo", "redo"], asked: StepAsked) -> DesignShown:
    within(shop, lambda session: edits.step(session, "design", design_id, asked.revision, way))
    return show_design(shop, design_id)
