"""True-shape nesting on a roll or on sheets.

Pieces grown by half the gap are laid one after the other where their far end is lowest, biggest first; then other
orders are tried until the time is up, and the best whole layout wins. All positions lie on a raster, and a piece takes
every cell it so much as touches, so that no gap can come out too small; `verify` says so again on exact geometry.
"""

import itertools
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from shapely import Polygon, STRtree, affinity, box

from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import offset
from etiquette.core.planning.occupancy import Occupancy, Runs
from etiquette.core.planning.problem import Layout, Piece, Placement, Problem, Stopped, Unplaced, rotations_of

FINEST_CELL_MM, COARSEST_CELL_MM = 0.5, 2.0
COLUMNS_WANTED = 2000
GAP_SLACK_MM = 0.01
"""No two outlines nearer than the gap less this."""
TOUCHING_MM2 = 0.01
"""Two outlines that share less than this only touch."""

ARC_TOLERANCE_MM = 0.003
FINE = 8
"""How much finer than its cells a piece is drawn to see which cells it touches."""

Progress = Callable[[float, str], bool]
"""Told the share done and words; returns False to stop and keep the best so far."""


@dataclass(frozen=True)
class Stamp:
    """One piece at one rotation as cells: its runs, its size, and where the piece's origin lies from the lower left cell."""

    rotation: float
    runs: Runs
    columns: int
    height: int
    origin: tuple[float, float]


def nest(problem: Problem, progress: Progress = lambda *_: True) -> Layout:
    """The best layout found. Raises JobError when a piece is wider than the stock at every rotation."""
    started = time.monotonic()
    cell = float(np.clip(problem.width_mm / COLUMNS_WANTED, FINEST_CELL_MM, COARSEST_CELL_MM))
    stamps = {piece.id: _stamps(piece, problem, cell) for piece in problem.pieces}
    random = np.random.default_rng(problem.seed)
    order = kept = _first_order(problem)
    best: Trial | None = None
    for step in itertools.count(1):
        trial = _construct(problem, stamps, order, cell)
        if best is None or trial.score < best.score:
            best, kept = trial, order
        elapsed = time.monotonic() - started
        goes_on = progress(_share(problem, step, elapsed), f"{len(best.placements)} placed on {best.length_mm:.0f} mm")
        stopped = _stopped(problem, step, elapsed, len(order), goes_on)
        if stopped:
            break
        order = _other_order(kept, random)
    assert best is not None and stopped is not None
    layout = _layout(problem, best, time.monotonic() - started, stopped)
    faults = verify(problem, layout)
    if faults:
        raise JobError(
            f"The layout failed its own check: {faults[0]}.",
            "nesting",
            "This is a fault of Etiquette. Keep the problem file and report it.",
        )
    return layout


def _share(problem: Problem, step: int, elapsed: float) -> float:
    if problem.steps is not None:
        return min(1.0, step / problem.steps)
    return min(1.0, elapsed / problem.seconds) if problem.seconds else 1.0


def _stopped(problem: Problem, step: int, elapsed: float, copies: int, goes_on: bool) -> Stopped | None:
    """Why to stop now, or None. Steps count before seconds; with neither, one layout is made."""
    if not goes_on:
        return "cancelled"
    if problem.steps is not None:
        return "steps" if step >= problem.steps else None
    if problem.seconds is None or elapsed >= problem.seconds:
        return "time"
    return "optimal" if copies < 2 else None  # one copy lies as low as the raster allows in any order


