"""A whole layout at once: pieces laid one after the other where their far end is lowest, biggest first."""

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon, affinity, box

from etiquette.core.geometry.polygons import offset
from etiquette.core.planning.occupancy import Occupancy
from etiquette.core.planning.problem import Piece, Placement, Problem, Unplaced, placed_outline, rotations_of
from etiquette.core.planning.stamps import Cells, Stamp, fine_for, touched_cells

MOST_CELLS = 150_000_000
"""Cells of a roll that are kept in memory, nine bytes each; keep-outs may reach further along it than any layout."""


@dataclass(frozen=True)
class Laid:
    """One copy on the raster of a sheet: its stamp and its lower left cell."""

    stamp: Stamp
    sheet: int
    x: int
    y: int


@dataclass(frozen=True)
class Trial:
    """One whole layout for one order of the copies; pinned pieces are not in it."""

    laid: tuple[Laid, ...]
    unplaced: tuple[Unplaced, ...]
    length_mm: float

    @property
    def score(self) -> tuple[int, float]:
        """Lower is better: place as many as possible, then as short as possible."""
        return sum(one.count for one in self.unplaced), self.length_mm


@dataclass(frozen=True)
class Raster:
    """The cells of a sheet or a roll. They start half a gap outside the edges, so that the gap round a piece may reach
    over them: the gap applies between pieces only."""

    cell: float
    corner: float
    columns: int
    rows: int | None
    """None: a roll."""

    @classmethod
    def of(cls, problem: Problem, cell: float) -> "Raster":
        """The raster of a problem with cells of `cell` mm; half the gap is laid round every piece instead of between
        them."""
        corner = problem.edge_mm - problem.gap_mm / 2

        def cells(length: float) -> int:
            return max(0, int(np.floor((length - 2 * corner) / cell + 1e-6)))

        return cls(
            cell, corner, cells(problem.width_mm), None if problem.length_mm is None else cells(problem.length_mm)
        )

    def placement(self, laid: Laid, copy: int) -> Placement:
        """A piece that lies on cells, in mm."""
        x, y = (
            self.corner + at * self.cell + origin
            for at, origin in zip((laid.x, laid.y), laid.stamp.origin, strict=True)
        )
        return Placement(laid.stamp.piece, copy, laid.sheet, x, y, laid.stamp.rotation)

    def length_mm(self, rows: int, problem: Problem) -> float:
        """The length of a layout whose cells end below `rows`."""
        return self.corner + rows * self.cell - problem.gap_mm / 2 + problem.edge_mm if rows else 0.0

    def fixed_cells(self, problem: Problem, sheet: int) -> list[tuple[Cells, int, int]]:
        """What may not be covered on a sheet: pinned pieces and keep-outs, as cells from a column and a row on."""
        half = problem.gap_mm / 2
        pieces = {piece.id: piece for piece in problem.pieces}
        shapes = [shrunk_zone(zone, half) for zone in problem.keep_out] if sheet == 0 or problem.length_mm else []
        shapes += [
            offset(placed_outline(pieces[pin.id], pin), half + self.cell)
            for pin in problem.pinned
            if pin.sheet == sheet
        ]
        longest = self.rows if self.rows is not None else MOST_CELLS // max(self.columns, 1)
        area = box(self.corner, self.corner, *(self.corner + np.array([self.columns, longest]) * self.cell))
        found = []
        for shape in shapes:
            here = shape.intersection(area)
            if here.is_empty or not here.area:
                continue
            left, low, right, top = here.bounds
            x, y = (int(np.floor((at - self.corner) / self.cell)) for at in (left, low))
            size = tuple(int(np.floor((end - self.corner) / self.cell)) + 1 - at for end, at in ((right, x), (top, y)))
            if here.area >= (1 - 1e-9) * (right - left) * (top - low):
                cells = np.ones(size, dtype=np.bool_)
            else:
                at = (self.corner + x * self.cell, self.corner + y * self.cell)
                cells = touched_cells(here, at, size, self.cell, problem.use_holes, fine_for(size))  # type: ignore[arg-type]
            found.append((cells, x, y))
        return found


def shrunk_zone(zone: Polygon, half_gap: float) -> Polygon:
    """A keep-out that pieces grown by half the gap may not touch just where the pieces themselves may not touch `zone`:
    of a rectangle as much is taken off as a disc of that radius gives back at its corners. Other shapes stay whole."""
    left, low, right, top = zone.bounds
    if zone.area < (1 - 1e-9) * (right - left) * (top - low):
        return zone
    across, along = (max(0.0, min(half_gap / np.sqrt(2), size / 2 - 1e-3)) for size in (right - left, top - low))
    return box(left + across, low + along, right - across, top - along)


def first_order(problem: Problem) -> list[int]:
    """Copies as indices into `problem.pieces`, biggest box first."""
    copies = [
        index for index, piece in enumerate(problem.pieces) for _ in range(piece.count - _pinned_of(problem, piece.id))
    ]
    size = [shapely.oriented_envelope(piece.outline).area for piece in problem.pieces]
    return sorted(copies, key=lambda index: -size[index])


def sizes_shuffled(problem: Problem, random: np.random.Generator) -> list[int]:
    """The first order, as if every design were a little larger or smaller than it is: its copies stay together."""
    factor = np.exp(random.normal(0, 0.25, len(problem.pieces)))
    size = [shapely.oriented_envelope(piece.outline).area for piece in problem.pieces]
    return sorted(first_order(problem), key=lambda index: (-size[index] * factor[index], index))


