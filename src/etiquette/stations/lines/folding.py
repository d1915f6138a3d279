"""Folded work: the panels of a design, what becomes of them when they are folded, and flat forms for goods."""

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.cutting.drawings import drawing
from etiquette.core.errors import JobError
from etiquette.core.folding.folded import collisions, folded, on_each_other
from etiquette.core.folding.forms import Form, Goods, form_of
from etiquette.core.folding.panels import FlatWork, flat_work
from etiquette.core.geometry.pens import SvgPen
from etiquette.stations.designs import DesignState, lines_of, state_of
from etiquette.stations.lines import taking_in
from etiquette.stations.lines.folding_schemas import (
    FoldFinding,
    FoldShown,
    FormAsked,
    FormLine,
    FormMade,
    FormShown,
    HingeShown,
)
from etiquette.stations.printed_ink import INKED_SHARE, ink_of, ink_share, inked
from etiquette.stations.shop import Shop

USUAL_DEG = 90.0
"""A crease that nobody said anything of is folded square, away from the printed side."""
SAME_MM = 1.0
"""So near to its middle a crease is the one that was said something of."""


def fold_shown(shop: Shop, session: Session, design_id: int) -> FoldShown:
    """Raises NotThere."""
    state = state_of(session, design_id)
    width, height, file = state.document.width_mm or 0.0, state.height_mm or 0.0, lines_of(shop, state)
    empty = FoldShown(
        width_mm=width, height_mm=height, panels=[], holes=[], hinges=[], stays=0, findings=[], trouble=None
    )
    if file is None or not width:
        return empty.model_copy(update={"trouble": "Its lines are not found yet. Open it in Lines first."})
    try:
        flat = flat_work(file.lines)
    except JobError as error:
        return empty.model_copy(update={"trouble": f"{error.what} {error.do}"})
    angles = [_angle(state, hinge.middle) for hinge in flat.hinges]
    return empty.model_copy(
        update={
            "panels": [_ring(panel.exterior.coords) for panel in flat.panels],
            "holes": [[_ring(hole.coords) for hole in panel.interiors] for panel in flat.panels],
            "hinges": [
                HingeShown(first=one.first, second=one.second, start=one.start, end=one.end, degrees=degrees)
                for one, degrees in zip(flat.hinges, angles, strict=True)
            ],
            "stays": flat.largest,
            "findings": _findings(shop, state, flat, angles),
        }
    )


def _angle(state: DesignState, middle: tuple[float, float]) -> float:
    near = [one for one in state.document.folds if np.hypot(one.x_mm - middle[0], one.y_mm - middle[1]) < SAME_MM]
    return near[0].degrees if near else USUAL_DEG


def _ring(coords: object) -> list[tuple[float, float]]:
    return [(round(float(x), 3), round(float(y), 3)) for x, y in np.asarray(coords)[:-1]]


def _findings(shop: Shop, state: DesignState, flat: FlatWork, angles: list[float]) -> list[FoldFinding]:
    """What is wrong with it once it is folded as `angles` say, the worst first."""
    made = folded(flat, angles)
    found = [
        FoldFinding(tone="stop", words=f"Panels {first + 1} and {second + 1} go through each other.", x=x, y=y)
        for first, second, (x, y) in collisions(flat, made)
    ]
    for number, apart in made.apart_mm.items():
        if apart > SAME_MM:
            x, y = flat.hinges[number].middle
            found.append(FoldFinding(tone="stop", words=f"The card would tear here: {apart:.1f} mm apart.", x=x, y=y))
    found += [FoldFinding(tone="look", words="This crease is not straight: card does not fold there.", x=x, y=y)
              for x, y in flat.curved]  # fmt: skip
    found += [FoldFinding(tone="look", words="This crease parts nothing.", x=x, y=y) for x, y in flat.loose]
    ink = ink_of(shop, state)
    for one in on_each_other(flat, made):
        for panel in one.hidden:
            part = one.covered[panel]
            if ink_share(ink, part, state) > INKED_SHARE:
                other = one.second if panel == one.first else one.first
                words = (
                    f"Panel {panel + 1} lies inside panel {other + 1} and carries ink there: glue does not hold on it."
                )
                found.append(FoldFinding(tone="look", words=words, x=part.centroid.x, y=part.centroid.y))
    words = "Ink lies on this crease: ink that cannot bend cracks there."
    found += [FoldFinding(tone="note", words=words, x=x, y=y) for x, y in inked(flat, ink, state)]
    return found


def _form(asked: FormAsked) -> Form:
    goods = Goods(asked.width_mm, asked.depth_mm, asked.height_mm)
    return form_of(asked.kind, goods, asked.thickness_mm, asked.glue_mm, asked.hole_mm)


def form_shown(asked: FormAsked) -> FormShown:
    """A flat form as it would be drawn, or why it cannot be."""
    try:
        form = _form(asked)
    except JobError as error:
        words = f"{error.what} {error.do}"
        return FormShown(width_mm=0.0, height_mm=0.0, lines=[], area_mm2=0.0, trouble=words)
    _, _, width, height = form.outline.bounds
    lines = []
    for line in form.lines():
        pen = SvgPen(height)
        line.path.draw(pen)
        lines.append(FormLine(kind=line.kind, d=pen.data))
    area = form.outline.area - sum(hole.area for hole in form.holes)
    return FormShown(width_mm=width, height_mm=height, lines=lines, area_mm2=area, trouble=None)


def make_form(shop: Shop, asked: FormMade) -> int:
    """A design of a flat form, its lines found in its drawing like in any other. Raises JobError."""
    form = _form(asked)
    size = (float(form.outline.bounds[2]), float(form.outline.bounds[3]))
    content = drawing(form.lines(), size, "svg")
    (design,) = taking_in.take_in(shop, content, f"{asked.name}.svg", asked.job_id, {"name": asked.name})
    return design
