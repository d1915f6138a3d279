"""Pieces moved by hand: what lies too near what, and the nearest place where a piece may lie."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon, STRtree, affinity

from etiquette.core.planning.problem import Placement, Problem, placed_outline
from etiquette.core.planning.verifying import GAP_SLACK_MM

STEP_MM = 0.5
"""Distance between the rings on which a place is looked for."""
FARTHEST_MM = 150.0
WAYS = 48
FINE_MM = 0.005

Shift = NDArray[np.float64]


class Others:
    """Everything on a frame but the pieces in hand: says whether an outline may lie somewhere."""

    def __init__(self, problem: Problem, placements: Sequence[Placement], hands: Sequence[Placement]) -> None:
        pieces = {piece.id: piece for piece in problem.pieces}
        held = {(hand.id, hand.copy) for hand in hands}
        self._gap = problem.gap_mm
        self._outlines = [
            placed_outline(pieces[one.id], one)
            for one in placements
            if one.sheet == hands[0].sheet and (one.id, one.copy) not in held
        ]
        self._tree = STRtree(self._outlines)
        top = problem.length_mm - problem.edge_mm if problem.length_mm is not None else np.inf
        self.area = (problem.edge_mm, problem.edge_mm, problem.width_mm - problem.edge_mm, top)
        self._zones = shapely.union_all(list(problem.keep_out)) if problem.keep_out else None

    def in_the_way(self, outline: Polygon) -> bool:
        """Whether `outline` lies outside the area, in a keep-out, or nearer to another piece than the gap."""
        left, low, right, top = outline.bounds
        slack = 1e-4
        if (
            left < self.area[0] - slack
            or low < self.area[1] - slack
            or right > self.area[2] + slack
            or top > self.area[3] + slack
        ):
            return True
        if self._zones is not None and self._zones.intersection(outline).area > 1e-6:
            return True
        # half the slack that the check of layouts allows: rounding must not use it up
        least = max(self._gap - GAP_SLACK_MM / 2, 0.0)
        if least > 0:
            return bool(len(self._tree.query(outline, predicate="dwithin", distance=least)))
        return any(self._outlines[n].intersection(outline).area > 1e-6 for n in self._tree.query(outline))


def nearest_place(
    problem: Problem, placements: Sequence[Placement], hands: Sequence[Placement]
) -> list[Placement] | None:
    """`hands`, pieces of one frame that are held together, where they are, if they may lie there; else all moved to the
    nearest place found where they may, as near as FINE_MM; None when there is none within FARTHEST_MM."""
    pieces = {piece.id: piece for piece in problem.pieces}
    others = Others(problem, placements, hands)
    outlines = [placed_outline(pieces[hand.id], hand) for hand in hands]

    def blocked(shift: Shift) -> bool:
        return any(others.in_the_way(affinity.translate(outline, *shift)) for outline in outlines)

    start = _inside(outlines, others.area)
    if not blocked(start):
        return _moved(hands, start)
    angles = np.arange(WAYS) * 2 * np.pi / WAYS
    ways = np.column_stack([np.cos(angles), np.sin(angles)])
    for radius in np.arange(STEP_MM, FARTHEST_MM, STEP_MM):
        free = [start + way * radius for way in ways if not blocked(start + way * radius)]
        if free:
            near = [_drawn_back(start, shift, blocked) for shift in free]
            return _moved(hands, min(near, key=lambda at: float(np.hypot(*(at - start)))))
    return None


def _inside(outlines: Sequence[Polygon], area: tuple[float, float, float, float]) -> Shift:
    """The least shift that brings all outlines into `area`."""
    bounds = np.array([outline.bounds for outline in outlines])
    low, high = bounds[:, :2].min(axis=0), bounds[:, 2:].max(axis=0)
    shift: Shift = np.maximum(np.array(area[:2]) - low, 0.0) + np.minimum(np.array(area[2:]) - high, 0.0)
    return shift


def _drawn_back(start: Shift, free: Shift, blocked: Callable[[Shift], bool]) -> Shift:
    """As near to `start` on the way from `free` as is still free."""
    low, high = 0.0, 1.0
    while (high - low) * float(np.hypot(*(free - start))) > FINE_MM:
        middle = (low + high) / 2
        if blocked(start + (free - start) * middle):
            low = middle
        else:
            high = middle
    return start + (free - start) * high


def _moved(hands: Sequence[Placement], shift: Shift) -> list[Placement]:
    dx, dy = (float(way) for way in shift)
    return [replace(hand, x_mm=round(hand.x_mm + dx, 4), y_mm=round(hand.y_mm + dy, 4)) for hand in hands]


def turned_in_place(problem: Problem, hand: Placement, degrees: float) -> Placement:
    """`hand` turned counter-clockwise about the middle of the box round it."""
    piece = next(piece for piece in problem.pieces if piece.id == hand.id)
    turned = replace(hand, rotation_deg=(hand.rotation_deg + degrees) % 360)
    (x0, y0, x1, y1), (u0, v0, u1, v1) = (placed_outline(piece, one).bounds for one in (hand, turned))
    return replace(turned, x_mm=hand.x_mm + (x0 + x1 - u0 - u1) / 2, y_mm=hand.y_mm + (y0 + y1 - v0 - v1) / 2)
