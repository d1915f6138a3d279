"""Tiles: a graphic larger than its stock, taken apart into strips or a grid that are printed and cut one by one.

Millimetres of the graphic, its origin at the lower left, y up. Tiles are numbered as they are read: from the top left,
row by row."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from math import ceil, floor
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, box, union_all
from shapely.geometry.base import BaseGeometry

from etiquette.core.errors import JobError
from etiquette.core.planning.seams import Carry, cheapest_seams, even_seams, seam_costs

Box = tuple[float, float, float, float]
Carried = Literal["both", "first"]
"""Which of two neighbours reaches past their seam by the overlap: both, or the first alone (left of it, above it)."""
Side = Literal["left", "right", "top", "bottom"]
LEAST_MM2 = 100.0
"""What is left of a tile beside an opening is no tile if it is smaller."""
MOST_TILES = 400


@dataclass(frozen=True)
class TileWish:
    """How a graphic is taken apart. `media_mm`: how wide a tile may be printed; `longest_mm`: how long, None as long as
    it is. Strips run upright, or `lying` along the width. Each carries `overlap_mm` past a seam, and is printed
    `past_mm` beyond its cut there. The art has `bleed_mm` round its own edge, where tiles are cut too. `openings` (x,
    y, width, height) are left out: windows, doors. `px_mm`: what is printed of each tile ends between pixels of this
    size, counted from the top left."""

    width_mm: float
    height_mm: float
    media_mm: float
    longest_mm: float | None = None
    lying: bool = False
    overlap_mm: float = 0.0
    carried: Carried = "both"
    past_mm: float = 0.0
    bleed_mm: float = 0.0
    openings: tuple[Box, ...] = ()
    px_mm: float | None = None

    @property
    def work(self) -> Box:
        """The graphic as it is cut all round."""
        edge = self.bleed_mm
        return (edge, edge, self.width_mm - edge, self.height_mm - edge)

    def carry(self, axis: int) -> Carry:
        """What a tile is printed past a seam on its low and its high side across (0) or along (1) the graphic: the
        first of two is the left or the upper one."""
        both = self.carried == "both"
        first, second = self.overlap_mm + self.past_mm, (self.overlap_mm if both else 0.0) + self.past_mm
        return Carry(second, first) if axis == 0 else Carry(first, second)

    def most_mm(self, axis: int) -> float:
        """How far a tile may reach across or along the graphic."""
        across = (axis == 0) != self.lying
        return self.media_mm if across else (self.longest_mm or float("inf"))

    def length_mm(self, axis: int) -> float:
        return self.width_mm if axis == 0 else self.height_mm


@dataclass(frozen=True)
class Neighbour:
    """At one side of a tile: the seam, and where the cut edge of the neighbour lies on it, mm across or along."""

    side: Side
    seam_mm: float
    edge_mm: float


@dataclass(frozen=True)
class Tile:
    """`outline`: where it is cut; `printed` (x0, y0, x1, y1): what of the graphic is printed."""

    number: int
    row: int
    column: int
    outline: Polygon
    printed: Box
    neighbours: tuple[Neighbour, ...]

    @property
    def size_mm(self) -> tuple[float, float]:
        """Of what is printed."""
        x0, y0, x1, y1 = self.printed
        return x1 - x0, y1 - y0


@dataclass(frozen=True)
class Seams:
    """Where tiles meet: upright seams by their x, lying ones by their y."""

    across: tuple[float, ...] = ()
    along: tuple[float, ...] = ()


def seams_even(wish: TileWish) -> Seams:
    """As few as the stock allows, at even distances. Raises JobError."""
    across, along = (tuple(even_seams(wish.length_mm(axis), wish.most_mm(axis), wish.carry(axis))) for axis in (0, 1))
    return Seams(across, along)


def seams_by_content(
    wish: TileWish, detail: NDArray[np.float64], keep: Sequence[Box] = (), spare: Sequence[Box] = ()
) -> Seams:
    """As few as the stock allows, where they cut through the least; `detail` as `detail_of` tells it, `keep` (x, y,
    width, height): what no seam may cross, `spare`: what it had better not. Raises JobError."""
    found = []
    for axis in (0, 1):
        length = wish.length_mm(axis)
        kept, spared = ([(one[axis], one[axis] + one[axis + 2]) for one in areas] for areas in (keep, spare))
        costs = seam_costs(detail, axis, kept, length, spared)
        most = wish.most_mm(axis) - 2 * (wish.px_mm or 0.0)  # its print is widened to whole pixels
        found.append(tuple(cheapest_seams(costs, length, most, wish.carry(axis))))
    return Seams(*found)


def refuse_seams(wish: TileWish, seams: Seams) -> None:
    """Raises JobError when a seam lies outside the graphic, or a tile would be wider than its stock."""
    for axis, held in enumerate((seams.across, seams.along)):
        length, most, carry = wish.length_mm(axis), wish.most_mm(axis), wish.carry(axis)
        way = ("from the left", "from the bottom")[axis]
        edges = [0.0, *sorted(held), length]
        for number, (low, high) in enumerate(zip(edges, edges[1:], strict=False)):
            if high - low < 1.0:
                where = high if number < len(held) else low
                raise JobError(f"The seam {where:.1f} mm {way} leaves no tile.", "seams", "Move it, or take it away.")
            reach = high - low + (carry.low_mm if number else 0.0) + (carry.high_mm if number < len(held) else 0.0)
            if reach > most + 0.001:
                raise JobError(
                    f"The tile between {low:.0f} and {high:.0f} mm {way} is printed {reach:.0f} mm wide; the stock "
                    f"takes {most:.0f} mm.",
                    "seams",
                    "Move a seam, add one, or use less overlap.",
                )


def tiles(wish: TileWish, seams: Seams) -> list[Tile]:
    """Every tile of the graphic. Raises JobError when the seams cannot be."""
    refuse_seams(wish, seams)
    xs = [0.0, *sorted(seams.across), wish.width_mm]
    ys = [wish.height_mm, *sorted(seams.along, reverse=True), 0.0]
    if (len(xs) - 1) * (len(ys) - 1) > MOST_TILES:
        raise JobError(f"That makes more than {MOST_TILES} tiles.", "seams", "Use a wider stock, or take seams away.")
    out = union_all([box(x, y, x + w, y + h) for x, y, w, h in wish.openings])
    found: list[Tile] = []
    for row, (top, low) in enumerate(zip(ys, ys[1:], strict=False)):
        for column, (left, right) in enumerate(zip(xs, xs[1:], strict=False)):
            made = _tile(wish, (left, low, right, top), out)
            if made:
                found.append(replace(made, number=len(found) + 1, row=row + 1, column=column + 1))
    if not found:
        raise JobError("Nothing is left of the graphic beside its openings.", "openings", "Make them smaller.")
    return found


def _tile(wish: TileWish, cell: Box, out: BaseGeometry) -> Tile | None:
    """The tile between four seams or edges; None where openings leave nothing of it."""
    left, low, right, top = cell
    neighbours = []
    cut, reach = list(wish.work), [0.0, 0.0, wish.width_mm, wish.height_mm]
    first = wish.overlap_mm
    second = wish.overlap_mm if wish.carried == "both" else 0.0
    # which corner of the box a side is, whether the graphic goes on there, what this tile and its neighbour carry
    sides: tuple[tuple[int, Side, float, bool, float, float], ...] = (
        (0, "left", left, left > 0, -second, first),
        (1, "bottom", low, low > 0, -first, second),
        (2, "right", right, right < wish.width_mm, first, -second),
        (3, "top", top, top < wish.height_mm, second, -first),
    )
    for corner, side, seam, goes_on, own, other in sides:
        if goes_on:
            cut[corner] = seam + own
            reach[corner] = seam + own + (wish.past_mm if corner > 1 else -wish.past_mm)
            neighbours.append(Neighbour(side, seam, seam + other))
    x0, y0, x1, y1 = wish.work
    whole = box(max(cut[0], x0), max(cut[1], y0), min(cut[2], x1), min(cut[3], y1))
    outline = whole if out.is_empty else whole.difference(out)
    parts = [part for part in getattr(outline, "geoms", [outline]) if part.area >= LEAST_MM2]
    if not parts:
        return None
    outline = max(parts, key=lambda part: part.area)
    if len(parts) > 1:  # an opening goes right through: what is left stays one tile, cut round all of it
        outline = Polygon(box(*union_all(parts).bounds).exterior)
    a0, b0, a1, b1 = outline.bounds
    past = wish.past_mm
    printed = (
        max(reach[0], 0.0, a0 - past if a0 > whole.bounds[0] else 0.0),
        max(reach[1], 0.0, b0 - past if b0 > whole.bounds[1] else 0.0),
        min(reach[2], wish.width_mm, a1 + past if a1 < whole.bounds[2] else wish.width_mm),
        min(reach[3], wish.height_mm, b1 + past if b1 < whole.bounds[3] else wish.height_mm),
    )
    return Tile(0, 0, 0, outline, _between_pixels(printed, wish.height_mm, wish.px_mm), tuple(neighbours))


def _between_pixels(printed: Box, height_mm: float, px_mm: float | None) -> Box:
    """`printed`, widened to whole pixels that are counted from the top left."""
    if px_mm is None:
        return printed
    x0, y0, x1, y1 = printed
    near = 1e-6  # a seam that lies between two pixels takes no further one
    return (
        floor(x0 / px_mm + near) * px_mm,
        max(0.0, height_mm - ceil((height_mm - y0) / px_mm - near) * px_mm),
        ceil(x1 / px_mm - near) * px_mm,
        height_mm - floor((height_mm - y1) / px_mm + near) * px_mm,
    )


def wanted(made: Sequence[Tile], off: Collection[int]) -> list[Tile]:
    """The tiles without those that were lifted off."""
    return [tile for tile in made if tile.number not in off]


def turn_of(wish: TileWish, tile: Tile, turned: Literal["none", "all", "alternate"]) -> float:
    """By how much a tile is turned on the stock, counter-clockwise: lying strips by a quarter, all or every second one
    by a half more."""
    quarter = 90.0 if wish.lying else 0.0
    every = tile.row if wish.lying else tile.column
    half = turned == "all" or (turned == "alternate" and every % 2 == 0)
    return quarter + (180.0 if half else 0.0)
