"""A raster of what is taken on the stock, asked column by column: where is the lowest place this piece fits?

Each column keeps, for every cell, the next taken cell at or above it and the next free cell at or above it. A run of
cells of the piece in that column then collides or not by one look, and a collision says how far up the piece must
leap, so a column of the stock is searched in leaps instead of cells.
"""

import numba
import numpy as np
from numpy.typing import NDArray

Runs = NDArray[np.int32]
"""(n, 3): column, first cell and last cell of a vertical run of a piece, relative to its lower left cell."""

FAR = 1 << 30


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def lowest_place(next_taken, next_free, runs, height, columns, first_column, last_column, first_row, limit):  # type: ignore[no-untyped-def]
    """The (column, row) where the top of the piece is lowest, and that top; the top is `limit` when nowhere is lower."""
    best_top, best_x, best_y = limit, -1, -1
    count = runs.shape[0]
    for x in range(first_column, last_column - columns + 2):
        y = first_row
        hint = 0  # the run that collided last is asked first: it will most likely collide again
        while y + height < best_top:
            leap = 0
            for step in range(count):
                run = hint + step
                if run >= count:
                    run -= count
                column = x + runs[run, 0]
                low = y + runs[run, 1]
                taken = next_taken[column, low]
                if taken <= y + runs[run, 2]:
                    leap = next_free[column, taken] - runs[run, 1] - y
                    hint = run
                    break
            if leap == 0:
                best_top, best_x, best_y = y + height, x, y
                break
            y += leap
    return best_x, best_y, best_top


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def occupy(taken, next_taken, next_free, runs, x, y):  # type: ignore[no-untyped-def]
    """Mark the cells of a piece at (x, y) as taken and renew the looks of the columns it touches."""
    for run in range(runs.shape[0]):
        column = x + runs[run, 0]
        for row in range(y + runs[run, 1], y + runs[run, 2] + 1):
            taken[column, row] = True
    previous = -1
    for run in range(runs.shape[0]):
        column = x + runs[run, 0]
        if column == previous:
            continue
        previous = column
        refresh_column(taken, next_taken, next_free, column)


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def refresh_column(taken, next_taken, next_free, column):  # type: ignore[no-untyped-def]
    rows = taken.shape[1]
    ahead_taken, ahead_free = FAR, rows
    for row in range(rows - 1, -1, -1):
        if taken[column, row]:
            ahead_taken = row
        else:
            ahead_free = row
        next_taken[column, row] = ahead_taken
        next_free[column, row] = ahead_free


class Occupancy:
    """The cells of a stock `columns` wide and `rows` long, `margin` columns at each side being out of bounds."""

    def __init__(self, columns: int, rows: int) -> None:
        self.columns, self.rows = columns, rows
        self._taken = np.zeros((columns, rows), dtype=np.bool_)
        self._next_taken = np.full((columns, rows), FAR, dtype=np.int32)
        self._next_free = np.tile(np.arange(rows, dtype=np.int32), (columns, 1))

    def block(self, cells: NDArray[np.bool_]) -> None:
        """Take the cells marked in `cells` (columns, rows)."""
        self._taken |= cells
        for column in np.flatnonzero(cells.any(axis=1)):
            refresh_column(self._taken, self._next_taken, self._next_free, column)

    def lowest(
        self, runs: Runs, height: int, columns: int, bounds: tuple[int, int, int], limit: int
    ) -> tuple[int, int, int]:
        """Where a piece of `columns` × `height` cells fits lowest within `bounds` (first column, last column, first
        row): (column, row, top). The column is −1 when its top cannot be below `limit`."""
        first, last, row = bounds
        x, y, top = lowest_place(
            self._next_taken, self._next_free, runs, height, columns, first, last, row, min(limit, self.rows)
        )
        return int(x), int(y), int(top)

    def occupy(self, runs: Runs, x: int, y: int) -> None:
        occupy(self._taken, self._next_taken, self._next_free, runs, x, y)
