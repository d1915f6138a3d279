"""A whole layout made ready to be pressed together: in steps of several cells, with the tables of its stamps."""

from collections.abc import Sequence

import numpy as np

from etiquette.core.planning.constructing import Laid, Raster, Trial
from etiquette.core.planning.improving import HANDS, Improver
from etiquette.core.planning.no_fit import no_fit, table_cells
from etiquette.core.planning.problem import Problem
from etiquette.core.planning.separating import Choices, Packing
from etiquette.core.planning.stamps import Cells, Stamp, runs_of, stamps_of

LEAST_STEP_MM = 0.8
MOST_TABLE_CELLS = 60_000_000
"""Pieces are moved in steps of whole cells, about as long as this and longer when the tables grow too large."""


class Press:
    """An improver of `first`, whose pieces go in steps of `cells` cells of `raster`."""

    def __init__(self, problem: Problem, raster: Raster, first: Trial, cells: int) -> None:
        self._problem, self._first, self._cells = problem, first, cells
        self._stepped = Raster.of(problem, raster.cell * cells)
        designs = len(problem.pieces)
        own = {piece.id: stamps_of(piece, problem, raster.cell, designs, cells) for piece in problem.pieces}
        self.stamps = [stamp for group in own.values() for stamp in group]
        ranges = _ranges(own)
        blocked = _in_steps(raster.fixed_cells(problem, 0), cells)
        fixed = [Stamp(f"fixed {n}", 0.0, wide, runs_of(wide), (x, y)) for n, (wide, x, y) in enumerate(blocked)]
        tables = no_fit([*self.stamps, *fixed], cells, HANDS)
        packing = _packed(first.laid, self.stamps, ranges, fixed, raster, cells)
        firsts, lasts = (
            np.array([ranges[one.stamp.piece][end] for one in first.laid], dtype=np.int32) for end in (0, 1)
        )
        self.improver = Improver(tables, Choices(firsts, lasts), packing, self._stepped.columns, problem.seed)

    @property
    def length_mm(self) -> float:
        return self._stepped.length_mm(self.improver.rows, self._problem)

    def trial(self) -> Trial:
        """The shortest layout found, on the raster of `first`."""
        best, cells = self.improver.best, self._cells
        laid = tuple(
            Laid(self.stamps[best.stamps[n]], 0, int(best.x[n]) * cells, int(best.y[n]) * cells)
            for n in range(best.free)
        )
        return Trial(laid, self._first.unplaced, self.length_mm)


def step_of(stamps: Sequence[Stamp], cell: float) -> int:
    """Cells in a step: about LEAST_STEP_MM, more when the tables would be too large."""
    step = max(1, round(LEAST_STEP_MM / cell))
    while table_cells(stamps, step) > MOST_TABLE_CELLS:
        step += 1
    return step


def finer_step(press: Press, cells: int) -> int | None:
    """About half as many cells in a step, if the tables may be so large; else None."""
    finer = cells // 2
    return finer if finer and table_cells(press.stamps, finer) <= MOST_TABLE_CELLS else None


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
