"""Help for weeding: a box round the work and cross lines, so that the waste lifts in strips. No line comes nearer to a
piece than asked."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, Polygon, STRtree

SHORTEST_MM = 3.0
"""A shorter cut between two pieces frees nothing."""
TRIES = 41
WANDER = 0.3
"""A cross line may lie so much of a strip nearer or farther than evenly, where it is interrupted less."""
Ways = Literal["none", "across", "along", "both"]
Stroke = NDArray[np.float64]


@dataclass(frozen=True)
class WeedWish:
    """`margin_mm` lies between the work and the box; cross lines stand about `strip_mm` apart and keep `clear_mm` from
    every piece."""

    box: bool = True
    margin_mm: float = 2.0
    lines: Ways = "across"
    strip_mm: float = 150.0
    clear_mm: float = 1.0


def weed_box(outlines: Sequence[Polygon], wish: WeedWish) -> Polygon:
    """The box round all outlines."""
    left, low, right, high = shapely.total_bounds(np.array(outlines, dtype=object))
    margin = wish.margin_mm
    return shapely.box(left - margin, low - margin, right + margin, high + margin)


def cross_lines(outlines: Sequence[Polygon], wish: WeedWish) -> list[Stroke]:
    """Straight strokes, n x 2 points each, inside the box round the work; each lies where pieces interrupt it least."""
    frame = weed_box(outlines, wish)
    grown = shapely.buffer(np.array(outlines, dtype=object), wish.clear_mm)
    tree = STRtree(grown)
    x0, y0, x1, y1 = frame.bounds
    strokes: list[Stroke] = []
    if wish.lines in ("across", "both"):
        strokes += _best(tree, [[LineString([(x0, y), (x1, y)]) for y in places] for places in _places(y0, y1, wish)])
    if wish.lines in ("along", "both"):
        strokes += _best(tree, [[LineString([(x, y0), (x, y1)]) for x in places] for places in _places(x0, x1, wish)])
    return strokes


def _places(low: float, high: float, wish: WeedWish) -> Iterable[NDArray[np.float64]]:
    """For every cross line the places it may take, the even one first."""
    strips = max(1, round((high - low) / wish.strip_mm))
    strip = (high - low) / strips
    wander = np.linspace(-WANDER, WANDER, TRIES) * strip
    wander = wander[np.argsort(np.abs(wander), kind="stable")]
    return [low + number * strip + wander for number in range(1, strips)]


def _best(tree: STRtree, choices: Iterable[Sequence[LineString]]) -> list[Stroke]:
    strokes: list[Stroke] = []
    for lines in choices:
        cut = [_left_of(tree, line) for line in lines]
        strokes += max(cut, key=_length)
    return strokes


def _left_of(tree: STRtree, line: LineString) -> list[Stroke]:
    """What of `line` lies outside everything in `tree`."""
    hit = tree.geometries[tree.query(line, predicate="intersects")]
    rest = shapely.difference(line, shapely.union_all(hit)) if len(hit) else line
    parts = [np.asarray(part.coords) for part in shapely.get_parts(rest) if not part.is_empty]
    return [part for part in parts if _length([part]) >= SHORTEST_MM]


def _length(strokes: Iterable[Stroke]) -> float:
    return sum(float(np.hypot(*(stroke[-1] - stroke[0]))) for stroke in strokes)
