"""Several sheets on one carrier mat: every code is found in photos of the table, and each sheet is read, fitted and cut
by itself, wherever and however it lies.

A sheet that cannot be read or whose fit says no is set aside and the others go on: nothing has been cut of it. What
happens while the knife is down ends the mat: nobody is there to look."""

from functools import partial

import numpy as np

from etiquette.core.aligning.reading import Begun, read_marks
from etiquette.core.aligning.windows import SeenCode
from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.devices.eyes import TableCamera
from etiquette.stations.bench.cut_progress import progress_of
from etiquette.stations.bench.mark_reading import HowRead, fitted, keep_reading, lie_on_cutter
from etiquette.stations.bench.rolls import (
    cut_kinds,
    keep_tool,
    off_the_cutter,
    refuse_without_code,
    set_aside,
    through,
    with_plate,
)
from etiquette.stations.bench.schemas import MatAsked, SheetsCut
from etiquette.stations.machines import CutterHere, cutter_of_sheet
from etiquette.stations.sheet_log import noted
from etiquette.stations.shop import Shop
from etiquette.store.models import Sheet
from etiquette.tasks.task import Outcome, Report

ROOM_MM = 60.0
"""How much longer than its sheets a mat may be, for each of them."""
SAME_SHEET_MM = 15.0
"""A code that lies so near to where another code of a sheet says it should is of that sheet."""


def cut_mat(shop: Shop, asked: MatAsked, report: Report) -> Outcome[SheetsCut]:
    """Task: cut the sheets `sheet_ids` that lie on one mat, however hands laid them; `check`: also where the fit says
    check; `kinds`: only these, and the sheets are ready for the next tool then. The result tells which were cut and
    which were set aside."""
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, next(iter(asked.sheet_ids), None)))
    sheets = [shop.database.within(partial(with_plate, sheet_id=one)) for one in asked.sheet_ids]
    if not sheets:
        raise JobError("No sheet waits for the cutter.", cutter.name, "Print a run and put film on it first.")
    refuse_without_code(sheets)
    keep_tool(shop, cutter, asked)
    cut = [sheet.name for sheet in sheets if sheet.state == "cut"]  # by a go that was broken off: never twice
    wanted = [sheet for sheet in sheets if sheet.state != "cut"]
    if not wanted:
        return Outcome(SheetsCut(state="done", cut=cut))
    shop.database.within(lambda session: lie_on_cutter(session, [sheet.id for sheet in wanted], cutter.id))
    aside = _read_all(shop, cutter, wanted, asked.check, report)
    if aside is None:
        return Outcome(SheetsCut(state="held", cut=cut))
    for number, sheet in enumerate(sheet for sheet in wanted if sheet.name not in aside):
        if not report(0.4 + 0.6 * number / len(wanted), f"Cutting {sheet.name}"):
            return Outcome(SheetsCut(state="held", cut=cut, aside=aside))
        cut_kinds(shop, sheet, asked.kinds, "Put it in, then cut the rest of the mat sheet by sheet.")
        cut.append(sheet.name)
    for sheet in wanted:
        if sheet.name in aside:
            set_aside(shop, sheet, aside[sheet.name])
        elif asked.kinds:  # half cut: the next tool begins with all of them again
            shop.database.within(partial(off_the_cutter, sheet_id=sheet.id))
    words = f"{through('mat', asked.kinds)}: {len(cut)} cut, {len(aside)} set aside."
    shop.database.within(lambda session: noted(session, None, "look" if aside else "good", words))
    return Outcome(SheetsCut(state="done", cut=cut, aside=aside))


def _read_all(
    shop: Shop, cutter: CutterHere, sheets: list[Sheet], check_too: bool, report: Report
) -> dict[str, str] | None:
    """Find and read the sheets; which of them are set aside and why, or None when it is held."""
    camera = cutter.camera()
    report(0.02, "Looking for the codes on the mat")
    codes = camera.codes(sum(sheet.plate.summary.plan.length_mm + ROOM_MM for sheet in sheets))
    aside = {sheet.name: "Its code is not to be seen on the mat." for sheet in sheets}
    doubted = {
        sheet.name: f"{count} of its lines are in doubt."
        for sheet in sheets
        if (count := len(progress_of(sheet).doubtful))
    }
    for number, (sheet, code) in enumerate(_paired(sheets, codes)):
        if not report(0.05 + 0.3 * number / len(sheets), f"Reading {sheet.name}"):
            return None
        trouble = _read(shop, cutter, camera, sheet, code, check_too)
        if trouble is None and sheet.name in doubted:
            trouble = doubted[sheet.name]
        if trouble is None:
            del aside[sheet.name]
        else:
            aside[sheet.name] = trouble
    return aside


def _paired(sheets: list[Sheet], codes: list[SeenCode]) -> list[tuple[Sheet, SeenCode]]:
    """A code on the mat for every sheet that has one there. Prints of one frame carry the same: they are taken in the
    order in which they lie."""
    pairs = []
    left = sorted(codes, key=lambda one: one.y)
    for sheet in sheets:
        plan = sheet.plate.summary.plan.to_plan()
        own = [one for one in left if any(place.code == one.code for place in plan.codes)]
        if own:
            pairs.append((sheet, own[0]))
            left = [one for one in left if not _of_one_sheet(plan, own[0], one)]
    return pairs


def _of_one_sheet(plan: FramePlan, first: SeenCode, other: SeenCode) -> bool:
    """Whether `other` lies where it should on the sheet that `first` is on."""
    places = {place.code: np.array(place.centre) for place in plan.codes}
    if first.code not in places or other.code not in places:
        return False
    turn = np.radians(first.angle_deg)
    rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    expected = rotation @ (places[other.code] - places[first.code]) + (first.x, first.y)
    return bool(np.hypot(*(expected - (other.x, other.y))) < SAME_SHEET_MM)


def _read(
    shop: Shop, cutter: CutterHere, camera: TableCamera, sheet: Sheet, code: SeenCode, check_too: bool
) -> str | None:
    """Read one sheet of the mat from its photos; why it is set aside, or None."""
    plate = sheet.plate
    try:
        plan = plate.summary.plan.to_plan()
        reading = read_marks(camera, Begun.at_code(plan, code), plan, plate.summary.marks)
        how = HowRead(code.code.payload, code.code.end, "photo", camera.looks)
        fit, note = fitted(plate, reading.marks, reading.tries, how, reading.looked_mm)
    except JobError as error:
        return error.what
    note = note.with_(end=fit.load)  # both codes lie in view: the marks say how it lies
    shop.database.within(lambda session: keep_reading(session, sheet.id, cutter.id, fit, note))
    if fit.verdict == "stop" or (fit.verdict == "check" and not check_too):
        return f"The fit says {fit.verdict}."
    return None
