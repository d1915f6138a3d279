"""Bench: load, read, fit, cut, count."""

import base64
from datetime import UTC
from io import BytesIO

from fastapi import APIRouter, UploadFile
from fastapi.responses import FileResponse
from PIL import Image
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import cut_files, sheet_log
from etiquette.stations.bench import (
    counting,
    cutting,
    mark_reading,
    pointing,
    rolls,
    row_codes,
    tasks,
    tool_settings,
    views,
)
from etiquette.stations.bench.schemas import (
    BenchShown,
    CodesShown,
    CountAsked,
    CutAsked,
    CutWork,
    DoubtAsked,
    EntryShown,
    FilesAsked,
    FilesWritten,
    HeadShown,
    LeadAsked,
    LoadAsked,
    MatAsked,
    PlaceAsked,
    PlaceWanted,
    ReadAsked,
    ReadWork,
    RollAsked,
    RollPlan,
    RollPlanAsked,
    SpoiledAsked,
    TakeAsked,
    ToolAsked,
    WindowShown,
)
from etiquette.stations.schemas import RunMade, TaskMade
from etiquette.stations.sheets import sheet_there

router = APIRouter(prefix="/api/bench", tags=["bench"], dependencies=[needs(Right.CUT)])


@router.get("/log")
def log(shop: ShopHere) -> list[EntryShown]:
    """What happened at the Bench, newest first."""

    def shown(session: Session) -> list[EntryShown]:
        return [
            EntryShown(id=one.id, state=one.state, words=one.words, at=one.at.replace(tzinfo=UTC))  # type: ignore[arg-type]
            for one in sheet_log.latest(session)
        ]

    return within(shop, shown)


@router.put("/sheets/{sheet_id}/codes")
def read_codes(shop: ShopHere, sheet_id: int, file: UploadFile) -> CodesShown:
    """A photo or scan of a sheet: which codes of its rows are seen in it."""
    name = (file.filename or "picture")[-200:].encode(errors="replace").decode()
    return CodesShown(**vars(row_codes.codes_on(shop, sheet_id, file.file.read(row_codes.MOST_BYTES + 1), name)))


@router.post("/roll")
def cut_roll(asked: RollAsked, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(tasks.cut_roll, asked))


@router.post("/roll/plan")
def plan_roll(shop: ShopHere, asked: RollPlanAsked) -> RollPlan:
    """Which tools what is left of these sheets needs, and how often they are changed."""
    return rolls.plan_of(shop, asked)


@router.post("/mat")
def cut_mat(asked: MatAsked, submit: TaskSubmitter) -> TaskMade:
    """Cut several sheets that lie on one carrier mat."""
    return TaskMade(task_id=submit(tasks.cut_mat, asked))


@router.get("/{sheet_id}")
def show_sheet(shop: ShopHere, sheet_id: int) -> BenchShown:
    return within(shop, lambda session: views.bench_shown(shop, session, sheet_id))


@router.post("/{sheet_id}/load")
def load(shop: ShopHere, sheet_id: int, asked: LoadAsked) -> BenchShown:
    mark_reading.load(shop, sheet_id, asked.end)
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/read")
def read(sheet_id: int, asked: ReadAsked, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(tasks.read_marks, ReadWork(by=asked.by, sheet_id=sheet_id)))


@router.post("/{sheet_id}/marks/{mark_id}/window")
def look_for_mark(shop: ShopHere, sheet_id: int, mark_id: str, asked: PlaceWanted) -> WindowShown:
    """What the head sees at (x, y), or where the mark should lie: the head is led there, so this is no GET."""
    x, y = asked.x, asked.y
    if x is None or y is None:
        x, y = within(shop, lambda session: mark_reading.expected_place(sheet_there(session, sheet_id), mark_id))
    window = mark_reading.look_at(shop, sheet_id, x, y)
    out = BytesIO()
    Image.fromarray(window.pixels).save(out, "PNG")
    return WindowShown(
        png=base64.b64encode(out.getvalue()).decode(), x=x, y=y, side_mm=window.mm_per_px * window.pixels.shape[0]
    )


