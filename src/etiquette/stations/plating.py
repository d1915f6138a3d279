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
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.geometry.paths import Points
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.companion import with_lines
from etiquette.core.printing.coverage import coverage
from etiquette.core.printing.plates import (
    Art,
    PageArt,
    PictureArt,
    PlateWish,
    SpotInk,
)
from etiquette.core.production.frames import FrameDesign, FrameFiles, frame_design, frame_files, frame_title
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
    made_designs = _designs(shop, state, report)
    pieces = runs.pieces_of(shop, state.document, state.designs)
    count = len(state.plans)
    made = []
    for frame in range(count):
        report(0.5 + 0.5 * frame / count, f"Writing the print file of frame {frame + 1}" if count > 1 else "Writing the print file")  # fmt: skip
        made.append(_made(state, frame, made_designs, runs.weed_of_frame(state, pieces, frame)))

    def publish(session: Session) -> dict[str, Any]:
        ids = [_kept(shop, session, run_id, one) for one in made]
        return {"plate_id": ids[0], "plate_ids": ids}

    return Outcome({"run_id": run_id}, publish)


def _designs(shop: Shop, state: runs.RunState, report: Report) -> dict[str, FrameDesign]:
    """What is printed and cut of every design."""
    made = {}
    for number, (design_id, design) in enumerate(state.designs.items()):
        report(0.5 * number / len(state.designs), f"Placing {design.document.name}")
        file = lines.lines_of(shop, design)
        assert file is not None  # pieces without lines are refused before
        areas = {ink: lines.plate_areas_of(shop, design, plate) for plate, ink in SPOTS.items()}
        made[str(design_id)] = frame_design(_art(shop, design), file.lines, outline_of(file.lines), areas, state.kit.bleed_mm)  # fmt: skip
    return made


def _art(shop: Shop, design: DesignState) -> Art:
    found = design.lines
    if found is not None and found.print_sha:
        under = _picture(shop, found.under_sha, design) if found.under_sha else None
        return PageArt(shop.blobs.read(found.print_sha), *_size(design), Polygon(), under)
    made = found.print_picture_sha if found else None
    return _picture(shop, made or design.art.picture_sha, design)


def _size(design: DesignState) -> tuple[float, float]:
    return design.document.width_mm or 0.0, design.height_mm or 0.0


@dataclass(frozen=True)
class _Made:
    """One frame before it is kept."""

    key: str
    files: FrameFiles
    lines: str
    preview: bytes
    summary: PlateSetDocument


def _made(state: runs.RunState, frame: int, made: Mapping[str, FrameDesign], weed: Sequence[Stroke]) -> _Made:
    plan, recipe, document = state.plans[frame], state.kit.recipe, state.document
    placements = runs.placements_on_frame(document, state.plans, frame)
    title = frame_title(document.name, frame + 1, len(state.plans))
    wish = PlateWish(document.half_turn, state.stock.ground != "white")
    files = frame_files(made, placements, plan, recipe, title, wish, weed, together=document.files == "one")
    inks = [coverage(one, title) for one in (files.colour, *files.spots.values()) if one]
    preview, dpi = preview_of_pdf(files.colour)
    summary = PlateSetDocument(
        plan=PlanNote.of(plan),
        marks=recipe,
        name=title,
        stock=state.stock.name,
        frame=frame + 1,
        pieces=len(placements),
        placed=tuple(int(placement.id) for placement in placements),
        tolerance_mm=state.stock.tolerance_mm,
        order=_order(state, files.spots["White"] is not None, files.spots["Clear"] is not None),
        inks={name: share for one in inks for name, share in one.items() if share > 0},
        half_turn=document.half_turn,
        preview_dpi=round(dpi, 1),
        bytes=len(files.colour),
    )
    return _Made(plate_key(state, frame), files, write_lines(LinesFile.of_frame(plan, files.lines)), preview, summary)


def _kept(shop: Shop, session: Session, run_id: int, made: _Made) -> int:
    known = session.scalar(select(Plate.id).where(Plate.run_id == run_id, Plate.key == made.key))
    if known:
        return known

    def spot(name: SpotName) -> str | None:
        content = made.files.spots[SPOTS[name]]
        return shop.blobs.put(session, content, "application/pdf") if content else None

    plate = Plate(
        run_id=run_id,
        key=made.key,
        pdf_sha=shop.blobs.put(session, made.files.colour, "application/pdf"),
        white_sha=spot("white"),
        clear_sha=spot("clear"),
        lines_sha=shop.blobs.put(session, made.lines.encode(), "image/svg+xml"),
        preview_sha=shop.blobs.put(session, made.preview, "image/png"),
        summary=made.summary,
    )
    session.add(plate)
    session.flush()
    return plate.id


def _order(state: runs.RunState, with_white: bool, with_clear: bool) -> tuple[PlateName, ...]:
    """The order in which the plates are printed: white under the colour, or over it where clear stock is seen through.
    Raises JobError when designs of both kinds are in one run."""
    second = {design.document.second_surface for design in state.designs.values()}
    if with_white and len(second) > 1:
        raise JobError(
            "Designs for the second surface and others share this run: white would have to lie under and over the colour.",
            state.document.name,
            "Put them in two runs.",
        )
    white: tuple[PlateName, ...] = ("white",) if with_white else ()
    clear: tuple[PlateName, ...] = ("clear",) if with_clear else ()
    return ("colour", *white, *clear) if second == {True} else (*white, "colour", *clear)


def _picture(shop: Shop, sha: str, design: DesignState) -> PictureArt:
    """The picture kept as `sha`: the art itself, or larger with bleed."""
    picture = read_picture(shop.blobs.read(sha), design.art.file_name)
    note = design.lines.summary.bleed if design.lines else None
    place = note.box if note and sha != design.art.picture_sha else None
    # printed as it came: the file itself may go in, not what was read from it
    own = design.art.form == "picture" and sha == design.art.picture_sha
    return PictureArt(picture, *_size(design), Polygon(), place, shop.blobs.read(design.art.content_sha) if own else None)  # fmt: skip


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
