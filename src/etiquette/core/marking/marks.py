"""Registration marks: their shapes, how many there are, and what that many cannot show.

A mark's place is the middle of its dark area: that is a point of the sheet itself, and so it stays one when the sheet
is turned or stretched, for a corner angle as well as for a disc."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from shapely import Point, Polygon, affinity, box

from etiquette.core.geometry.paths import Path, Points
from etiquette.core.marking.codes import CodeKind

Shape = Literal["disc", "square", "corner", "cross", "ring"]
SHAPES: tuple[Shape, ...] = ("disc", "square", "corner", "cross", "ring")
Count = Literal["none", "2", "3", "4", "more"]
"""None: for a sheet that is cut where it was printed."""
MarkInk = Literal["black", "magenta", "cyan", "red"]
MARK_INKS: dict[MarkInk, tuple[float, float, float, float]] = {
    "black": (0, 0, 0, 1), "magenta": (0, 1, 0, 0), "cyan": (1, 0, 0, 0), "red": (0, 1, 1, 0),
}  # fmt: skip
"""CMYK; black keeps marks in one ink, the others suit readers with a light of the opposite colour."""
HEAD_MARGIN_MM, TAIL_MARGIN_MM = 10.0, 30.0
"""Left free for rollers until the machine's own are set: the tail is held for longer than the head."""
BEZIER_CIRCLE = 0.5522847498
"""Control distance of a quarter circle drawn as one cubic."""
MOST_BLEED_MM = 5.0
"""Print goes no further past a line than this, nor past half the gap: a knife needs less."""
CANNOT_SHOW: dict[Count, str] = {
    "none": "",
    "2": "Two marks show where the sheet lies, its turn and its size; a stretch that differs across and along, skew "
    "and bow are not corrected.",
    "3": "Three marks show turn, stretch and skew; bow is not corrected, and a wrongly read mark cannot be told.",
    "4": "Four marks show turn, stretch and skew; bow is not corrected.",
    "more": "",
}


@dataclass(frozen=True)
class MarkRecipe:
    """A mark set. `size_mm` is the side of the box round a mark, `stroke_mm` the width of its lines (corner, cross,
    ring). With `place` "work" the marks stand round the work, with "stock" their middles stand `inset_mm` inside the
    edges of the stock. `spacing_mm`: with count "more" the largest distance between neighbours along a side.
    `cutter_edge_mm`: the middle of a mark stands no nearer to the edge of the stock. `code_module_mm`: the side of one
    module of a code."""

    size_mm: float = 6.0
    clear_mm: float = 3.0
    spacing_mm: float = 400.0
    head_margin_mm: float = HEAD_MARGIN_MM
    tail_margin_mm: float = TAIL_MARGIN_MM
    shape: Shape = "disc"
    stroke_mm: float = 1.0
    count: Count = "more"
    place: Literal["work", "stock"] = "work"
    inset_mm: float = 15.0
    cutter_edge_mm: float = 0.0
    code: CodeKind = "data matrix"
    code_module_mm: float = 0.8
    ink: MarkInk = "black"
    bleed_mm: float = 0.0
    """What is printed past the work; clear zones begin behind it."""
    inset_work_mm: float = 0.0
    """More room between the work with its bleed and the clear zones, at the sides and at both ends."""

    @property
    def out_mm(self) -> float:
        """From the middle of a mark to the end of its clear zone."""
        return 0.0 if self.count == "none" else self.size_mm / 2 + self.clear_mm

    @property
    def aside_mm(self) -> float:
        """From the work to the clear zones beside it."""
        return self.bleed_mm + self.inset_work_mm


def printed_past_mm(gap_mm: float) -> float:
    """How far past the line of a piece print may go."""
    return min(gap_mm / 2, MOST_BLEED_MM)


def mark_paths(recipe: MarkRecipe, x: float, y: float, inward: tuple[int, int]) -> list[Path]:
    """The outlines of a mark whose middle of darkness lies at (x, y); fill by even-odd. `inward` (±1, ±1): where the
    work lies; the arms of a corner angle point there."""
    half, stroke = recipe.size_mm / 2, min(recipe.stroke_mm, recipe.size_mm / 2)
    at = np.array([x, y])
    if recipe.shape in ("disc", "ring"):
        rings = [_circle(at, half)]
        return rings + ([_circle(at, half - stroke)] if recipe.shape == "ring" and half > stroke else [])
    if recipe.shape == "square":
        return [_polygon(box(-half, -half, half, half), at)]
    arm = stroke / 2
    if recipe.shape == "cross":
        return [_polygon(box(-half, -arm, half, arm).union(box(-arm, -half, arm, half)), at)]
    angle = box(0, 0, 2 * half, stroke).union(box(0, 0, stroke, 2 * half))
    middle = angle.centroid
    turned = affinity.scale(affinity.translate(angle, -middle.x, -middle.y), *inward, origin=(0, 0))
    return [_polygon(turned, at)]


def mark_area(recipe: MarkRecipe) -> Polygon:
    """The dark area of a mark about its place, for the first quarter: its area and the box round it are those of every
    mark of the set."""
    paths = mark_paths(recipe, 0.0, 0.0, (1, 1))
    if recipe.shape in ("disc", "ring"):
        disc = Point(0, 0).buffer(recipe.size_mm / 2, quad_segs=32)
        inner = recipe.size_mm / 2 - recipe.stroke_mm
        return (
            disc.difference(Point(0, 0).buffer(inner, quad_segs=32)) if recipe.shape == "ring" and inner > 0 else disc
        )
    return Polygon(paths[0].flatten(0.01))


def _polygon(shape: Polygon, at: Points) -> Path:
    return Path.from_points(np.asarray(shape.exterior.coords) + at)


def _circle(centre: Points, radius: float) -> Path:
    k = radius * BEZIER_CIRCLE
    corners = np.array([(radius, 0), (0, radius), (-radius, 0), (0, -radius), (radius, 0)], dtype=float)
    segments = []
    for start, end in zip(corners[:-1], corners[1:], strict=True):
        out = np.array([-start[1], start[0]]) / radius * k
        back = np.array([end[1], -end[0]]) / radius * k
        segments.append(np.array([start + out, end + back, end]) + centre)
    return Path(centre + corners[0], tuple(segments), True)


PRESETS: dict[str, MarkRecipe] = {
    "For a line sensor": MarkRecipe(shape="corner", size_mm=10, stroke_mm=1, count="4", place="stock", inset_mm=14),
    "For a line sensor, squares": MarkRecipe(shape="square", size_mm=5, clear_mm=5, count="4"),
    "For a camera": MarkRecipe(),
    "For a camera, rings": MarkRecipe(shape="ring", size_mm=8, stroke_mm=1.5, code="qr"),
    "Two crosses: place and turn only": MarkRecipe(shape="cross", size_mm=9, stroke_mm=1.4, count="2"),
}
"""What each kind of reader finds surely: a sensor that sees edges, or a camera that sees areas. A start, to be
changed."""
