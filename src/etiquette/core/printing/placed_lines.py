"""The finish lines of a whole frame: those of every design wherever it lies."""

from collections.abc import Mapping, Sequence

import numpy as np

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Points
from etiquette.core.planning.problem import Placement


def placed_lines(own: Mapping[str, Sequence[FinishLine]], placements: Sequence[Placement]) -> list[FinishLine]:
    """`own` lines of each design, turned about its origin and moved to every placement; each placement is a piece."""
    placed = []
    for number, placement in enumerate(placements, 1):
        turn = np.radians(placement.rotation_deg)
        rotation = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        shift = np.array([placement.x_mm, placement.y_mm])

        def moved(points: Points, rotation: Points = rotation, shift: Points = shift) -> Points:
            return np.asarray(points @ rotation + shift)

        placed += [FinishLine(line.kind, line.path.mapped(moved), number) for line in own[placement.id]]
    return placed
