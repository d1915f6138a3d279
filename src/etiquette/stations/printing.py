"""Print: make the plate of a run, look at it, send it, put film on it."""

import hashlib
import json
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from shapely import Polygon
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.artwork.spot_inks import Plate as SpotName
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.frames import FramePlan
from etiquette.core.planning.problem import Piece, Placement
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.placed_lines import placed_lines
from etiquette.core.printing.plates import (
    Art,
    FrameContent,
    PageArt,
    PictureArt,
    PlateWish,
    SpotArt,
    SpotInk,
    colour_plate,
    spot_plate,
)
from etiquette.core.printing.previews import preview
from etiquette.devices.line import DeviceLine
from etiquette.devices.open_directory import drop_job
from etiquette.files.lines_svg import LinesFile, write_lines
from etiquette.stations import lines, runs
from etiquette.stations.designs import DesignState
from etiquette.stations.edits import NotThere
from etiquette.stations.plate_notes import plan_note
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Roll, RollEntry, Run, Sheet, now
from etiquette.work.tasks import Outcome, Report

SPOTS: dict[SpotName, SpotInk] = {"white": "White", "clear": "Clear"}
PLATE_RECIPE = 9
"""Goes into a plate's key: raise it when the way plates are made changes."""
PRINT_LOOKS = 3000
LOOK_SECONDS = 0.2
SHEETS_SHOWN = 100