def _stamps(piece: Piece, problem: Problem, cell: float) -> list[Stamp]:
    room = problem.width_mm - 2 * problem.edge_mm
    stamps = []
    for rotation in rotations_of(piece):
        turned = affinity.rotate(piece.outline, rotation, origin=(0, 0))
        x0, y0, x1, y1 = turned.bounds
        if x1 - x0 <= room + 1e-9:
            stamps.append(_stamp(turned, rotation, problem, cell))
    if not stamps:
        narrowest = min(
            np.diff(affinity.rotate(piece.outline, r, origin=(0, 0)).bounds[::2])[0] for r in rotations_of(piece)
        )
        raise JobError(
            f"Piece {piece.id} is {narrowest:.1f} mm wide at its narrowest; the stock has {room:.1f} mm between its edges.",
            piece.id,
            "Use a wider stock, allow it to turn, or make it smaller.",
        )
    return stamps


def _stamp(turned: Polygon, rotation: float, problem: Problem, cell: float) -> Stamp:
    """Every cell that the outline grown by half the gap touches, with cells counted from its lower left corner."""
    half = problem.gap_mm / 2
    # a little more than half the gap: what the fine raster cannot see of a sharp tip must not eat into the gap
    grown = offset(turned, half + cell / FINE, ARC_TOLERANCE_MM)
    parts = [grown] if isinstance(grown, Polygon) else list(grown.geoms)
    # not grown.bounds: the arcs of a buffer stay a little inside the true offset
    x0, y0, x1, y1 = np.array(turned.bounds) + (-half, -half, half, half)
    columns, rows = (max(1, int(np.ceil((size - 1e-9) / cell))) for size in (x1 - x0, y1 - y0))
    # drawn finer and reduced with OR: a cell counts when any part of the outline lies in it
    canvas = np.zeros((rows * FINE + 1, columns * FINE + 1), dtype=np.uint8)
    for part in parts:
        rings = [part.exterior, *(part.interiors if problem.use_holes else ())]
        shift = 4
        polygons = [
            np.round((np.asarray(ring.coords) - (x0, y0)) / cell * FINE * (1 << shift) - (1 << shift) / 2).astype(
                np.int32
            )
            for ring in rings
        ]
        cv2.fillPoly(canvas, polygons, 1, shift=shift)
    cells = canvas[: rows * FINE, : columns * FINE].reshape(rows, FINE, columns, FINE).max(axis=(1, 3)).T
    runs: list[tuple[int, int, int]] = []
    for column in range(columns):
        edges = np.flatnonzero(np.diff(cells[column].astype(np.int8), prepend=0, append=0))
        runs.extend((column, first, last - 1) for first, last in zip(edges[::2], edges[1::2], strict=True))
    return Stamp(rotation, np.array(runs, dtype=np.int32), columns, rows, (-x0, -y0))


@dataclass(frozen=True)
class Trial:
    """One whole layout for one order of the copies."""

    placements: tuple[Placement, ...]
    unplaced: tuple[Unplaced, ...]
    length_mm: float

    @property
    def score(self) -> tuple[int, float]:
        """Lower is better: place as many as possible, then as short as possible."""
        return sum(one.count for one in self.unplaced), self.length_mm


def _first_order(problem: Problem) -> list[int]:
    """Copies as indices into `problem.pieces`, biggest box first."""
    copies = [
        index for index, piece in enumerate(problem.pieces) for _ in range(piece.count - _pinned_of(problem, piece.id))
    ]
    size = [shapely.oriented_envelope(piece.outline).area for piece in problem.pieces]
    return sorted(copies, key=lambda index: -size[index])


def _pinned_of(problem: Problem, piece_id: str) -> int:
    return sum(placement.id == piece_id for placement in problem.pinned)


def _other_order(order: list[int], random: np.random.Generator) -> list[int]:
    """A neighbour of `order`: a few copies move to other places in the queue."""
    changed = list(order)
    for _ in range(int(random.integers(1, 4))):
        taken = changed.pop(int(random.integers(len(changed))))
        changed.insert(int(random.integers(len(changed) + 1)), taken)
    return changed


