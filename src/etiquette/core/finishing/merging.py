"""Finish lines that came with art and overlap: one outline round each heap of them, so that no cut goes through a
piece."""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely import Polygon

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.curve_fitting import fit_rings
from etiquette.core.geometry.polygons import inside_of, polygons_of, united

LEAST_SHARE = 1e-4
"""Of the smaller of two shapes: what they share below that is where they touch."""


def merged(lines: Sequence[FinishLine], tolerance_mm: float) -> list[FinishLine]:
    """`lines` (mm) with closed ones of one kind that cross or cover each other in part made one outline within
    `tolerance_mm`, with the holes that they leave between them; the same line twice is one. One that lies wholly inside
    another stays: it is a hole. All others stay as they are, to the last digit, in their order."""
    shapes = {number: shape for number, line in enumerate(lines) if (shape := _shape(line, tolerance_mm)) is not None}
    heaps = _heaps(lines, shapes)
    kept: list[FinishLine] = []
    for number, line in enumerate(lines):
        heap = heaps.get(number)
        if heap is None:
            kept.append(line)
        elif number == heap[0]:  # where the first of them stood
            kept += _outline(line, [shapes[one] for one in heap], tolerance_mm)
    return kept


def _shape(line: FinishLine, tolerance_mm: float) -> Polygon | None:
    """What a closed line goes round; None for one that is open, crosses itself or has no area."""
    shape = inside_of(line.path, tolerance_mm / 4)
    return shape if shape.is_valid and shape.area > 0 else None


def _heaps(lines: Sequence[FinishLine], shapes: dict[int, Polygon]) -> dict[int, list[int]]:
    """For each line that lies in a heap, the numbers of all that lie in it, the lowest first."""
    numbers = list(shapes)
    near = shapely.STRtree([shapes[number] for number in numbers]).query(
        [shapes[number] for number in numbers], predicate="intersects"
    )
    heap = {number: [number] for number in numbers}
    for one, other in ((numbers[a], numbers[b]) for a, b in near.T.tolist() if a < b):
        if lines[one].kind != lines[other].kind or heap[one] is heap[other]:
            continue
        if _overlap(shapes[one], shapes[other]):
            joined = sorted({*heap[one], *heap[other]})
            heap |= dict.fromkeys(joined, joined)
    return {number: members for number, members in heap.items() if len(members) > 1}


def _overlap(one: Polygon, other: Polygon) -> bool:
    """Whether two shapes share ground and neither lies wholly inside the other: or are the same."""
    least = min(one.area, other.area)
    if one.intersection(other).area < LEAST_SHARE * least:
        return False
    inside = one.contains_properly(other) or other.contains_properly(one)
    return not inside


def _outline(line: FinishLine, shapes: list[Polygon], tolerance_mm: float) -> list[FinishLine]:
    """One outline round `shapes`, with the kind of `line`; when all of them are the same shape, `line` itself."""
    if all(shape.equals_exact(shapes[0], 1e-3, normalize=True) for shape in shapes):
        return [line]
    whole = polygons_of(united(shapes))
    rings = [np.asarray(ring.coords)[:-1] for part in whole for ring in (part.exterior, *part.interiors)]
    return [FinishLine(line.kind, one.path) for one in fit_rings(rings, tolerance_mm / 2)]
