"""Bench: load, read, fit, cut, count."""

from fastapi import APIRouter
from fastapi.responses import FileResponse

from etiquette.stations import bench
from etiquette.stations.edits import NotThere
from etiquette.stations.plate_notes import plan_from, recipe_from
from etiquette.web.dependencies import ShopHere, TaskSubmitter, within
from etiquette.web.schemas import BenchShown, CountAsked, CutShown, LoadAsked, ReadingShown, TaskMade
from etiquette.web.shown import plan_shown, sheet_shown

router = APIRouter(prefix="/api/bench", tags=["bench"])


@router.get("/{sheet_id}")
def show_sheet(shop: ShopHere, sheet_id: int) -> BenchShown:
    def shown(session: bench.Session) -> BenchShown:
        sheet = bench.sheet_there(session, sheet_id)
        summary = sheet.plate.summary
        return BenchShown(
            sheet=sheet_shown(sheet),
            plan=plan_shown(plan_from(summary["plan"]), recipe_from(summary)),
            tolerance_mm=summary["tolerance_mm"],
            preview=f"/api/plates/{sheet.plate_id}/preview",
            reading=ReadingShown(**sheet.reading) if sheet.reading else None,
            report=CutShown(**sheet.report) if sheet.report else None,
        )

    return within(shop, shown)


@router.post("/{sheet_id}/load")
def load(shop: ShopHere, sheet_id: int, asked: LoadAsked) -> BenchShown:
    bench.load(shop, sheet_id, asked.end)
    return show_sheet(shop, sheet_id)


@router.post("/{sheet_id}/read")
def read(sheet_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit("read marks", {"sheet_id": sheet_id}))


@router.post("/{sheet_id}/cut")
def cut(sheet_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit("cut", {"sheet_id": sheet_id}))


@router.post("/{sheet_id}/count")
def count(shop: ShopHere, sheet_id: int, asked: CountAsked) -> BenchShown:
    within(shop, lambda session: bench.count_good(session, sheet_id, asked.good))
    return show_sheet(shop, sheet_id)


@router.get("/{sheet_id}/picture", response_class=FileResponse)
def picture(shop: ShopHere, sheet_id: int) -> FileResponse:
    """The sheet with its cuts, as the cutter's own camera shows it."""
    sheet = within(shop, lambda session: bench.sheet_there(session, sheet_id))
    if not sheet.report:
        raise NotThere("This sheet is not cut yet.", sheet.name, "Cut it first.")
    return FileResponse(shop.blobs.path(sheet.report["picture"]), media_type="image/png")
