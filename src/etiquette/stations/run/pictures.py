"""Small pictures drawn by the server: a run as it lies on the roll."""

from collections.abc import Sequence

import numpy as np

from etiquette.core.geometry.pens import figure
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.planning.problem import placed_outline
from etiquette.stations import runs
from etiquette.stations.shop import Shop

COLOURS = ("#E2B256", "#8CA6C8", "#C23F5A", "#80B060", "#D27E5E", "#A98BB5", "#5C8E4A", "#C6A04C")


def run_thumb(shop: Shop, state: runs.RunState) -> str:
    """SVG of the layout, turned a quarter clockwise: the leading edge on the left, x = 0 on top. White stock without
    pieces while there is no layout."""
    layout = state.document.layout
    shifts, length = frame_shifts(state.plans)
    if not state.plans:
        length = layout.length_mm if layout else state.stock.width_mm * 0.6
    parts = [
        f'<rect width="{figure(length)}" height="{figure(state.stock.width_mm)}" fill="#fff" stroke="#C9C8BE" '
        'stroke-width="4"/>'
    ]
    if layout and state.plans:
        pieces = runs.pieces_of(shop, state.document, state.designs)
        colours = {name: COLOURS[number % len(COLOURS)] for number, name in enumerate(pieces)}
        for placement in layout.to_placements():
            ring = (
                np.asarray(placed_outline(pieces[placement.id], placement).simplify(0.5).exterior.coords)
                + shifts[placement.sheet]
            )
            points = " ".join(f"{figure(y, 1)},{figure(x, 1)}" for x, y in ring)
            parts.append(f'<polygon points="{points}" fill="{colours[placement.id]}"/>')
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {figure(length)} '
        f'{figure(state.stock.width_mm)}">{"".join(parts)}</svg>'
    )


def frame_shifts(plans: Sequence[FramePlan]) -> tuple[list[tuple[float, float]], float]:
    """By how much the placements of each frame move to lie on the roll, the frames one after the other, blanks on their
    beds, and how long all of them are."""
    shifts, end, bed, bed_start = [], 0.0, 0, 0.0
    for plan in plans:
        dx, dy = plan.shift
        if plan.lies:
            if plan.lies.bed != bed:
                bed, bed_start = plan.lies.bed, end
            shifts.append((dx + plan.lies.x_mm, dy + plan.lies.y_mm + bed_start))
            end = bed_start + plan.lies.length_mm
        else:
            shifts.append((dx, dy + end))
            end += plan.length_mm
    return shifts, end
