"""Small pictures drawn by the server: a run as it lies on the roll."""

import numpy as np

from etiquette.core.geometry.pens import figure
from etiquette.core.planning.problem import placed_outline
from etiquette.stations import runs
from etiquette.stations.shop import Shop

COLOURS = ("#E2B256", "#8CA6C8", "#C23F5A", "#80B060", "#D27E5E", "#A98BB5", "#5C8E4A", "#C6A04C")


def run_thumb(shop: Shop, state: runs.RunState) -> str:
    """SVG of the layout, turned a quarter clockwise: the leading edge on the left, x = 0 on top. White stock without
    pieces while there is no layout."""
    layout = state.document.layout
    if state.plan:
        length, (dx, dy) = state.plan.length_mm, state.plan.shift
    else:
        length, dx, dy = (layout.length_mm if layout else state.stock.width_mm * 0.6), 0.0, 0.0
    parts = [
        f'<rect width="{figure(length)}" height="{figure(state.stock.width_mm)}" fill="#fff" stroke="#C9C8BE" stroke-width="4"/>'
    ]
    if layout and state.fresh:
        pieces = runs.pieces_of(shop, state.document, state.designs)
        colours = {name: COLOURS[number % len(COLOURS)] for number, name in enumerate(pieces)}
        for placement in layout.to_placements():
            ring = np.asarray(placed_outline(pieces[placement.id], placement).simplify(0.5).exterior.coords) + (dx, dy)
            points = " ".join(f"{figure(y, 1)},{figure(x, 1)}" for x, y in ring)
            parts.append(f'<polygon points="{points}" fill="{colours[placement.id]}"/>')
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {figure(length)} {figure(state.stock.width_mm)}">{"".join(parts)}</svg>'
