"""Print: plates, previews, sending; film."""

from typing import Literal

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response

from etiquette.stations import printing, runs
from etiquette.web.dependencies import ShopHere, TaskSubmitter, within
from etiquette.web.schemas import PlateShown, PrintShown, SheetShown, TaskMade
from etiquette.web.shown import run_listed, sheet_shown

PlateName = Literal["colour", "white", "clear"]
router = APIRouter(prefix="/api", tags=["print"])


@router.get("/print/{run_id}")
def show_print(shop: ShopHere, run_id: int) -> PrintShown:
    def shown(session: runs.Session) -> PrintShown:
        state = runs.state_of(shop, session, run_id)
        sheets = printing.sheets_of(session, run_id)
        figures = state.figures
        return PrintShown(
            run=run_listed(state.run),
            nested=bool(state.plans),
            trouble=f"{state.trouble.what} {state.trouble.do}" if state.trouble else None,
            stock_name=state.stock.name,
            roll_name=state.roll.name,
            roll_left_mm=state.roll.remaining_mm,
            length_mm=figures.length_mm if figures else None,
            stock_cost=figures.stock_cost if figures else None,
            currency=figures.currency if figures else None,
            plates=[_plate(plate) for plate in printing.plates_of(session, state)],
            printer=shop.device("printer").name,
            sheets=[sheet_shown(sheet) for sheet in sheets],
        )

    return within(shop, shown)


def _plate(plate: printing.Plate) -> PlateShown:
    summary = plate.summary
    return PlateShown(
        id=plate.id,
        bytes=summary["bytes"],
        preview_dpi=summary["preview_dpi"],
        width_mm=summary["plan"]["width_mm"],
        length_mm=summary["plan"]["length_mm"],
        pieces=summary["pieces"],
        order=summary["order"],
        frame=summary["frame"],
        code=summary["plan"]["codes"][0][0],
    )


@router.put("/print/{run_id}/plate")
def make_plate(run_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit("make plate", {"run_id": run_id}))


@router.post("/plates/{plate_id}/send")
def send_plate(shop: ShopHere, plate_id: int, submit: TaskSubmitter) -> TaskMade:
    sheet_id = within(shop, lambda session: printing.new_sheet(session, plate_id))
    return TaskMade(task_id=submit("print", {"sheet_id": sheet_id}, f"print {sheet_id}"))


@router.get("/plates/{plate_id}/preview", response_class=Response)
def plate_preview(shop: ShopHere, plate_id: int, plate: PlateName = "colour") -> Response:
    content = printing.preview_of(shop, within(shop, lambda session: printing.plate_there(session, plate_id)), plate)
    return Response(content, media_type="image/png", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/plates/{plate_id}/pdf", response_class=FileResponse)
def plate_pdf(shop: ShopHere, plate_id: int, plate: PlateName = "colour") -> FileResponse:
    held = within(shop, lambda session: printing.plate_there(session, plate_id))
    path = shop.blobs.path(printing.plate_file(held, plate))
    more = "" if plate == "colour" else f", {plate}"
    return FileResponse(path, media_type="application/pdf", filename=f"{held.summary['name']}{more}.pdf")


@router.get("/sheets")
def list_sheets(shop: ShopHere) -> list[SheetShown]:
    return within(shop, lambda session: [sheet_shown(sheet) for sheet in printing.all_sheets(session)])


@router.post("/sheets/{sheet_id}/film")
def laminate(sheet_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit("laminate", {"sheet_id": sheet_id}))
