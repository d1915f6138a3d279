"""Print: plates, previews, sending; film."""

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Path, Query, UploadFile
from fastapi.responses import FileResponse, Response
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.printing.stack import PlateName
from etiquette.files.lines_svg import LinesFile
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import cut_files, plate_sets, runs
from etiquette.stations.print import beds, film, loading, own_knife, previews, queue, sending, strips
from etiquette.stations.print.heights import heights_of
from etiquette.stations.print.preflight import preflight
from etiquette.stations.print.schemas import (
    AllSent,
    CalledAsked,
    CheckShown,
    PlaceAsked,
    PlaceShown,
    PrintSettled,
    PrintShown,
    ReadyShown,
    ScannedAsked,
    SendAllAsked,
    SendSeveralAsked,
    SettleAsked,
    SheetAsked,
    SheetMade,
    ToolPutIn,
    TurnAsked,
)
from etiquette.stations.print.tasks import make_plates
from etiquette.stations.print.views import print_shown, ready_shown, sheets_listed
from etiquette.stations.schemas import LineShown, OfRun, SheetShown, TaskMade
from etiquette.stations.sheets import sheet_there
from etiquette.stations.views import lines_shown, sheet_shown
from etiquette.stations.what_lies import ask_printer

router = APIRouter(prefix="/api", tags=["print"], dependencies=[needs(Right.PRINT)])


@router.get("/print/{run_id}")
def show_print(shop: ShopHere, run_id: int) -> PrintShown:
    return within(shop, lambda session: print_shown(shop, session, run_id))


@router.get("/print/{run_id}/checks")
def show_checks(shop: ShopHere, run_id: int) -> list[CheckShown]:
    """What is looked at before the run is sent; the printer is asked for it first, outside any transaction."""
    told = ask_printer(shop, run_id)

    def checked(session: Session) -> list[CheckShown]:
        state = runs.state_of(shop, session, run_id)
        return [CheckShown.model_validate(one, from_attributes=True) for one in preflight(shop, session, state, told)]

    return within(shop, checked)


@router.put("/print/{run_id}/called")
def that_is_it(shop: ShopHere, run_id: int, asked: CalledAsked) -> PrintShown:
    """What lies on the printer under this name is the stock of the run."""
    within(shop, lambda session: loading.call_it(session, run_id, asked.name))
    return show_print(shop, run_id)


@router.put("/print/{run_id}/scanned")
def roll_is_on_it(shop: ShopHere, run_id: int, asked: ScannedAsked) -> PrintShown:
    """The roll whose label was scanned lies on the printer of the run."""
    within(shop, lambda session: loading.lies_there(session, run_id, asked.label))
    return show_print(shop, run_id)


@router.delete("/print/{run_id}/scanned")
def roll_is_off(shop: ShopHere, run_id: int) -> PrintShown:
    """It is not known any more which roll lies on the printer of the run."""
    within(shop, lambda session: loading.lies_there_no_more(session, run_id))
    return show_print(shop, run_id)


@router.put("/print/{run_id}/tool")
def tool_is_in(shop: ShopHere, run_id: int, asked: ToolPutIn) -> PrintShown:
    """Hands have put a tool into the knife of the printer of the run."""
    within(shop, lambda session: own_knife.tool_is_in(shop, session, run_id, asked.tool))
    return show_print(shop, run_id)


@router.put("/print/{run_id}/plate")
def make_print_files(run_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(make_plates, OfRun(run_id=run_id)))


@router.post("/print/{run_id}/send")
def send_all_frames(shop: ShopHere, run_id: int, submit: TaskSubmitter, asked: SendAllAsked) -> AllSent:
    """Print every frame of the run as it is now, one after the other. The same key sends them once."""
    return AllSent(
        task_ids=submit.within(lambda session: queue.send_all(shop, session, run_id, asked.revision, asked.key))
    )


@router.get("/print/{run_id}/beside")
def show_ready_beside(shop: ShopHere, run_id: int) -> list[ReadyShown]:
    """Other runs that could be sent to the same printer now, those on the same stock first."""
    return within(shop, lambda session: ready_shown(shop, session, run_id))


@router.post("/print/send")
def send_several_runs(shop: ShopHere, submit: TaskSubmitter, asked: SendSeveralAsked) -> AllSent:
    """Print every frame of several runs, one after the other. The same key sends them once."""
    wanted = [(one.run_id, one.revision) for one in asked.runs]
    return AllSent(task_ids=submit.within(lambda session: queue.send_several(shop, session, wanted, asked.key)))


