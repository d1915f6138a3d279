"""True-shape nesting on a roll or on sheets.

A first whole layout is laid at once (`constructing`); on a roll it is then pressed together as long as there is time
(`improving`), and in the end its pieces slide together on exact outlines (`sliding`). Positions lie on a raster until
then, and a piece takes every cell that it so much as touches, so that no gap can come out too small; `verify` says so
again on exact geometry before any layout is given out.
"""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from etiquette.core.errors import JobError
from etiquette.core.planning.constructing import Laid, Raster, Trial, construct, first_order, other_order
from etiquette.core.planning.improving import HANDS, Improver
from etiquette.core.planning.no_fit import no_fit, table_cells
from etiquette.core.planning.problem import Layout, Placement, Problem, Stopped, Unplaced, placed_outline
from etiquette.core.planning.separating import Choices, Packing
from etiquette.core.planning.sliding import slid
from etiquette.core.planning.stamps import Cells, Stamp, runs_of, stamps_of
from etiquette.core.planning.verifying import verify

COLUMNS_WANTED = 2600
FINEST_CELL_MM, COARSEST_CELL_MM = 0.25, 2.0
"""A raster cell is this share of the width: finer keeps pieces nearer, coarser is laid faster."""
LEAST_STEP_MM = 0.8
MOST_TABLE_CELLS = 60_000_000
"""Pieces are moved in steps of whole cells, about as long as this and longer when the tables grow too large."""
MOST_MOVED = 500
"""Layouts of more pieces are laid in several orders, not pressed together: in the usual time that gains more."""
SLIDES = 12
TABLE_SECONDS = 1.0
"""What the tables cost at most; with less time than that left, other orders are tried instead."""

Progress = Callable[[float, str], bool]
"""Told the share done and words; returns False to stop and keep the best so far."""


def nest(problem: Problem, progress: Progress = lambda *_: True) -> Layout:
    """The best layout found. Raises JobError when a piece is wider than the stock at every rotation."""
    clock = _Clock(problem, progress)
    raster, stamps = _prepared(problem)
    order = first_order(problem)
    trial = construct(problem, stamps, order, raster)
    stopped = clock.stopped(1, trial.length_mm, len(trial.laid), len(order))
    if not stopped and problem.length_mm is None and len(order) <= MOST_MOVED and clock.left() > TABLE_SECONDS:
        trial, stopped = _improved(problem, raster, stamps, trial, clock)
    elif not stopped:
        trial, stopped = _other_orders(problem, raster, stamps, order, trial, clock)
    return _layout(problem, raster, trial, clock, stopped)


def _prepared(problem: Problem) -> tuple[Raster, dict[str, list[Stamp]]]:
    cell = float(np.clip(problem.width_mm / COLUMNS_WANTED, FINEST_CELL_MM, COARSEST_CELL_MM))
    designs = len(problem.pieces)
    return Raster.of(problem, cell), {piece.id: stamps_of(piece, problem, cell, designs) for piece in problem.pieces}


def _step_of(stamps: Sequence[Stamp], cell: float) -> int:
    """Cells in a step: about LEAST_STEP_MM, more when the tables would be too large."""
    step = max(1, round(LEAST_STEP_MM / cell))
    while table_cells(stamps, step) > MOST_TABLE_CELLS:
        step += 1
    return step


class _Clock:
    """Says when to stop. Steps count before seconds; with neither, one layout is made."""

    def __init__(self, problem: Problem, progress: Progress) -> None:
        self._problem, self._progress = problem, progress
        self._started = time.monotonic()
        pieces = sum(piece.count for piece in problem.pieces)
        # the last slide and the check are part of the time that was given
        self._reserve = 0.1 + 0.002 * pieces
        self._area = sum(piece.outline.area * piece.count for piece in problem.pieces)

    def seconds(self) -> float:
        return time.monotonic() - self._started

    def left(self) -> float:
        """Seconds left for the search; endless when steps are counted."""
        if self._problem.steps is not None:
            return np.inf
        return (self._problem.seconds or 0.0) - self._reserve - self.seconds()

    def stopped(self, step: int, length_mm: float, placed: int, copies: int) -> Stopped | None:
        """Why to stop after `step`, or None."""
        steps, seconds = self._problem.steps, self._problem.seconds
        share = step / steps if steps is not None else self.seconds() / seconds if seconds else 1.0
        used = self._area / (self._problem.width_mm * length_mm) if length_mm else 0.0
        words = f"{placed} placed on {length_mm:.0f} mm" + (
            f", {used * 100:.1f} % used" if self._problem.length_mm is None else ""
        )
        if not self._progress(min(1.0, share), words):
            return "cancelled"
        if steps is not None:
            return "steps" if step >= steps else None
        if self.left() <= 0:
            return "time"
        return "optimal" if copies < 2 else None  # one copy lies as low as the raster allows in any order