def _construct(problem: Problem, stamps: dict[str, list[Stamp]], order: list[int], cell: float) -> Trial:
    """One layout for one order."""
    sheets = [_Sheet(problem, stamps, cell, 0)]
    placements = list(problem.pinned)
    copies = {piece.id: _pinned_of(problem, piece.id) for piece in problem.pieces}
    missing: dict[str, int] = {}
    for index in order:
        piece = problem.pieces[index]
        for sheet in sheets:
            placed = sheet.place(piece)
            if placed:
                break
        else:
            placed = None
            if problem.length_mm is not None and piece.id not in missing:
                fresh = _Sheet(problem, stamps, cell, len(sheets))
                placed = fresh.place(piece)
                if placed:
                    sheets.append(fresh)
        if placed is None:
            missing[piece.id] = missing.get(piece.id, 0) + 1
            continue
        copies[piece.id] += 1
        placements.append(replace(placed, copy=copies[piece.id]))
    length = sheets[-1].used_mm + (len(sheets) - 1) * (problem.length_mm or 0)
    unplaced = [Unplaced(name, count, "It is longer than the sheet.") for name, count in missing.items()]
    return Trial(tuple(placements), tuple(unplaced), length)


class _Sheet:
    """One sheet, or the roll, being filled. The raster starts half a gap outside the edges, so that the gap round a
    piece may reach over them: the gap applies between pieces only."""

    def __init__(self, problem: Problem, stamps: dict[str, list[Stamp]], cell: float, number: int) -> None:
        self._problem, self._stamps, self._cell, self._number = problem, stamps, cell, number
        self._corner = problem.edge_mm - problem.gap_mm / 2
        width = problem.width_mm - 2 * self._corner
        self._columns = int(np.floor(width / cell + 1e-6))
        longest = problem.length_mm - 2 * self._corner if problem.length_mm is not None else None
        rows = int(np.floor(longest / cell + 1e-6)) if longest is not None else self._roll_rows()
        # one spare row: a piece that ends flush with the end looks one cell beyond itself
        self._grid = Occupancy(self._columns, rows + 1)
        self._top = 0
        blocked = [*problem.keep_out] if number == 0 or problem.length_mm is not None else []
        shapes = [offset(zone, problem.gap_mm / 2) for zone in blocked]
        for placement in problem.pinned:
            if placement.sheet == number:
                piece = next(piece for piece in problem.pieces if piece.id == placement.id)
                shapes.append(offset(placed_outline(piece, placement), problem.gap_mm / 2))
        for shape in shapes:
            self._block(shape)

    @property
    def used_mm(self) -> float:
        """The largest y of any placed outline plus the edge."""
        return (
            self._corner + self._top * self._cell - self._problem.gap_mm / 2 + self._problem.edge_mm
            if self._top
            else 0.0
        )

    def _roll_rows(self) -> int:
        """Long enough for any sensible packing; `place` doubles it when it was not."""
        tallest = sum(min(s.columns * s.height for s in self._stamps[p.id]) * p.count for p in self._problem.pieces)
        longest = max((max(s.height, s.columns) for group in self._stamps.values() for s in group), default=1)
        return int(3 * tallest / max(self._columns, 1) + 2 * longest + 64)

    def _block(self, shape: shapely.Geometry) -> None:
        x0, y0 = self._corner, self._corner
        cells = np.zeros((self._columns, self._grid.rows), dtype=np.bool_)
        low_x, low_y, high_x, high_y = shape.bounds
        columns = range(
            max(0, int((low_x - x0) / self._cell) - 1), min(self._columns, int((high_x - x0) / self._cell) + 2)
        )
        rows = range(
            max(0, int((low_y - y0) / self._cell) - 1), min(self._grid.rows, int((high_y - y0) / self._cell) + 2)
        )
        if not len(columns) or not len(rows):
            return
        xs = x0 + np.array(columns)[:, None] * self._cell + np.zeros(len(rows))
        ys = y0 + np.array(rows)[None, :] * self._cell + np.zeros((len(columns), 1))
        touched = shapely.intersects(shape, shapely.box(xs, ys, xs + self._cell, ys + self._cell))
        cells[columns.start : columns.stop, rows.start : rows.stop] = touched
        self._grid.block(cells)

    def place(self, piece: Piece) -> Placement | None:
        """Put one copy where its far end is lowest; None when there is no room."""
        best: tuple[Stamp, int, int] | None = None
        limit = self._grid.rows
        for stamp in self._stamps[piece.id]:
            x, y, top = self._grid.lowest(stamp.runs, stamp.height, stamp.columns, (0, self._columns - 1, 0), limit)
            if x >= 0:
                best, limit = (stamp, x, y), top
        if best is None:
            return None
        stamp, x, y = best
        self._grid.occupy(stamp.runs, x, y)
        self._top = max(self._top, y + stamp.height)
        return Placement(
            piece.id,
            0,
            self._number,
            self._corner + x * self._cell + stamp.origin[0],
            self._corner + y * self._cell + stamp.origin[1],
            stamp.rotation,
        )