@router.post("/queue/{task_id}/turn")
def change_turn(shop: ShopHere, task_id: int, asked: TurnAsked) -> TaskMade:
    """A sheet that waits for its printer changes places with the one before or behind it."""
    within(shop, lambda session: queue.put(session, task_id, asked.way))
    return TaskMade(task_id=task_id)


@router.put("/queue/{task_id}/place")
def change_place(shop: ShopHere, task_id: int, asked: PlaceAsked) -> TaskMade:
    """A sheet that waits for its printer is put elsewhere in the queue, counted from 0 among those that wait."""
    within(shop, lambda session: queue.put_at(session, task_id, asked.place))
    return TaskMade(task_id=task_id)


@router.post("/queue/{task_id}/hold")
def hold_queued(shop: ShopHere, task_id: int) -> TaskMade:
    """A sheet that waits for its printer is put by."""
    within(shop, lambda session: queue.hold(session, task_id))
    return TaskMade(task_id=task_id)


@router.post("/plates/{plate_id}/send")
def send_plate(shop: ShopHere, plate_id: int, submit: TaskSubmitter, asked: SheetAsked) -> TaskMade:
    """Print a plate of the run as it is now. The same key prints once."""

    def send(session: Session) -> int:
        sheet_id = sending.ask_for_sheet(shop, session, plate_id, asked.revision, asked.key, hold=False)
        return sending.submit_print(session, sheet_id)

    return TaskMade(task_id=submit.within(send))


@router.post("/plates/{plate_id}/hold")
def hold_plate(shop: ShopHere, plate_id: int, asked: SheetAsked) -> SheetMade:
    """A sheet that waits to be sent. The same key makes one."""
    made = within(
        shop, lambda session: sending.ask_for_sheet(shop, session, plate_id, asked.revision, asked.key, hold=True)
    )
    return SheetMade(sheet_id=made)


@router.post("/plates/{plate_id}/elsewhere")
def printed_elsewhere(shop: ShopHere, plate_id: int, asked: SheetAsked) -> SheetMade:
    """The plate was printed from its saved files on a machine that is none of ours: its sheet goes on from here."""
    made = within(shop, lambda s: sending.printed_elsewhere(shop, s, plate_id, asked.revision, asked.key))
    return SheetMade(sheet_id=made)


@router.post("/sheets/{sheet_id}/send")
def send_held(shop: ShopHere, sheet_id: int, submit: TaskSubmitter) -> TaskMade:
    def send(session: Session) -> int:
        return sending.submit_print(session, sending.send_held(shop, session, sheet_id))

    return TaskMade(task_id=submit.within(send))


@router.post("/sheets/{sheet_id}/settle")
def settle_print(shop: ShopHere, sheet_id: int, submit: TaskSubmitter, asked: SettleAsked) -> PrintSettled:
    """What became of a sheet whose print was broken off: the printer is asked, or a person has looked."""
    if asked.how == "nothing":
        sending.refuse_while_the_printer_has_it(shop, sheet_id)
    task_id = submit.within(lambda session: sending.settle_print(session, sheet_id, asked.how))
    if asked.how in ("spoiled", "nothing"):
        cut_files.take_back(shop, within(shop, lambda session: sheet_there(session, sheet_id).plate))
    return PrintSettled(task_id=task_id)


@router.delete("/sheets/{sheet_id}")
def let_go(shop: ShopHere, sheet_id: int) -> SheetMade:
    """A held sheet is not wanted any more."""
    within(shop, lambda session: sending.let_go(session, sheet_id))
    return SheetMade(sheet_id=sheet_id)


