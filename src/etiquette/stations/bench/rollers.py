"""Where the rollers of a cutter press on a sheet that lies on it, and what they run over."""

from collections.abc import Callable
from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.cutting.media import Rollers, Span, rolled_over
from etiquette.core.geometry.paths import Points
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.stations.bench.schemas import RollerShown
from etiquette.stations.machines import CutterHere
from etiquette.store.models import Laminator, Run, Sheet

FILM_EDGE_MM = 1.0
"""So far to both sides of its edge a film may lie, because hands lay it on."""
End = Literal["head", "tail"]


def rollers_shown(session: Session, sheet: Sheet, cutter: CutterHere) -> dict[End, list[RollerShown]]:
    """The rollers on a sheet for each end that may go in first: as it was read, else as it is laid, its edge where the
    machine begins to count."""
    rollers = cutter.setting.rollers
    if rollers is None:
        return {}
    plan = sheet.plate.summary.plan.to_plan()
    kept_off = _kept_off(session, sheet, plan)
    return {end: _on(rollers, sheet, plan, kept_off, end) for end in ("head", "tail")}


def _kept_off(session: Session, sheet: Sheet, plan: FramePlan) -> dict[str, Points]:
    """What no roller may run over, each by the corners of its box in the plan."""
    half = sheet.plate.summary.marks.size_mm / 2
    boxes = {f"mark {mark.id}": (mark.x - half, mark.y - half, mark.x + half, mark.y + half) for mark in plan.marks}
    for place in plan.codes:
        width, height = place.size
        boxes[f"the code at the {place.code.end}"] = (place.x, place.y, place.x + width, place.y + height)
    film = session.get(Laminator, session.get_one(Run, sheet.plate.run_id).document.laminator_id or 0)
    if sheet.film and film is not None and film.film_width_mm < plan.width_mm:
        for name, x in (
            ("an edge of the film", (plan.width_mm - film.film_width_mm) / 2),
            ("the other edge of the film", (plan.width_mm + film.film_width_mm) / 2),
        ):
            boxes[name] = (x - FILM_EDGE_MM, 0.0, x + FILM_EDGE_MM, plan.length_mm)
    return {name: np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]) for name, (x0, y0, x1, y1) in boxes.items()}


def _on(rollers: Rollers, sheet: Sheet, plan: FramePlan, kept_off: dict[str, Points], end: End) -> list[RollerShown]:
    lies = _lies(sheet, plan, end)

    def span(points: Points) -> Span:
        across = lies(points)[:, 0]
        return float(across.min()), float(across.max())

    # the two sides of the stock at the middle of its length: between them a place of the machine is one of the plan
    sides = lies(np.array([(0.0, plan.length_mm / 2), (plan.width_mm, plan.length_mm / 2)]))[:, 0]

    def in_plan(across: float) -> float:
        return float((across - sides[0]) / (sides[1] - sides[0]) * plan.width_mm)

    stock = (float(sides.min()), float(sides.max()))
    found = {
        one.number: one for one in rolled_over(rollers, {name: span(box) for name, box in kept_off.items()}, stock)
    }
    shown = []
    for number, place in enumerate(rollers.places_mm):
        low, high = sorted(in_plan(across) for across in rollers.strip(place))
        over = found.get(number)
        shown.append(
            RollerShown(
                at_mm=place,
                strip=(round(max(low, 0.0), 2), round(min(high, plan.width_mm), 2)),
                over=list(over.names) if over else [],
                better_mm=round(over.better_mm, 1) if over and over.better_mm is not None else None,
            )
        )
    return [one for one in shown if one.strip[0] < one.strip[1]]


def _lies(sheet: Sheet, plan: FramePlan, end: End) -> Callable[[Points], Points]:
    if sheet.reading is not None and sheet.reading.end == end:
        return sheet.reading.fit.transform.to_transform()
    if end == "head":
        return lambda points: points
    return lambda points: np.array([plan.width_mm, plan.length_mm]) - points