def _other_orders(
    problem: Problem, raster: Raster, stamps: dict[str, list[Stamp]], order: list[int], best: Trial, clock: _Clock
) -> tuple[Trial, Stopped]:
    """Layouts of other orders, two at a time, until the time is up; the best of them."""
    random = np.random.default_rng(problem.seed)
    kept, step, stopped = order, 1, None
    with ThreadPoolExecutor(HANDS) as pool:
        while not stopped:
            orders = [other_order(kept, random) for _ in range(HANDS)]
            trials = list(pool.map(lambda one: construct(problem, stamps, one, raster), orders))
            for tried, trial in zip(orders, trials, strict=True):
                if trial.score < best.score:
                    best, kept = trial, tried
            step += 1
            stopped = clock.stopped(step, best.length_mm, len(best.laid), len(order))
    return best, stopped


def _improved(
    problem: Problem, raster: Raster, stamps: dict[str, list[Stamp]], first: Trial, clock: _Clock
) -> tuple[Trial, Stopped]:
    """`first` pressed together until the time is up."""
    cells = _step_of([stamp for group in stamps.values() for stamp in group], raster.cell)
    stepped = Raster.of(problem, raster.cell * cells)
    designs = len(problem.pieces)
    own = {piece.id: stamps_of(piece, problem, raster.cell, designs, cells) for piece in problem.pieces}
    every = [stamp for group in own.values() for stamp in group]
    ranges = _ranges(own)
    fixed = [Stamp(f"fixed {n}", 0.0, wide, runs_of(wide), (x, y)) for n, (wide, x, y) in enumerate(_in_steps(raster.fixed_cells(problem, 0), cells))]  # fmt: skip
    tables = no_fit([*every, *fixed], cells, HANDS)
    packing = _packed(first.laid, every, ranges, fixed, raster, cells)
    firsts, lasts = (np.array([ranges[one.stamp.piece][end] for one in first.laid], dtype=np.int32) for end in (0, 1))
    improver = Improver(tables, Choices(firsts, lasts), packing, stepped.columns, problem.seed)
    step, stopped = 1, None
    with ThreadPoolExecutor(HANDS) as pool:
        while not stopped:
            improver.round(pool)
            step += 1
            length = min(first.length_mm, stepped.length_mm(improver.rows, problem))
            stopped = clock.stopped(step, length, len(first.laid), len(first.laid))
            if not stopped and improver.is_lowest:
                stopped = "optimal"
    best = improver.best
    found = tuple(
        Laid(every[best.stamps[n]], 0, int(best.x[n]) * cells, int(best.y[n]) * cells) for n in range(best.free)
    )
    return Trial(found, first.unplaced, stepped.length_mm(improver.rows, problem)), stopped


def _ranges(stamps: dict[str, list[Stamp]]) -> dict[str, tuple[int, int]]:
    """The numbers that the stamps of each piece have when all are counted through."""
    ends = np.cumsum([0, *(len(group) for group in stamps.values())]).tolist()
    return dict(zip(stamps, zip(ends, ends[1:], strict=False), strict=True))


