"""Marks taken by hand, on a cutter that has no eye: hands lead the head to each, at its panel or on the screen, and say
that it stands there; where that is the machine says itself."""

from collections.abc import Mapping, Sequence

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.aligning.fitting import ReadMark
from etiquette.core.aligning.models import estimate
from etiquette.core.aligning.reading import reading_order
from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.files.documents.sheets import PointedDocument, PointedMark
from etiquette.stations.bench.mark_reading import HAND_NOISE_MM, HowRead, fitted, keep_reading
from etiquette.stations.machines import CutterHere, cutter_of_sheet
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Sheet

LEAST_MARKS = 3
"""From so many on there is a fit; two cannot tell a turned sheet from a stretched one."""
Place = tuple[float, float]


def lead(shop: Shop, sheet_id: int, x: float, y: float) -> Place:
    """Bring the head to a place and say where it stands then. Raises JobError."""
    cutter = shop.database.within(lambda session: _refuse_not_lying(session, sheet_id))
    with shop.by_hand(cutter, "its head is led to a mark") as held, cutter.line(held) as line:
        line.lead(*cutter.to_machine(x, y))
        at = line.position()
    return cutter.from_machine(at.x, at.y)


def stands_at(shop: Shop, sheet_id: int) -> Place:
    """Where hands have led the head to at the machine itself. Raises JobError when the machine does not say."""
    cutter = shop.database.within(lambda session: _refuse_not_lying(session, sheet_id))
    if cutter.confirm != "oa":
        raise JobError(
            f"{cutter.name} does not say where its head is.",
            cutter.name,
            "Type the place that its panel shows, or take a photo of the sheet.",
        )
    with shop.by_hand(cutter, "it is asked where its head is") as held, cutter.line(held) as line:
        at = line.position()
    return cutter.from_machine(at.x, at.y)


def take(shop: Shop, sheet_id: int, mark_id: str, place: Place | None) -> None:
    """The head stands at a mark, or the mark lies at `place`: keep it, and fit when there are enough. Raises NotThere,
    JobError."""
    at = place or stands_at(shop, sheet_id)

    def keep(session: Session) -> tuple[Sheet, Plate]:
        _refuse_not_lying(session, sheet_id)  # a place that is typed asks no machine
        sheet = session.get_one(Sheet, sheet_id, with_for_update=True)
        if all(mark.id != mark_id for mark in sheet.plate.summary.plan.marks):
            raise NotThere("There is no such mark on this sheet.", mark_id, "Choose one of its marks.")
        held = sheet.pointed or PointedDocument()
        others = tuple(one for one in held.marks if one.id != mark_id)
        sheet.pointed = held.with_(marks=(*others, PointedMark(id=mark_id, x=at[0], y=at[1])))
        return sheet, sheet.plate

    sheet, plate = shop.database.within(keep)
    pointed = sheet.pointed
    assert pointed is not None
    if len(pointed.marks) < LEAST_MARKS:
        return
    plan = plate.summary.plan.to_plan()
    taken = {one.id: (one.x, one.y) for one in pointed.marks}
    marks = [ReadMark(one.id, (one.x, one.y), taken.get(one.id), HAND_NOISE_MM) for one in plan.marks]
    code = next((one.code.payload for one in plan.codes if one.code.end == pointed.end), "")
    how = HowRead(code, pointed.end, "hand", len(taken))
    try:
        fit, note = fitted(plate, marks, dict.fromkeys((one.id for one in marks), 1), how, {})
    except JobError:
        if len(taken) == len(marks):
            raise
        return  # so far they stand on one line: the next ones tell more
    note = note.with_(end=fit.load)  # the marks say how it lies
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, sheet_id))
    shop.database.within(lambda session: keep_reading(session, sheet_id, cutter.id, fit, note))


def next_mark(sheet: Sheet) -> tuple[str, Place] | None:
    """The mark that is to be taken next, and where the head should find it; None when all are taken."""
    plan = sheet.plate.summary.plan.to_plan()
    pointed = sheet.pointed or PointedDocument()
    taken = {one.id: (one.x, one.y) for one in pointed.marks}
    order = reading_order(plan.marks, plan.codes[0].centre if plan.codes else (0.0, 0.0))
    left = [mark for mark in order if mark.id not in taken]
    if not left:
        return None
    return left[0].id, _guess(plan, taken, pointed.end == "tail", (left[0].x, left[0].y))


def _guess(plan: FramePlan, taken: Mapping[str, Place], turned: bool, nominal: Place) -> Place:
    """Where a mark lies by what is known: at first as the sheet was laid against the loading line, then from the marks
    that were taken."""
    planned = {mark.id: (mark.x, mark.y) for mark in plan.marks}
    if len(taken) >= 2:
        there, measured = (np.array([by[one] for one in taken]) for by in (planned, taken))
        x, y = estimate("similarity", there, measured)(np.array([nominal]))[0]
        return float(x), float(y)
    laid = _laid(plan, turned, [nominal, *(planned[one] for one in taken)])
    offset = np.array(next(iter(taken.values()))) - laid[1] if taken else np.zeros(2)
    x, y = laid[0] + offset
    return float(x), float(y)


def _laid(plan: FramePlan, turned: bool, places: Sequence[Place]) -> np.ndarray:
    points = np.array(places, dtype=float)
    return np.array([plan.width_mm, plan.length_mm]) - points if turned else points


def _refuse_not_lying(session: Session, sheet_id: int) -> CutterHere:
    sheet = sheet_there(session, sheet_id)
    if sheet.state not in ("loaded", "read"):
        raise JobError("This sheet does not lie on a cutter.", sheet.name, "Say that it is loaded first.")
    return cutter_of_sheet(session, sheet_id)
