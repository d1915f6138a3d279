"""The plates of a run: for every frame the print files, its lines, its preview, the ink it takes."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
from shapely import Polygon
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.artwork.spot_inks import Plate as SpotName
from etiquette.core.errors import JobError, NotThere
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.frames import FramePlan
from etiquette.core.planning.problem import Piece, Placement
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.companion import with_lines
from etiquette.core.printing.coverage import coverage
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
    one_file,
    spot_plate,
)
from etiquette.files.documents.plates import PlanNote, PlateName, PlateSetDocument
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.sandbox.drawing import part_of_file, preview_of_file, preview_of_pdf
from etiquette.stations import lines, runs
from etiquette.stations.designs import DesignState
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate
from etiquette.work.tasks import Outcome, Report

SPOTS: dict[SpotName, SpotInk] = {"white": "White", "clear": "Clear"}
PLATE_RECIPE = 11
"""Goes into a plate's key: raise it when the way plates are made changes."""


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
        [state.document.files, state.document.half_turn, state.stock.ground],
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
    summary: PlateSetDocument


def _made(
    shop: Shop, state: runs.RunState, frame: int, arts: Mapping[str, Art], outlines: Mapping[str, Piece]
) -> _Made:
    plan = state.plans[frame]
    placements = runs.placements_on_frame(state.document, state.plans, frame)
    title = state.document.name if len(state.plans) == 1 else f"{state.document.name}, frame {frame + 1}"
    content = FrameContent(arts, _spot_arts(shop, state, outlines), placements, plan, state.kit.recipe, title)
    wish = PlateWish(state.document.half_turn, state.stock.ground != "white")
    together = state.document.files == "one"
    pdf = one_file(content, wish) if together else colour_plate(content, wish)
    spots = {plate: None if together else spot_plate(content, ink, wish) for plate, ink in SPOTS.items()}
    inks = [coverage(one, title) for one in (pdf, *spots.values()) if one]
    picture_png, dpi = preview_of_pdf(pdf)
    summary = PlateSetDocument(
        plan=PlanNote.of(plan),
        marks=state.kit.recipe,
        name=title,
        stock=state.stock.name,
        frame=frame + 1,
        pieces=len(placements),
        placed=tuple(int(placement.id) for placement in placements),
        tolerance_mm=state.stock.tolerance_mm,
        order=_order(state, spots),
        inks={name: share for one in inks for name, share in one.items() if share > 0},
        half_turn=state.document.half_turn,
        preview_dpi=round(dpi, 1),
        bytes=len(pdf),
    )
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


def _order(state: runs.RunState, spots: Mapping[SpotName, bytes | None]) -> tuple[PlateName, ...]:
    """The order in which the plates are printed: white under the colour, or over it where clear stock is seen through.
    Raises JobError when designs of both kinds are in one run."""
    second = {design.document.second_surface for design in state.designs.values()}
    if spots["white"] and len(second) > 1:
        raise JobError(
            "Designs for the second surface and others share this run: white would have to lie under and over the colour.",
            state.document.name,
            "Put them in two runs.",
        )
    white: tuple[PlateName, ...] = ("white",) if spots["white"] else ()
    clear: tuple[PlateName, ...] = ("clear",) if spots["clear"] else ()
    return ("colour", *white, *clear) if second == {True} else (*white, "colour", *clear)


def _picture(shop: Shop, sha: str, design: DesignState, width: float, height: float, clip: Polygon) -> PictureArt:
    """The picture kept as `sha`: the art itself, or larger with bleed."""
    picture = read_picture(shop.blobs.read(sha), design.art.file_name)
    note = design.lines.summary.bleed if design.lines else None
    place = note.box if note and sha != design.art.picture_sha else None
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
    return {name: sha for name in plate.summary.order if (sha := held[name])}


def plate_file(plate: Plate, name: str) -> str:
    """The blob of one plate. Raises NotThere."""
    files = plate_files(plate)
    if name not in files:
        raise NotThere(f"This run has no {name} plate.", plate.summary.name, "Choose a plate that it has.")
    return files[name]


def preview_of(shop: Shop, plate: Plate, name: str) -> bytes:
    """PNG of one plate. That of the colour is kept; the others hold nothing but areas and are drawn when asked for."""
    if name == "colour":
        return shop.blobs.read(plate.preview_sha)
    return preview_of_file(shop.blobs.path(plate_file(plate, name)), clear_ground=True)[0]


def plate_suffix(name: str) -> str:
    """What is put behind the name of a job for one of its plates."""
    return "" if name == "colour" else f".{name}"


def plate_there(session: Session, plate_id: int) -> Plate:
    """Raises NotThere."""
    plate = session.get(Plate, plate_id)
    if plate is None:
        raise NotThere("There is no such print file.", f"plate {plate_id}", "Make the plate first.")
    return plate


def companion_of(shop: Shop, plate: Plate) -> bytes:
    """The colour plate with its finish lines as layers marked by ISO 19593-1, for shops that want one file."""
    return with_lines(shop.blobs.read(plate.pdf_sha), lines_of_plate(shop, plate).lines, plate.summary.half_turn)


def lines_of_plate(shop: Shop, plate: Plate) -> LinesFile:
    return read_lines(shop.blobs.read(plate.lines_sha), plate.summary.name)


def part_of(shop: Shop, plate: Plate, name: str, box: tuple[float, float, float, float], dpi: float) -> bytes:
    """PNG of a stretch of one plate: `box` is x, y, width and height in run millimetres."""
    return part_of_file(shop.blobs.path(plate_file(plate, name)), box, dpi, clear_ground=name != "colour")


def lines_on_sheet(shop: Shop, plate: Plate) -> LinesFile:
    """The lines as they lie on the print: half a turn further when the sheet is printed so."""
    file = lines_of_plate(shop, plate)
    if not plate.summary.half_turn:
        return file
    plan = plate.summary.plan
    size = np.array([plan.width_mm, plan.length_mm])

    def turned(points: Points) -> Points:
        return np.asarray(size - points)

    x, y = file.origin
    corner = (float(size[0] - x - file.width_mm), float(size[1] - y - file.height_mm))
    lines = [replace(line, path=line.path.mapped(turned)) for line in file.lines]
    return LinesFile(lines, file.width_mm, file.height_mm, corner)