def _in_steps(fixed: Sequence[tuple[Cells, int, int]], cells: int) -> list[tuple[Cells, int, int]]:
    """Fixed cells filled up so that they start and end on whole steps; their places in steps."""
    found = []
    for taken, x, y in fixed:
        left, low = x % cells, y % cells
        wide = np.pad(taken, ((left, -(left + taken.shape[0]) % cells), (low, -(low + taken.shape[1]) % cells)))
        found.append((wide, x // cells, y // cells))
    return found


def _packed(
    laid: Sequence[Laid],
    every: Sequence[Stamp],
    ranges: dict[str, tuple[int, int]],
    fixed: Sequence[Stamp],
    raster: Raster,
    cells: int,
) -> Packing:
    """The layout in whole steps, as near to where it was laid as they allow; what then collides is moved apart."""
    numbers, places = [], []
    for one in laid:
        start, end = ranges[one.stamp.piece]
        number = next(n for n in range(start, end) if every[n].rotation == one.stamp.rotation)
        moved = [
            (at * raster.cell + was - now) / (raster.cell * cells)
            for at, was, now in zip((one.x, one.y), one.stamp.origin, every[number].origin, strict=True)
        ]
        numbers.append(number)
        places.append([round(value) for value in moved])
    places += [[int(stamp.origin[0]), int(stamp.origin[1])] for stamp in fixed]
    numbers += range(len(every), len(every) + len(fixed))
    at = np.array(places, dtype=np.int32).reshape(-1, 2)
    return Packing(np.array(numbers, dtype=np.int32), at[:, 0].copy(), at[:, 1].copy(), len(laid))


@dataclass(frozen=True)
class _Numbered:
    """Placements with the numbers of their copies."""

    placements: tuple[Placement, ...]

    @classmethod
    def of(cls, problem: Problem, raster: Raster, laid: Sequence[Laid]) -> "_Numbered":
        copies: dict[str, int] = {}
        for pin in problem.pinned:
            copies[pin.id] = copies.get(pin.id, 0) + 1
        made = list(problem.pinned)
        for one in laid:
            copies[one.stamp.piece] = copies.get(one.stamp.piece, 0) + 1
            made.append(raster.placement(one, copies[one.stamp.piece]))
        return cls(tuple(made))


def _layout(problem: Problem, raster: Raster, trial: Trial, clock: _Clock, stopped: Stopped) -> Layout:
    placements = _Numbered.of(problem, raster, trial.laid).placements
    tight = _slid_together(problem, placements)
    layout = _measured(problem, tight, trial.unplaced, stopped)
    faults = verify(problem, layout)
    if faults:
        raise JobError(
            f"The layout failed its own check: {faults[0]}.",
            "nesting",
            "This is a fault of Etiquette. Keep the problem file and report it.",
        )
    return replace(layout, seconds=round(clock.seconds(), 2))


def _slid_together(problem: Problem, placements: tuple[Placement, ...]) -> tuple[Placement, ...]:
    """The placements of every sheet slid towards its start; keep-outs and pinned pieces stay where they are."""
    pieces = {piece.id: piece for piece in problem.pieces}
    pinned = set(problem.pinned)
    moved = list(placements)
    edge = problem.edge_mm
    for sheet in {placement.sheet for placement in placements}:
        here = [number for number, placement in enumerate(placements) if placement.sheet == sheet]
        outlines = [placed_outline(pieces[placements[number].id], placements[number]) for number in here]
        zones = list(problem.keep_out) if sheet == 0 or problem.length_mm is not None else []
        top = problem.length_mm - edge if problem.length_mm is not None else np.inf
        fixed = np.array([placements[number] in pinned for number in here] + [True] * len(zones))
        steps = slid(outlines, zones, problem.gap_mm, (edge, edge, problem.width_mm - edge, top), fixed, SLIDES)
        for number, (dx, dy) in zip(here, steps, strict=False):
            one = placements[number]
            moved[number] = (
                one if one in pinned else replace(one, x_mm=round(one.x_mm + dx, 4), y_mm=round(one.y_mm + dy, 4))
            )
    return tuple(moved)


def _measured(
    problem: Problem, placements: tuple[Placement, ...], unplaced: tuple[Unplaced, ...], stopped: Stopped
) -> Layout:
    pieces = {piece.id: piece for piece in problem.pieces}
    tops = [placed_outline(pieces[one.id], one).bounds[3] for one in placements]
    length = max(tops) + problem.edge_mm if tops else 0.0
    area = sum(pieces[one.id].outline.area for one in placements)
    sheets = 1 + max((one.sheet for one in placements), default=0)
    stock = problem.width_mm * (length if problem.length_mm is None else problem.length_mm * sheets)
    return Layout(round(length, 3), round(area / stock, 5) if stock else 0.0, 0.0, stopped, placements, unplaced)