@router.post("/{sheet_id}/marks/{mark_id}")
def point_at_mark(shop: ShopHere, sheet_id: int, mark_id: str, asked: PlaceAsked) -> BenchShown:
    mark_reading.point_at_mark(shop, sheet_id, mark_id, asked.x, asked.y)
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/lead")
def lead_head(shop: ShopHere, sheet_id: int, asked: LeadAsked) -> HeadShown:
    """Hands lead the head on the screen."""
    x, y = pointing.lead(shop, sheet_id, asked.x, asked.y)
    return HeadShown(x=x, y=y)


@router.post("/{sheet_id}/head")
def where_head_stands(shop: ShopHere, sheet_id: int) -> HeadShown:
    """Where hands have led the head at the machine."""
    x, y = pointing.stands_at(shop, sheet_id)
    return HeadShown(x=x, y=y)


@router.post("/{sheet_id}/take")
def take_mark(shop: ShopHere, sheet_id: int, asked: TakeAsked) -> BenchShown:
    """The head stands at a mark: take its place; with enough of them there is a fit."""
    place = (asked.x, asked.y) if asked.x is not None and asked.y is not None else None
    pointing.take(shop, sheet_id, asked.mark_id, place)
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/cut")
def cut(sheet_id: int, asked: CutAsked, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(tasks.cut, CutWork(sheet_id=sheet_id, **asked.model_dump())))


@router.post("/{sheet_id}/doubt")
def settle_doubt(shop: ShopHere, sheet_id: int, asked: DoubtAsked) -> BenchShown:
    """What became of the lines that were under the knife when the cut was broken off."""
    cutting.settle_doubt(shop, sheet_id, asked.how)
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/tools")
def set_tool(shop: ShopHere, sheet_id: int, asked: ToolAsked) -> BenchShown:
    """Settings of a tool for the run of this sheet alone."""
    within(shop, lambda session: tool_settings.set_for_job(session, sheet_id, asked.kind, asked.set))
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/count")
def count(shop: ShopHere, sheet_id: int, asked: CountAsked) -> BenchShown:
    within(shop, lambda session: counting.count_good(session, sheet_id, asked.good))
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/spoiled")
def spoiled(shop: ShopHere, sheet_id: int, asked: SpoiledAsked) -> BenchShown:
    within(shop, lambda session: counting.mark_spoiled(session, sheet_id, asked.spoiled))
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/recut")
def recut(shop: ShopHere, sheet_id: int) -> BenchShown:
    plate = within(shop, lambda session: sheet_there(session, sheet_id).plate)
    pieces = views.drawn(shop, plate).pieces
    within(shop, lambda session: counting.recut(session, sheet_id, pieces))
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/reprint")
def reprint(shop: ShopHere, sheet_id: int) -> RunMade:
    return RunMade(run_id=within(shop, lambda session: counting.reprint(session, sheet_id)))


@router.post("/{sheet_id}/files")
def write_files(shop: ShopHere, sheet_id: int, asked: FilesAsked) -> FilesWritten:
    """Two cut files, one for each end, for a machine that fetches its own jobs; into its folder, too, if it has one."""
    plate = within(shop, lambda session: sheet_there(session, sheet_id).plate)
    handed = cut_files.hand_to_cutter(shop, plate, asked.kinds) if asked.form == cut_files.FOR_ITS_CUTTER else []
    names = cut_files.write_cut_files(shop, plate, asked.form, asked.kinds)
    return FilesWritten(folder=cut_files.FOLDER, names=names, fetched=bool(handed))


@router.get("/files/{name}", response_class=FileResponse)
def cut_file(shop: ShopHere, name: str) -> FileResponse:
    return FileResponse(cut_files.cut_file(shop, name), filename=name)


@router.get("/{sheet_id}/picture", response_class=FileResponse)
def picture(shop: ShopHere, sheet_id: int) -> FileResponse:
    """The sheet with its cuts, as the cutter's own camera shows it."""
    sheet = within(shop, lambda session: sheet_there(session, sheet_id))
    if not sheet.report or not sheet.report.picture:
        raise NotThere("There is no picture of the cut sheet.", sheet.name, "Look at the sheet itself.")
    return FileResponse(shop.blobs.path(sheet.report.picture), media_type="image/png")
