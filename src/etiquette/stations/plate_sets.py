"""The plate sets of a run that were made, and the files they are kept in."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict, replace

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Points
from etiquette.core.printing.stack import AGAIN
from etiquette.files.documents.plates import ColourNote
from etiquette.files.lines_svg import LinesFile, read_lines
from etiquette.stations import designs, runs
from etiquette.stations.copies import has_its_rows, row_of_copies
from etiquette.stations.kits import Kit
from etiquette.stations.rows import rows_key
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate

PLATE_RECIPE = 13
"""Goes into a plate's key: raise it when the way plates are made changes."""


def plate_key(state: runs.RunState, frame: int) -> str:
    """Names everything the plate of one frame (from 0) depends on."""
    assert state.document.layout is not None
    replaced = [one.replaced for one in state.designs.values()]
    corrections = [state.document.correction(), *(one.document.correction() for one in state.designs.values())]
    here = [p.model_dump(mode="json") for p in state.document.layout.placements if p.sheet == frame]
    parts = [
        PLATE_RECIPE,
        state.key,
        state.document.name,
        frame,
        state.plans[frame].code,
        here,
        state.stock.width_mm,
        asdict(state.kit.recipe),
        state.document.weed.model_dump(),
        [state.document.files, state.document.half_turn, state.stock.ground],
        [design.art.content_sha for design in state.designs.values()],
        *([asdict(state.kit.of_set)] if state.document.page_codes else []),
        *(["primer"] if state.stock.primer else []),
        *(["raised", raised] if any(raised := [one.document.clear_raised for one in state.designs.values()]) else []),
        state.kit.mode.name if state.kit.mode else "",
        *([state.document.standard] if state.document.standard != "plain" else []),
        *([colour.model_dump()] if (colour := colour_of(state.kit)) else []),
        *(["corrected", [asdict(one) for one in corrections]] if any(corrections) else []),
        *(["replaced", [[asdict(to) for to in one] for one in replaced]] if any(replaced) else []),
        *(["strip"] if state.document.strip else []),
        *_otherwise_beside(state, frame),
        *(["braille", said] if any(said := [_braille(one) for one in state.designs.values()]) else []),
        *(["layers", said] if any(said := [_layers(one) for one in state.designs.values()]) else []),
        *(["stack", state.document.stack] if state.document.stack else []),
        *_filled(state, frame),
        *(["no lines"] if state.document.way == "only" else []),  # a plate without lines is none for a cut
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def _braille(design: designs.DesignState) -> list[object] | None:
    held = design.document.braille
    return [held.model_dump(), design.document.second_surface] if held else None


def _layers(design: designs.DesignState) -> list[object] | None:
    """What of a design lies on plates beside those that every design may have."""
    sides, other = design.document.both_sides, design.other
    specials = [[asdict(ink) for ink in design.specials], list(design.called.items())] if design.specials else None
    if sides is None:
        return specials
    turned = [design.document.second_surface, other.document.second_surface if other else None]
    of_other = [
        other.lines_key, other.art.content_sha, other.document.width_mm, [asdict(to) for to in other.replaced],
        asdict(correction) if (correction := other.document.correction()) else None,
    ] if other else []  # fmt: skip
    return [specials, sides.model_dump(), turned, of_other]


def _otherwise_beside(state: runs.RunState, frame: int) -> list[object]:
    """Where a frame lies and what it says, where that is not as usual."""
    document, plan = state.document, state.plans[frame]
    usual = (document.slug, document.arrow_side, document.start_side, document.along) == (None, "left", "left", "head")
    return [] if usual else ["beside", plan.slug, plan.slug_at, plan.shift]


def _filled(state: runs.RunState, frame: int) -> list[object]:
    """What differs from copy to copy on a frame."""
    layout, given = state.document.layout, row_of_copies(state)
    if not state.rows or layout is None:
        return []
    copies = [(one.id, one.copy_) for one in layout.placements if one.sheet == frame]
    return ["filled", [given.get(copy) for copy in copies], [rows_key(one) for one in state.rows.values()]]


def colour_of(kit: Kit) -> ColourNote | None:
    """What the plates of a run are made for, as the Shelf has it now."""
    if kit.profile is None or kit.mode is None:
        return None
    return ColourNote.model_validate(
        {
            "profile": kit.profile.name,
            "sha": kit.profile.content_sha,
            "space": kit.profile.space,
            "intent": kit.mode.intent,
            "black_point": kit.mode.black_point,
            "converted": kit.mode.converts and kit.profile.space == "CMYK",
            "keep_black": kit.mode.keep_black,
        }
    )


def plates_of(session: Session, state: runs.RunState) -> list[Plate]:
    """The plates of the run's frames exactly as it is now, in their order; empty until all of them are made."""
    if not has_its_rows(state):
        return []
    keys = [plate_key(state, frame) for frame in range(len(state.plans))]
    found = {
        plate.key: plate
        for plate in session.scalars(
            select(Plate).where(Plate.run_id == state.run.id, Plate.key.in_(keys), Plate.cleared_at.is_(None))
        )
    }
    return [found[key] for key in keys] if all(key in found for key in keys) else []


def plate_files(plate: Plate) -> dict[str, str]:
    """The blobs of the plates by name, in the order in which they are printed."""
    held = {
        "primer": plate.primer_sha,
        "white": plate.white_sha,
        "colour": plate.pdf_sha,
        "clear": plate.clear_sha,
        "height": plate.height_sha,
        "braille": plate.braille_sha,
        **{one.name: one.sha for one in plate.more},
        AGAIN: plate.white_sha,
    }
    return {name: sha for name in plate.summary.order if (sha := held[name])}


def plate_file(plate: Plate, name: str) -> str:
    """The blob of one plate. Raises NotThere."""
    files = plate_files(plate)
    if name not in files:
        raise NotThere(f"This run has no {name} plate.", plate.summary.name, "Choose a plate that it has.")
    return files[name]


def plate_there(session: Session, plate_id: int) -> Plate:
    """Raises NotThere."""
    plate = session.get(Plate, plate_id)
    if plate is None:
        raise NotThere("There is no such print file.", f"plate {plate_id}", "Make the plate first.")
    return plate


def lines_of_plate(shop: Shop, plate: Plate) -> LinesFile:
    """The finish lines of a frame as planned, run millimetres."""
    return read_lines(shop.blobs.read(plate.lines_sha), plate.summary.name, may_be_none=True)


def lines_on_sheet(shop: Shop, plate: Plate, more: Sequence[FinishLine] = ()) -> LinesFile:
    """The lines, and `more` of the plan, as they lie on the print: half a turn further when the sheet is printed so."""
    file = lines_of_plate(shop, plate)
    file = replace(file, lines=[*file.lines, *more])
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
