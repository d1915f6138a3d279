"""Pieces as cells of a raster: at every rotation the cells that a piece, grown by half the gap, so much as touches.

Quarter turns of one stamp are exact turns of its cells, so that what is worked out for two stamps holds for their
quarter turns as well."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon, affinity

from etiquette.core.geometry.polygons import offset
from etiquette.core.planning.occupancy import Runs
from etiquette.core.planning.problem import Piece, Problem, rotations_of

ARC_TOLERANCE_MM = 0.003
FINE = 8
"""How much finer than its cells a piece is drawn to see which cells it touches."""
MOST_FINE_CELLS = 150_000_000
"""Very large pieces are drawn less finely."""
SUBPIXEL_BITS = 4
RECTANGULAR = 0.995
"""A piece fills so much of its box, or no cell is looked for that fits it."""
LEAST_GAIN = 1e-4

Cells = NDArray[np.bool_]


@dataclass(frozen=True)
class Stamp:
    """One piece at one rotation: its `cells` (columns, rows), their vertical runs, and where the piece's origin lies
    from the lower left corner of the cells, in mm."""

    piece: str
    rotation: float
    cells: Cells
    runs: Runs
    origin: tuple[float, float]

    @property
    def columns(self) -> int:
        return int(self.cells.shape[0])

    @property
    def height(self) -> int:
        return int(self.cells.shape[1])


def stamps_of(piece: Piece, problem: Problem, cell: float, designs: int, step: int = 1) -> list[Stamp]:
    """Stamps of the piece at the rotations at which it fits between the edges, their columns and rows filled up to
    whole multiples of `step`; none when it is too wide at all of them."""
    room = problem.width_mm - 2 * problem.edge_mm
    stamps: list[Stamp] = []
    drawn: dict[float, Stamp] = {}
    for rotation in rotations_of(piece, designs):
        turned = affinity.rotate(piece.outline, rotation, origin=(0, 0))
        if turned.bounds[2] - turned.bounds[0] > room + 1e-9:
            continue
        base = round(rotation % 90, 6)
        if base not in drawn:
            drawn[base] = _drawn(piece, base, problem, cell, step)
        stamps.append(_turned(drawn[base], rotation, cell))
    return stamps


def fitting_cell(problem: Problem, wanted_mm: float) -> float:
    """A cell of about `wanted_mm` that boxes of rectangular pieces with their gap fill in whole numbers, as far as
    there is one: a cell that is only touched is lost."""
    sides: dict[float, float] = {}
    for piece in problem.pieces:
        if piece.rotations == "free" or piece.outline.area < RECTANGULAR * piece.outline.envelope.area:
            continue
        left, low, right, top = piece.outline.bounds
        for side in (right - left, top - low):
            whole = round(side + problem.gap_mm, 6)
            sides[whole] = sides.get(whole, 0.0) + piece.outline.area * max(piece.count, 1)
    if not sides:
        return wanted_mm
    lengths, weights = np.array(list(sides)), np.array(list(sides.values()))
    rooms = [problem.width_mm, *([problem.length_mm] if problem.length_mm else [])]
    inside = np.array(rooms) - 2 * problem.edge_mm + problem.gap_mm
    near = [np.round(lengths / wanted_mm) + more for more in (-2, -1, 0, 1, 2)]
    choices = np.concatenate([[wanted_mm], *(lengths / np.maximum(count, 1) for count in near)])
    choices = choices[(choices > 0.85 * wanted_mm) & (choices < 1.15 * wanted_mm)]

    def lost(cell: float) -> float:
        taken = np.ceil(lengths / cell - 1e-6) * cell / lengths - 1
        return float(
            (taken * weights).sum() / weights.sum() + (1 - np.floor(inside / cell + 1e-6) * cell / inside).sum()
        )

    losses = np.array([lost(float(cell)) for cell in choices])
    best = int(np.argmin(losses))
    return float(choices[best]) if losses[best] < losses[0] - LEAST_GAIN else wanted_mm


def _drawn(piece: Piece, rotation: float, problem: Problem, cell: float, step: int) -> Stamp:
    half = problem.gap_mm / 2
    turned = affinity.rotate(piece.outline, rotation, origin=(0, 0))
    # a little more than half the gap: what the fine raster cannot see of a sharp tip must not eat into the gap
    fine = fine_for([(high - low) / cell for low, high in zip(turned.bounds[:2], turned.bounds[2:], strict=True)])
    grown = offset(turned, half + cell / fine, ARC_TOLERANCE_MM)
    # not grown.bounds: the arcs of a buffer stay a little inside the true offset
    x0, y0, x1, y1 = np.array(turned.bounds) + (-half, -half, half, half)
    size = tuple(step * max(1, int(np.ceil((length - 1e-9) / cell / step))) for length in (x1 - x0, y1 - y0))
    cells = touched_cells(grown, (x0, y0), size, cell, problem.use_holes, fine)  # type: ignore[arg-type]
    return Stamp(piece.id, rotation, cells, runs_of(cells), (-x0, -y0))


def fine_for(size: Sequence[float]) -> int:
    """How much finer than its cells something of (columns, rows) cells is drawn."""
    fine = FINE
    while fine > 1 and size[0] * size[1] * fine * fine > MOST_FINE_CELLS:
        fine //= 2
    return fine


def _turned(stamp: Stamp, rotation: float, cell: float) -> Stamp:
    quarters = round((rotation - stamp.rotation) / 90) % 4
    cells, (x, y) = stamp.cells, stamp.origin
    for _ in range(quarters):
        x, y = cells.shape[1] * cell - y, x
        cells = turned_cells(cells)
    return Stamp(stamp.piece, rotation, cells, stamp.runs if not quarters else runs_of(cells), (x, y))


def turned_cells(cells: Cells) -> Cells:
    """Columns and rows of a raster after a quarter turn counter-clockwise."""
    return np.ascontiguousarray(cells.T[::-1])


def touched_cells(
    shape: shapely.Geometry,
    corner: tuple[float, float],
    size: tuple[int, int],
    cell: float,
    holes: bool,
    fine: int = FINE,
) -> Cells:
    """(columns, rows): the cells from `corner` on that `shape` touches, told on a raster `fine` times as fine."""
    columns, rows = size
    canvas = np.zeros((rows * fine + 1, columns * fine + 1), dtype=np.uint8)
    parts: Sequence[Polygon] = [shape] if isinstance(shape, Polygon) else list(shape.geoms)  # type: ignore[attr-defined]
    unit = 1 << SUBPIXEL_BITS
    for part in parts:
        rings = [part.exterior, *(part.interiors if holes else ())]
        polygons = [
            np.round((np.asarray(ring.coords) - corner) / cell * fine * unit - unit / 2).astype(np.int32)
            for ring in rings
        ]
        cv2.fillPoly(canvas, polygons, 255, shift=SUBPIXEL_BITS)
    # the mean of FINE x FINE is above 0 when one of them is drawn: 255 / 64 rounds to 4
    drawn = cv2.resize(canvas[: rows * fine, : columns * fine], (columns, rows), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(drawn.T > 0)


def runs_of(cells: Cells) -> Runs:
    """(n, 3): column, first and last cell of every vertical run."""
    steps = np.diff(cells.astype(np.int8), axis=1, prepend=0, append=0)
    columns, first = np.nonzero(steps == 1)
    last = np.nonzero(steps == -1)[1] - 1
    return np.column_stack([columns, first, last]).astype(np.int32)
