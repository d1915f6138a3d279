"""A drawing of a die read as figures: how large its labels are, how many stand beside and behind each other, and the
gaps between them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import LinearRing, Polygon, STRtree
from shapely.affinity import translate

from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.more_lines import joined
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import inside_of
from etiquette.core.planning.web_shapes import OFF_SHAPE_MM, label_like
from etiquette.core.planning.webs import Label

ALIKE_MM = 0.05
"""So nearly all labels of a die are of one size and one pitch; a drawing is rounded to about that."""
FLAT_MM = 0.002
"""So near curves are followed."""
SPECK_MM2 = 1.0
"""A ring smaller than this is no label."""


@dataclass(frozen=True)
class Die:
    """A grid of equal labels; the gaps are 0 where there is one column or one row."""

    label: Label
    columns: int
    rows: int
    gap_across_mm: float
    gap_along_mm: float


def die_of(paths: Sequence[Path], name: str) -> Die:
    """What `paths` (mm, y up) of a drawing cut, single strokes joined where their ends meet; a frame round all of it is
    no label. Raises JobError."""
    rings = [_closed(line.path, name) for line in joined([FinishLine("kiss", path) for path in paths])]
    rings = [ring for ring in rings if ring.area > SPECK_MM2]
    if not rings:
        raise JobError("No label was found in the drawing.", name, "Check which lines are the die: line rules, Shelf.")
    labels = _labels(rings, name)
    boxes = np.array([label.bounds for label in labels])
    sizes = boxes[:, 2:] - boxes[:, :2]
    width, height = np.median(sizes, axis=0)
    odd = np.abs(sizes - (width, height)).max(axis=1) > ALIKE_MM
    if odd.any():
        what = f"The labels of the die are not of one size: look {_at(*boxes[odd.argmax(), :2])}."
        raise JobError(what, name, "Take in one size at a time.")
    for label in labels[1:]:
        if _moved(label, boxes[0, :2]).hausdorff_distance(labels[0].exterior) > 2 * OFF_SHAPE_MM:
            what = f"The labels of the die are not of one shape: look {_at(*label.bounds[:2])}."
            raise JobError(what, name, "Take in labels of one shape, all turned alike.")
    across, along = _pitch(boxes[:, 0], name, "beside"), _pitch(boxes[:, 1], name, "behind")
    if len(labels) != across[0] * along[0]:
        what = f"{len(labels)} labels make no grid of {across[0]} × {along[0]}."
        raise JobError(what, name, "Take in a die whose labels stand in straight rows and columns.")
    gaps = [_gap(across, float(width), name, "beside"), _gap(along, float(height), name, "behind")]
    return Die(label_like(labels[0]), across[0], along[0], *gaps)


def _at(x: float, y: float) -> str:
    return f"{x:.1f} mm from the left and {y:.1f} mm from the bottom"


def _closed(path: Path, name: str) -> Polygon:
    """What a path goes round. Raises JobError."""
    at = _at(*path.start)
    if not path.closed:
        what = f"A line of the die is open, {at}."
        raise JobError(what, name, "Close it in the drawing: a label has no gap in it.")
    ring = inside_of(path, FLAT_MM)
    if not ring.is_valid:
        raise JobError(f"A line of the die crosses itself, {at}.", name, "Mend it in the drawing.")
    return ring


def _labels(rings: list[Polygon], name: str) -> list[Polygon]:
    """Each place once, without a frame round all the others. Raises JobError for a line within a label."""
    kept: list[Polygon] = []
    for ring in rings:
        if not any(ring.equals_exact(one, ALIKE_MM, normalize=True) for one in kept):
            kept.append(ring)
    kept.sort(key=lambda ring: -ring.area)
    while len(kept) > 1 and all(kept[0].covers(ring) for ring in kept[1:]):
        del kept[0]
    for inner, outer in STRtree(kept).query(kept, predicate="within").T.tolist():
        if inner != outer:
            what = f"A line lies within a label of the die, {_at(*kept[inner].bounds[:2])}."
            do = "Take in the outlines of the labels alone: holes and slits on a layer that is no die."
            raise JobError(what, name, do)
    return kept


def _moved(label: Polygon, corner: np.ndarray) -> LinearRing:
    """The outline of a label with the lower left of its box at `corner`."""
    return translate(label.exterior, *(corner - label.bounds[:2]))


def _gap(standing: tuple[int, float], size: float, name: str, how: str) -> float:
    """Between the boxes of labels; 0 where there is but one. Raises JobError when they overlap."""
    count, pitch = standing
    if count > 1 and pitch < size - ALIKE_MM:
        what = f"The labels {how} each other reach {size - pitch:.2f} mm into each other's box."
        raise JobError(what, name, "Cut them as a run: a web has labels in boxes of their own.")
    return round(max(0.0, pitch - size), 3) if count > 1 else 0.0


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