def plate_key(state: runs.RunState, frame: int) -> str:
    """Names everything the plate of one frame (from 0) depends on."""
    assert state.document.layout is not None
    here = [p.model_dump(mode="json") for p in state.document.layout.placements if p.sheet == frame]
    parts = [
        PLATE_RECIPE,
        state.key,
        state.document.name,
        frame,
        state.plans[frame].codes[0].code.frame,
        here,
        state.stock.width_mm,
        asdict(state.kit.recipe),
        state.document.weed.model_dump(),
        [design.art.content_sha for design in state.designs.values()],
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def plates_of(session: Session, state: runs.RunState) -> list[Plate]:
    """The plates of the run's frames exactly as it is now, in their order; empty until all of them are made."""
    keys = [plate_key(state, frame) for frame in range(len(state.plans))]
    found = {
        plate.key: plate
        for plate in session.scalars(select(Plate).where(Plate.run_id == state.run.id, Plate.key.in_(keys)))
    }
    return [found[key] for key in keys] if all(key in found for key in keys) else []


def make_plate(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: for every frame of a nested run the PDF, the lines and the preview."""
    run_id = arguments["run_id"]
    state = shop.database.within(lambda session: runs.state_of(shop, session, run_id))
    if state.trouble:
        raise state.trouble
    if not state.plans:
        raise JobError("The run is not nested as it is now.", state.document.name, "Open it in Run and press N.")
    known = shop.database.within(lambda session: plates_of(session, state))
    if known:
        return Outcome({"plate_id": known[0].id, "plate_ids": [plate.id for plate in known]})
    arts, outlines = _arts(shop, state, report)
    count = len(state.plans)
    made = []
    for frame in range(count):
        report(0.5 + 0.5 * frame / count, f"Writing the print file of frame {frame + 1}" if count > 1 else "Writing the print file")  # fmt: skip
        made.append(_made(shop, state, frame, arts, outlines))

    def publish(session: Session) -> dict[str, Any]:
        ids = [_kept(shop, session, run_id, one) for one in made]
        return {"plate_id": ids[0], "plate_ids": ids}

    return Outcome({"run_id": run_id}, publish)


def _arts(shop: Shop, state: runs.RunState, report: Report) -> tuple[dict[str, Art], dict[str, Piece]]:
    """What is placed of every design, and the outlines that bound it."""
    arts: dict[str, Art] = {}
    outlines = runs.pieces_of(shop, state.document, state.designs)
    for number, (design_id, design) in enumerate(state.designs.items()):
        report(0.5 * number / len(state.designs), f"Placing {design.document.name}")
        width = design.document.width_mm or 0.0
        clip = offset(outlines[str(design_id)].outline, state.kit.bleed_mm)
        height = design.height_mm or 0.0
        if design.lines is not None and design.lines.print_sha:
            under = design.lines.under_sha
            arts[str(design_id)] = PageArt(
                shop.blobs.read(design.lines.print_sha),
                width,
                height,
                clip,
                _picture(shop, under, design, width, height, clip) if under else None,
            )
        else:
            made = design.lines.print_picture_sha if design.lines else None
            arts[str(design_id)] = _picture(shop, made or design.art.picture_sha, design, width, height, clip)
    return arts, outlines


@dataclass(frozen=True)
class _Made:
    """The files of one frame before they are kept."""

    key: str
    pdf: bytes
    spots: Mapping[SpotName, bytes | None]
    lines: str
    preview: bytes
    summary: dict[str, Any]


def _made(
    shop: Shop, state: runs.RunState, frame: int, arts: Mapping[str, Art], outlines: Mapping[str, Piece]
) -> _Made:
    plan = state.plans[frame]
    placements = runs.placements_on_frame(state.document, state.plans, frame)
    title = state.document.name if len(state.plans) == 1 else f"{state.document.name}, frame {frame + 1}"
    content = FrameContent(arts, _spot_arts(shop, state, outlines), placements, plan, state.kit.recipe, title)
    wish = PlateWish(patches=state.stock.ground != "white")
    pdf = colour_plate(content, wish)
    spots = {plate: spot_plate(content, ink, wish) for plate, ink in SPOTS.items()}
    picture_png, dpi = preview(pdf)
    summary = {
        "plan": plan_note(plan),
        "frame": frame + 1,
        "preview_dpi": round(dpi, 1),
        "bytes": len(pdf),
        "order": _order(state, spots),
        "pieces": len(placements),
        "tolerance_mm": state.stock.tolerance_mm,
        "marks": asdict(state.kit.recipe),
        "name": title,
        "stock": state.stock.name,
    }
    text = write_lines(frame_lines(shop, state, plan, placements, runs.weed_strokes(state, dict(outlines), frame)))
    return _Made(plate_key(state, frame), pdf, spots, text, picture_png, summary)


def _kept(shop: Shop, session: Session, run_id: int, made: _Made) -> int:
    known = session.scalar(select(Plate.id).where(Plate.run_id == run_id, Plate.key == made.key))
    if known:
        return known

    def spot(name: SpotName) -> str | None:
        content = made.spots[name]
        return shop.blobs.put(session, content, "application/pdf") if content else None

    plate = Plate(
        run_id=run_id,
        key=made.key,
        pdf_sha=shop.blobs.put(session, made.pdf, "application/pdf"),
        white_sha=spot("white"),
        clear_sha=spot("clear"),
        lines_sha=shop.blobs.put(session, made.lines.encode(), "image/svg+xml"),
        preview_sha=shop.blobs.put(session, made.preview, "image/png"),
        summary=made.summary,
    )
    session.add(plate)
    session.flush()
    return plate.id


def _spot_arts(shop: Shop, state: runs.RunState, outlines: Mapping[str, Piece]) -> dict[SpotInk, dict[str, SpotArt]]:
    """The areas of white and clear of every design."""
    return {
        ink: {
            str(design_id): SpotArt(
                tuple(lines.plate_areas_of(shop, design, plate)),
                offset(outlines[str(design_id)].outline, state.kit.bleed_mm),
            )
            for design_id, design in state.designs.items()
        }
        for plate, ink in SPOTS.items()
    }


def _order(state: runs.RunState, spots: Mapping[SpotName, bytes | None]) -> list[str]:
    """The order in which the plates are printed: white under the colour, or over it where clear stock is seen through.
    Raises JobError when designs of both kinds are in one run."""
    second = {design.document.second_surface for design in state.designs.values()}
    if spots["white"] and len(second) > 1:
        raise JobError(
            "Designs for the second surface and others share this run: white would have to lie under and over the colour.",
            state.document.name,
            "Put them in two runs.",
        )
    white = ["white"] if spots["white"] else []
    clear = ["clear"] if spots["clear"] else []
    return ["colour", *white, *clear] if second == {True} else [*white, "colour", *clear]


def _picture(shop: Shop, sha: str, design: DesignState, width: float, height: float, clip: Polygon) -> PictureArt:
    """The picture kept as `sha`: the art itself, or larger with bleed."""
    picture = read_picture(shop.blobs.read(sha), design.art.file_name)
    note = design.lines.summary.get("bleed") if design.lines else None
    place = tuple(note["box"]) if note and sha != design.art.picture_sha else None
    # printed as it came: the file itself may go in, not what was read from it
    own = design.art.form == "picture" and sha == design.art.picture_sha
    return PictureArt(picture, width, height, clip, place, shop.blobs.read(design.art.content_sha) if own else None)


def frame_lines(
    shop: Shop, state: runs.RunState, plan: FramePlan, placements: list[Placement], weed: Sequence[Stroke] = ()
) -> LinesFile:
    """All finish lines of a frame in the millimetres of its print; those that help weeding are kiss lines, cut last."""
    own = {}
    for design_id, design in state.designs.items():
        file = lines.lines_of(shop, design)
        if file is not None:
            own[str(design_id)] = file.lines
    placed = placed_lines(own, placements)
    placed += [FinishLine("kiss", Path.from_points(stroke, closed=bool((stroke[0] == stroke[-1]).all()))) for stroke in weed]  # fmt: skip
    x0, y0, x1, y1 = plan.work
    return LinesFile(placed, x1 - x0, y1 - y0, (x0, y0))


def plate_files(plate: Plate) -> dict[str, str]:
    """The blobs of the plates by name, in the order in which they are printed."""
    held = {"colour": plate.pdf_sha, "white": plate.white_sha, "clear": plate.clear_sha}
    return {name: sha for name in plate.summary["order"] if (sha := held[name])}


def plate_file(plate: Plate, name: str) -> str:
    """The blob of one plate. Raises NotThere."""
    files = plate_files(plate)
    if name not in files:
        raise NotThere(f"This run has no {name} plate.", plate.summary["name"], "Choose a plate that it has.")
    return files[name]


def preview_of(shop: Shop, plate: Plate, name: str) -> bytes:
    """PNG of one plate. That of the colour is kept; the others hold nothing but areas and are drawn when asked for."""
    if name == "colour":
        return shop.blobs.read(plate.preview_sha)
    return preview(shop.blobs.read(plate_file(plate, name)), clear_ground=True)[0]


def plate_suffix(name: str) -> str:
    """What is put behind the name of a job for one of its plates."""
    return "" if name == "colour" else f".{name}"


def plate_there(session: Session, plate_id: int) -> Plate:
    """Raises NotThere."""
    plate = session.get(Plate, plate_id)
    if plate is None:
        raise NotThere("There is no such print file.", f"plate {plate_id}", "Make the plate first.")
    return plate


def sheets_of(session: Session, run_id: int) -> list[Sheet]:
    """Every print of a run, newest first."""
    return list(session.scalars(select(Sheet).join(Plate).where(Plate.run_id == run_id).order_by(Sheet.id.desc())))


def all_sheets(session: Session) -> list[Sheet]:
    """The shelf of printed sheets: the newest hundred that were not spoiled on the printer."""
    return list(
        session.scalars(select(Sheet).where(Sheet.state != "failed").order_by(Sheet.id.desc()).limit(SHEETS_SHOWN))
    )


def new_sheet(session: Session, plate_id: int) -> int:
    """A sheet that is about to be printed. Raises NotThere, and JobError when the roll is too short."""
    plate = plate_there(session, plate_id)
    run = session.get_one(Run, plate.run_id)
    roll = session.get_one(Roll, run.document["roll_id"])
    length = plate.summary["plan"]["length_mm"]
    if roll.remaining_mm < length:
        raise JobError(
            f"The run needs {length:.0f} mm; {roll.name} has {roll.remaining_mm:.0f} mm left.",
            roll.name,
            "Choose another roll in Run.",
        )
    number = len(sheets_of(session, run.id)) + 1
    code = plate.summary["plan"]["codes"][0][0]
    sheet = Sheet(plate_id=plate_id, name=f"{code}-{number}", state="printing", pieces=plate.summary["pieces"])
    session.add(sheet)
    run.state = "printing"
    session.flush()
    return sheet.id


def print_plate(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: hand the sheet's files to the printer, follow it, book the length on the roll."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, arguments["sheet_id"]))
    plate = shop.database.within(lambda session: session.get_one(Plate, sheet.plate_id))
    run, roll = shop.database.within(lambda session: _run_and_roll(session, plate))
    printer = shop.device("printer")
    try:
        _follow_print(shop, sheet, plate, roll, printer.name, printer.port, report)
    except JobError as error:
        reason = error
        shop.database.within(lambda session: _put_back(session, sheet.id, run.id))
        raise reason from None
    length = plate.summary["plan"]["length_mm"]

    def publish(session: Session) -> None:
        reference = f"sheet {sheet.id}"
        if session.scalar(select(RollEntry.id).where(RollEntry.reference == reference)) is None:
            held = session.get_one(Roll, roll.id, with_for_update=True)
            held.remaining_mm = max(0.0, held.remaining_mm - length)
            session.add(
                RollEntry(
                    roll_id=roll.id, length_mm=-length, reason=f"printed {run.document['name']}", reference=reference
                )
            )
        session.get_one(Sheet, sheet.id).state = "printed"
        session.get_one(Run, run.id).state = "film"

    return Outcome({"sheet_id": sheet.id}, publish)


def _run_and_roll(session: Session, plate: Plate) -> tuple[Run, Roll]:
    run = session.get_one(Run, plate.run_id)
    return run, session.get_one(Roll, run.document["roll_id"])


def _put_back(session: Session, sheet_id: int, run_id: int) -> None:
    session.get_one(Sheet, sheet_id).state = "failed"
    session.get_one(Run, run_id).state = "planned"


def _follow_print(shop: Shop, sheet: Sheet, plate: Plate, roll: Roll, name: str, port: int, report: Report) -> None:
    with DeviceLine(name, port) as line:
        if line.ask("job", name=sheet.name)["state"] == "unknown":
            # the stand-in's roll is what the shop says is on it; a real printer would be asked
            line.ask("load roll", name=roll.name, width_mm=plate.summary["plan"]["width_mm"], left_mm=roll.remaining_mm)
            files = {f"{plate_suffix(name)}.pdf": shop.blobs.read(sha) for name, sha in plate_files(plate).items()}
            files[".svg"] = shop.blobs.read(plate.lines_sha)
            ticket = {
                "plates": plate.summary["order"],
                "job": sheet.name,
                "title": plate.summary["name"],
                "stock": plate.summary["stock"],
                "sent": now().isoformat(),
            }
            drop_job(shop.settings.room / "printer", sheet.name, files, ticket)
        for _ in range(PRINT_LOOKS):
            status = line.ask("job", name=sheet.name)
            if status["state"] == "failed":
                raise JobError(f"{name} refused the print: {status['why']}", name, "Put that right and send it again.")
            report(status["share"], f"Printing {status['share'] * 100:.0f} %", None)
            if status["state"] == "done":
                return
            time.sleep(LOOK_SECONDS)
    raise JobError(f"{name} did not finish in time.", name, "Look at the machine.")


def laminate_sheet(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: put the sheet through the laminator."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, arguments["sheet_id"]))
    if sheet.state != "printed":
        raise JobError(
            "This sheet cannot go through the laminator now.", sheet.name, "Only a printed sheet without film can."
        )
    laminator = shop.device("laminator")
    report(0.1, "Film on")
    with DeviceLine(laminator.name, laminator.port) as line:
        line.ask("laminate", name=sheet.name, seed=arguments.get("seed"))

    def publish(session: Session) -> None:
        session.get_one(Sheet, sheet.id).state = "laminated"
        session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id).state = "cutter"

    return Outcome({"sheet_id": sheet.id}, publish)