def _pinned_of(problem: Problem, piece_id: str) -> int:
    return sum(placement.id == piece_id for placement in problem.pinned)


def other_order(order: list[int], random: np.random.Generator) -> list[int]:
    """A neighbour of `order`: a few copies move to other places in the queue."""
    changed = list(order)
    for _ in range(int(random.integers(1, 4))):
        taken = changed.pop(int(random.integers(len(changed))))
        changed.insert(int(random.integers(len(changed) + 1)), taken)
    return changed


def construct(problem: Problem, stamps: dict[str, list[Stamp]], order: list[int], raster: Raster) -> Trial:
    """One layout for one order."""
    sheets = [Sheet(problem, stamps, raster, 0)]
    laid: list[Laid] = []
    missing: dict[str, int] = {}
    for index in order:
        piece = problem.pieces[index]
        if piece.id in missing:
            missing[piece.id] += 1
            continue
        placed = next((placed for sheet in sheets if (placed := sheet.place(piece))), None)
        if placed is None and raster.rows is not None:
            fresh = Sheet(problem, stamps, raster, len(sheets))
            placed = fresh.place(piece)
            if placed:
                sheets.append(fresh)
        if placed is None:
            missing[piece.id] = 1
        else:
            laid.append(placed)
    length = raster.length_mm(sheets[-1].top, problem) + (len(sheets) - 1) * (problem.length_mm or 0)
    unplaced = [Unplaced(name, count, _reason(problem, stamps[name], name, raster)) for name, count in missing.items()]
    return Trial(tuple(laid), tuple(unplaced), length)


def _reason(problem: Problem, stamps: list[Stamp], name: str, raster: Raster) -> str:
    """Why not one copy more of a piece could be placed."""
    room = problem.width_mm - 2 * problem.edge_mm
    if not stamps:
        outline = next(piece.outline for piece in problem.pieces if piece.id == name)
        piece = next(piece for piece in problem.pieces if piece.id == name)
        turned = [
            affinity.rotate(outline, turn, origin=(0, 0)).bounds for turn in rotations_of(piece, len(problem.pieces))
        ]
        narrowest = min(right - left for left, _, right, _ in turned)
        return (
            f"It is {narrowest:.1f} mm wide at its narrowest; the stock has {max(room, 0.0):.1f} mm between its edges."
        )
    if raster.rows is not None and min(stamp.height for stamp in stamps) > raster.rows:
        return "It is longer than the sheet."
    return "It finds no room beside the keep-outs and pinned pieces."


class Sheet:
    """One sheet, or the roll, being filled."""

    def __init__(self, problem: Problem, stamps: dict[str, list[Stamp]], raster: Raster, number: int) -> None:
        self._stamps, self._raster, self._number = stamps, raster, number
        fixed = raster.fixed_cells(problem, number)
        highest = max((y + cells.shape[1] for cells, _, y in fixed), default=0)
        rows = (
            raster.rows
            if raster.rows is not None
            else min(self._roll_rows(problem) + highest, MOST_CELLS // max(raster.columns, 1))
        )
        # one spare row: a piece that ends flush with the end looks one cell beyond itself
        self._grid = Occupancy(raster.columns, rows + 1)
        self.top = 0
        for cells, x, y in fixed:
            self._block(cells, x, y)
        self._full: set[str] = set()
        self._floors: dict[tuple[str, float], NDArray[np.int32]] = {}

    def _roll_rows(self, problem: Problem) -> int:
        """Long enough for any sensible packing."""
        tallest = sum(
            min((s.columns * s.height for s in self._stamps[p.id]), default=0) * p.count for p in problem.pieces
        )
        longest = max((max(s.height, s.columns) for group in self._stamps.values() for s in group), default=1)
        return int(2 * tallest / max(self._raster.columns, 1) + 2 * longest + 64)

    def _block(self, cells: Cells, x: int, y: int) -> None:
        every = np.zeros((self._raster.columns, self._grid.rows), dtype=np.bool_)
        here = cells[max(0, -x) : max(0, self._raster.columns - x), max(0, -y) : max(0, self._grid.rows - y)]
        left, low = max(0, x), max(0, y)
        every[left : left + here.shape[0], low : low + here.shape[1]] = here
        self._grid.block(every)

    def place(self, piece: Piece) -> Laid | None:
        """Put one copy where its far end is lowest; None when there is no room. A sheet only fills: what found no room
        once is not tried again."""
        if piece.id in self._full:
            return None
        best: tuple[Stamp, int, int] | None = None
        limit = self._grid.rows
        for stamp in self._stamps[piece.id]:
            floor = self._floors.setdefault(
                (stamp.piece, stamp.rotation), np.zeros(self._raster.columns, dtype=np.int32)
            )
            x, y, top = self._grid.lowest(stamp.runs, stamp.height, stamp.columns, floor, limit)
            if x >= 0:
                best, limit = (stamp, x, y), top
        if best is None:
            self._full.add(piece.id)
            return None
        stamp, x, y = best
        self._grid.occupy(stamp.runs, x, y)
        self.top = max(self.top, y + stamp.height)
        return Laid(stamp, self._number, x, y)
