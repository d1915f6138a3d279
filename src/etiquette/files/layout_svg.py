"""A picture of a layout as SVG, leading edge at the bottom."""

import numpy as np

from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen, figure
from etiquette.core.planning.problem import Layout, Problem, placed_outline

BETWEEN_SHEETS_MM = 20.0


def layout_picture(problem: Problem, layout: Layout) -> str:
    """SVG of a layout at real size, its sheets side by side, for people."""
    pieces = {piece.id: piece for piece in problem.pieces}
    sheets = 1 + max((placement.sheet for placement in layout.placements), default=0)
    length = problem.length_mm or layout.length_mm
    parts = []
    for sheet in range(sheets):
        left = sheet * (problem.width_mm + BETWEEN_SHEETS_MM)
        parts.append(
            f'<rect x="{figure(left)}" y="0" width="{figure(problem.width_mm)}" height="{figure(length)}" '
            'fill="#fbfaf6" stroke="#c9c8be"/>'
        )
        for placement in (p for p in layout.placements if p.sheet == sheet):
            pen = SvgPen(length)
            ring = np.asarray(placed_outline(pieces[placement.id], placement).exterior.coords) + (left, 0)
            Path.from_points(ring).draw(pen)
            parts.append(
                f'<path d="{pen.data}" fill="#b98a54" fill-opacity="0.5" stroke="#20262b" stroke-width="0.3"/>'
            )
    width = sheets * problem.width_mm + (sheets - 1) * BETWEEN_SHEETS_MM
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {figure(width)} {figure(length)}">\n'
        + "\n".join(parts)
        + "\n</svg>\n"
    )
