"""A test shape beside the work: how the tool that comes next cuts is seen before it cuts a piece."""

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.instructions import Pacer
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.marking.proofs import free_place
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.stations.bench.cut_progress import motion_cards
from etiquette.stations.bench.cut_watch import Watch
from etiquette.stations.bench.schemas import SheetCut
from etiquette.stations.machines import CutterHere
from etiquette.stations.sheet_log import noted
from etiquette.stations.shop import Shop
from etiquette.stations.tools import as_told
from etiquette.store.models import Plate, Sheet
from etiquette.tasks.task import Outcome, Report

SHAPE_MM = (8.0, 4.0)
"""Two squares, one in the other: what is right lifts singly (sizes of our own)."""


def cut_shape(
    shop: Shop, sheet: Sheet, cutter: CutterHere, kind: Kind, progress: ProgressDocument, report: Report
) -> Outcome[SheetCut]:
    """Cut a test shape with the tool of `kind` into what is free beside the work of a sheet whose marks are read.
    Raises JobError."""
    assert sheet.reading is not None
    lines = shape_lines(sheet.plate, progress.shapes, kind)
    if not lines:
        raise JobError(
            "There is no more room beside the work for a test shape.", sheet.name, "Cut one piece first instead."
        )
    cards = motion_cards(shop, sheet.plate, cutter)
    if cutter.setting.wants(tool := cards[kind].tool):
        _keep(shop, sheet.id, progress.with_(waits_for=tool))
        return Outcome(SheetCut(sheet_id=sheet.id, state="tool", waits_for=tool))
    profile = cutter.setting.profile
    motion = plan_motion(lines, profile, cards, sheet.reading.fit.transform.to_transform())
    # counted before it is cut: whatever happens, the next one lies elsewhere
    _keep(shop, sheet.id, progress.with_(waits_for="", shapes=progress.shapes + 1))
    report(0.3, "Cutting a test shape")
    with cutter.line(shop) as line:
        line.refuse_other_scale()
        head = cutter.head(line) if cutter.eye else None
        Watch(sheet.plate.summary.marks, sheet.reading, cutter).refuse_other_sheet(head)
        told = as_told(motion.strokes, cutter.setting, cards)
        line.run(Pacer(profile.unit_mm, profile.travel_mm_s).split(told), lambda *_: True)
    words = f"{sheet.name}: a test shape was cut with the {cards[kind].tool or 'tool in the holder'}."
    made = SheetCut(sheet_id=sheet.id, state="shape")
    return Outcome(made, lambda session: noted(session, sheet.id, "good", words))


def shape_lines(plate: Plate, number: int, kind: Kind) -> list[FinishLine]:
    """The lines of a test shape by its number from 0, where it lies in the plan; none where there is no more room."""
    place = free_place(plate.summary.plan.to_plan(), plate.summary.marks, SHAPE_MM[0], number)
    return [FinishLine(kind, _square(place, side)) for side in SHAPE_MM] if place else []


def _square(middle: tuple[float, float], side: float) -> Path:
    corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * side / 2 + middle
    return Path.from_points(corners)


def _keep(shop: Shop, sheet_id: int, progress: ProgressDocument) -> None:
    def keep(session: Session) -> None:
        shop.check_hold(session)
        session.get_one(Sheet, sheet_id).progress = progress

    shop.database.within(keep)