def placed_outline(piece: Piece, placement: Placement) -> Polygon:
    """The outline of `piece` where `placement` puts it."""
    turned = affinity.rotate(piece.outline, placement.rotation_deg, origin=(0, 0))
    return affinity.translate(turned, placement.x_mm, placement.y_mm)


def _layout(problem: Problem, best: Trial, seconds: float, stopped: Stopped) -> Layout:
    pieces = {piece.id: piece for piece in problem.pieces}
    rounded = tuple(replace(p, x_mm=round(p.x_mm, 4), y_mm=round(p.y_mm, 4)) for p in best.placements)
    length = max((placed_outline(pieces[p.id], p).bounds[3] for p in rounded), default=0.0) + (
        problem.edge_mm if rounded else 0.0
    )
    area = sum(pieces[p.id].outline.area for p in rounded)
    sheets = 1 + max((p.sheet for p in rounded), default=0)
    stock = problem.width_mm * (length if problem.length_mm is None else problem.length_mm * sheets)
    return Layout(
        round(length, 3), round(area / stock, 5) if stock else 0.0, round(seconds, 2), stopped, rounded, best.unplaced
    )


def verify(problem: Problem, layout: Layout) -> list[str]:
    """Faults of `layout` on exact geometry: pieces nearer than the gap, over an edge, or in a keep-out zone."""
    pieces = {piece.id: piece for piece in problem.pieces}
    faults = []
    for sheet in {placement.sheet for placement in layout.placements}:
        here = [placement for placement in layout.placements if placement.sheet == sheet]
        outlines = [placed_outline(pieces[p.id], p) for p in here]
        if not problem.use_holes:
            outlines = [Polygon(outline.exterior) for outline in outlines]
        top = problem.length_mm - problem.edge_mm if problem.length_mm is not None else np.inf
        area = box(problem.edge_mm, problem.edge_mm, problem.width_mm - problem.edge_mm, 1e9 if top == np.inf else top)
        slack = area.buffer(0.001, join_style="mitre")
        for placement, outline in zip(here, outlines, strict=True):
            if not slack.contains(outline):
                faults.append(f"{placement.id} copy {placement.copy} lies over an edge")
            faults += [
                f"{placement.id} copy {placement.copy} lies in a keep-out"
                for zone in problem.keep_out
                if zone.distance(outline) == 0 and zone.intersection(outline).area > 1e-6
            ]
        tree = STRtree(outlines)
        least = max(problem.gap_mm - GAP_SLACK_MM, 0.0)
        near = tree.query(outlines, predicate="dwithin", distance=least)
        for first, second in near.T:
            # with a gap inside the slack neighbours may touch, but not lie on each other
            may_touch = least == 0 and outlines[first].intersection(outlines[second]).area < TOUCHING_MM2
            if first < second and not may_touch:
                faults.append(
                    f"{here[first].id} copy {here[first].copy} is too near {here[second].id} copy {here[second].copy}"
                )
    return faults
