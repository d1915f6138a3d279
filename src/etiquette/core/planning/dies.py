"""A drawing of a die read as figures: how large its labels are, how many stand beside and behind each other, and the
gaps between them."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import pi, sqrt

import numpy as np
from shapely import Polygon, STRtree

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import rounded
from etiquette.core.planning.webs import Label

ALIKE_MM = 0.05
"""So nearly all labels of a die are of one size and one pitch; a drawing is rounded to about that."""
OFF_SHAPE_MM = 0.1
"""So far at most the outline lies from a rectangle with round corners."""


@dataclass(frozen=True)
class Die:
    """A grid of equal labels; the gaps are 0 where there is one column or one row."""

    label: Label
    columns: int
    rows: int
    gap_across_mm: float
    gap_along_mm: float


def die_of(paths: Sequence[Path], name: str) -> Die:
    """What `paths` (mm, y up) of a drawing cut; a frame round all of it is no label. Raises JobError."""
    for path in paths:
        if not path.closed:
            x, y = path.start
            where = f"{name}, {x:.1f} mm from the left, {y:.1f} mm from the bottom"
            raise JobError("A line of the die is open.", where, "Close it in the drawing: a label has no gap in it.")
    rings = [Polygon(points) for path in paths if len(points := path.flatten(0.01)) > 3]
    whole = [ring for ring in rings if ring.is_valid and ring.area > 1]
    labels = _without_frame(whole) if whole else []
    if not labels:
        raise JobError("No label was found in the drawing.", name, "Check which lines are the die: line rules, Shelf.")
    boxes = np.array([label.bounds for label in labels])
    sizes = boxes[:, 2:] - boxes[:, :2]
    width, height = np.median(sizes, axis=0)
    odd = np.abs(sizes - (width, height)).max(axis=1) > ALIKE_MM
    if odd.any():
        x, y, *_ = boxes[odd.argmax()]
        where = f"{name}, {x:.1f} mm from the left, {y:.1f} mm from the bottom"
        raise JobError("The labels of the die are not of one size.", where, "Take in one size at a time.")
    across, along = _pitch(boxes[:, 0], name, "beside"), _pitch(boxes[:, 1], name, "behind")
    if len(labels) != across[0] * along[0]:
        what = f"{len(labels)} labels make no grid of {across[0]} × {along[0]}."
        raise JobError(what, name, "Take in a die whose labels stand in straight rows and columns.")
    label = Label(round(float(width), 3), round(float(height), 3), _corner(labels[0], name))
    gaps = [round(max(0.0, pitch - size), 3) if count > 1 else 0.0
            for (count, pitch), size in ((across, float(width)), (along, float(height)))]  # fmt: skip
    return Die(label, across[0], along[0], gaps[0], gaps[1])


def _without_frame(rings: list[Polygon]) -> list[Polygon]:
    """Of rings that lie in each other, the inner ones; each place once."""
    tree = STRtree(rings)
    around = {outer for inner, outer in tree.query(rings, predicate="within").T.tolist()
              if inner != outer and not rings[inner].equals_exact(rings[outer], ALIKE_MM)}  # fmt: skip
    kept: list[Polygon] = []
    for number, ring in enumerate(rings):
        if number not in around and not any(ring.equals_exact(one, ALIKE_MM, normalize=True) for one in kept):
            kept.append(ring)
    return kept


def _pitch(starts: np.ndarray, name: str, how: str) -> tuple[int, float]:
    """How many different places there are, and the step between them. Raises JobError."""
    places = np.sort(starts)
    steps = np.diff(places)
    columns = places[np.concatenate([[True], steps > 1.0])]
    pitches = np.diff(columns)
    if len(pitches) and np.ptp(pitches) > ALIKE_MM:
        what = f"The labels {how} each other do not stand at one step: {pitches.min():.2f} to {pitches.max():.2f} mm."
        raise JobError(what, name, "Take in a die whose labels stand in straight rows and columns.")
    return len(columns), float(pitches.mean()) if len(pitches) else 0.0


def _corner(label: Polygon, name: str) -> float:
    """The radius of its corners, from what they take off its rectangle. Raises JobError for another shape."""
    x0, y0, x1, y1 = label.bounds
    off = max(0.0, (x1 - x0) * (y1 - y0) - label.area)
    corner = sqrt(off / (4 - pi))
    made = rounded(label.bounds, corner)
    if label.exterior.hausdorff_distance(made.exterior) > OFF_SHAPE_MM:
        what = "The labels of the die are no rectangles with round corners."
        raise JobError(what, name, "Other shapes are cut by their own lines: make a run of them.")
    return round(corner, 2)