@router.get("/plates/{plate_id}/preview", response_class=Response)
def plate_preview(
    shop: ShopHere, plate_id: int, plate: PlateName = "colour", seen: previews.Seen = "plate"
) -> Response:
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    content = previews.preview_of(shop, held, plate, seen)
    return Response(content, media_type="image/png", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/plates/{plate_id}/part", response_class=Response)
def plate_part(
    shop: ShopHere,
    plate_id: int,
    x: Annotated[float, Query(ge=-100_000, le=100_000)],
    y: Annotated[float, Query(ge=-100_000, le=100_000)],
    width: Annotated[float, Query(ge=0.5, le=10_000)],
    height: Annotated[float, Query(ge=0.5, le=100_000)],
    dpi: Annotated[float, Query(ge=10, le=1200)],
    plate: PlateName = "colour",
    seen: previews.Seen = "plate",
) -> Response:
    """The stretch from (x, y) of the print, in run millimetres, in real pixels of the plate."""
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    content = previews.part_of(shop, held, plate, (x, y, width, height), dpi, seen)
    return Response(content, media_type="image/png", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/plates/{plate_id}/colours")
def colours_of_place(
    shop: ShopHere,
    plate_id: int,
    x: Annotated[float, Query(ge=-100_000, le=100_000)],
    y: Annotated[float, Query(ge=-100_000, le=100_000)],
) -> PlaceShown:
    """The colours at a place of the print, in run millimetres: in the art, in the plate, on the stock."""
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    return PlaceShown.model_validate(previews.colours_of_place(shop, held, x, y), from_attributes=True)


@router.get("/plates/{plate_id}/lines")
def plate_lines(shop: ShopHere, plate_id: int) -> list[LineShown]:
    """The finish lines of the frame, as SVG paths in run millimetres with y down from the far end of the print."""
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    file = plate_sets.lines_on_sheet(shop, held)
    length = held.summary.plan.length_mm
    return lines_shown(LinesFile(file.lines, file.width_mm, length, (0.0, 0.0)))


@router.get("/plates/{plate_id}/companion", response_class=Response)
def plate_companion(shop: ShopHere, plate_id: int, kinds: Annotated[list[Kind] | None, Query()] = None) -> Response:
    """The colour plate with the finish lines as layers marked by ISO 19593-1."""
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    name = quote(f"{held.summary.name}, with lines.pdf")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return Response(previews.companion_of(shop, held, kinds), media_type="application/pdf", headers=headers)


@router.get("/plates/{plate_id}/heights.png", response_class=Response)
def plate_heights(shop: ShopHere, plate_id: int, dpi: Annotated[float, Query(ge=50, le=2880)] = 300.0) -> Response:
    """The braille of a frame as a 16-bit picture of heights."""
    shown = {"Content-Disposition": 'attachment; filename="heights.png"'}
    return Response(heights_of(shop, plate_id, dpi), media_type="image/png", headers=shown)


@router.get("/plates/{plate_id}/pdf", response_class=FileResponse)
def plate_pdf(shop: ShopHere, plate_id: int, plate: PlateName = "colour") -> FileResponse:
    held = within(shop, lambda session: plate_sets.plate_there(session, plate_id))
    path = shop.blobs.path(plate_sets.plate_file(held, plate))
    more = "" if plate == "colour" else f", {plate}"
    return FileResponse(path, media_type="application/pdf", filename=f"{held.summary.name}{more}.pdf")


@router.get("/print/{run_id}/beds/{bed}/pdf", response_class=Response)
def bed_pdf(
    shop: ShopHere, run_id: int, bed: Annotated[int, Path(ge=1, le=10_000)], plate: PlateName = "colour"
) -> Response:
    """One plate of all blanks of a bed that are frames of their own, as the printer gets it."""
    content, name = beds.bed_plate(shop, run_id, bed, plate)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(content, media_type="application/pdf", headers=headers)


@router.get("/sheets")
def list_sheets(shop: ShopHere) -> list[SheetShown]:
    return within(shop, sheets_listed)


@router.post("/sheets/{sheet_id}/cut-off")
def cut_off(shop: ShopHere, sheet_id: int) -> SheetShown:
    """Hands have cut off what is printed of a length, while more of it is still to come."""

    def told(session: Session) -> SheetShown:
        film.cut_off(session, sheet_id)
        return sheet_shown(session, sheet_there(session, sheet_id))

    return within(shop, told)


@router.put("/sheets/{sheet_id}/strip", status_code=204)
def read_strip(shop: ShopHere, sheet_id: int, file: UploadFile) -> None:
    """A photo or scan of the colour strip of a sheet."""
    name = (file.filename or "picture")[-200:].encode(errors="replace").decode()
    strips.keep_strip(shop, sheet_id, file.file.read(strips.MOST_BYTES + 1), name)


@router.post("/sheets/{sheet_id}/film")
def film_is_on(shop: ShopHere, sheet_id: int, anyway: bool = False) -> SheetShown:
    """Hands have put film on a sheet."""

    def told(session: Session) -> SheetShown:
        film.film_is_on(session, sheet_id, anyway)
        return sheet_shown(session, sheet_there(session, sheet_id))

    return within(shop, told)
