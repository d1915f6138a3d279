"""Layouts checked on exact geometry, by none of the means by which they were made."""

import numpy as np
from shapely import Polygon, STRtree, box

from etiquette.core.planning.problem import Layout, Problem, placed_outline

GAP_SLACK_MM = 0.01
"""No two outlines nearer than the gap less this."""
TOUCHING_MM2 = 0.01
"""Two outlines that share less than this only touch."""


def verify(problem: Problem, layout: Layout) -> list[str]:
    """Faults of `layout` on exact geometry: pieces nearer than the gap, over an edge, or in a keep-out zone."""
    pieces = {piece.id: piece for piece in problem.pieces}
    faults = []
    for sheet in {placement.sheet for placement in layout.placements}:
        here = [placement for placement in layout.placements if placement.sheet == sheet]
        outlines = [placed_outline(pieces[p.id], p) for p in here]
        if not problem.use_holes:
            outlines = [Polygon(outline.exterior) for outline in outlines]
        top = problem.length_mm - problem.edge_mm if problem.length_mm is not None else np.inf
        area = box(problem.edge_mm, problem.edge_mm, problem.width_mm - problem.edge_mm, 1e9 if top == np.inf else top)
        slack = area.buffer(0.001, join_style="mitre")
        for placement, outline in zip(here, outlines, strict=True):
            if not slack.contains(outline):
                faults.append(f"{placement.id} copy {placement.copy} lies over an edge")
            faults += [
                f"{placement.id} copy {placement.copy} lies in a keep-out"
                for zone in problem.keep_out
                if zone.distance(outline) == 0 and zone.intersection(outline).area > 1e-6
            ]
        tree = STRtree(outlines)
        least = max(problem.gap_mm - GAP_SLACK_MM, 0.0)
        near = tree.query(outlines, predicate="dwithin", distance=least)
        for first, second in near.T:
            # with a gap inside the slack neighbours may touch, but not lie on each other
            may_touch = least == 0 and outlines[first].intersection(outlines[second]).area < TOUCHING_MM2
            if first < second and not may_touch:
                faults.append(
                    f"{here[first].id} copy {here[first].copy} is too near {here[second].id} copy {here[second].copy}"
                )
    return faults
