"""Lines drawn inside themselves, for machines that cut outside the line they are given."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import inside_of, offset, polygons_of

STEP_MM = 0.01
"""How closely the moved line follows."""


def inset(lines: Sequence[FinishLine], by_mm: float) -> list[FinishLine]:
    """Closed lines `by_mm` inside themselves, sharp corners kept sharp; open ones as they are. What is too small for it
    is left out."""
    if not by_mm:
        return list(lines)
    made = []
    for line in lines:
        if not line.path.closed:
            made.append(line)
            continue
        smaller = offset(inside_of(line.path, STEP_MM), -by_mm, STEP_MM, "mitre")
        made += [
            replace(line, path=Path.from_points(np.asarray(part.exterior.coords)[:-1])) for part in polygons_of(smaller)
        ]
    return made
