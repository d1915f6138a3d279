"""A raster of what is taken on the stock, asked column by column: where is the lowest place this piece fits?

Each column keeps, for every cell, the next taken cell at or above it and the next free cell at or above it. A run of
cells of the piece in that column then collides or not by one look, and a collision says how far up the piece must leap,
so a column of the stock is searched in leaps instead of cells."""

import numba
import numpy as np
from numpy.typing import NDArray

Runs = NDArray[np.int32]
"""(n, 3): column, first cell and last cell of a vertical run of a piece, relative to its lower left cell."""

FAR = 1 << 30


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def lowest_place(next_taken, next_free, runs, height, columns, floor, limit):  # type: ignore[no-untyped-def]
    """The (column, row) where the top of the piece is lowest, and that top; the top is `limit` when nowhere is lower.

    `floor` (one row a column) says how far up each column was searched before for this piece: cells are only ever
    taken, so what collided once always will. It is raised on the way."""
    best_top, best_x, best_y = limit, -1, -1
    count = runs.shape[0]
    for x in range(next_taken.shape[0] - columns + 1):
        y = floor[x]
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
        floor[x] = y
    return best_x, best_y, best_top


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def occupy(taken, next_taken, next_free, runs, x, y):  # type: ignore[no-untyped-def]
    """Mark the cells of a piece at (x, y) as taken and renew the looks of the columns it touches."""
    for run in range(runs.shape[0]):
        column, low, high = x + runs[run, 0], y + runs[run, 1], y + runs[run, 2]
        for row in range(low, high + 1):
            taken[column, row] = True
        after = next_free[column, high + 1] if high + 1 < taken.shape[1] else taken.shape[1]
        row = high
        while row >= low:
            next_taken[column, row] = row
            next_free[column, row] = after
            row -= 1
        # what lies right below and was taken already now reaches up to the same free cell
        while row >= 0 and taken[column, row]:
            next_free[column, row] = after
            row -= 1
        # free cells below that look up at the run, down to the next taken one; nothing further down sees a change
        while row >= 0 and not taken[column, row]:
            next_taken[column, row] = min(next_taken[column, row], low)
            row -= 1


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def refresh_column(taken, next_taken, next_free, column):  # type: ignore[no-untyped-def]
    """`next_taken` and `next_free` (columns, rows) of one column, made anew from `taken`."""
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
        self, runs: Runs, height: int, columns: int, floor: NDArray[np.int32], limit: int
    ) -> tuple[int, int, int]:
        """Where a piece of `columns` × `height` cells fits lowest: (column, row, top). The column is −1 when its top
        cannot be below `limit`. `floor` (columns) is kept by the caller for every piece, zeros at first."""
        x, y, top = lowest_place(self._next_taken, self._next_free, runs, height, columns, floor, min(limit, self.rows))
        return int(x), int(y), int(top)

    def occupy(self, runs: Runs, x: int, y: int) -> None:
        """Take the cells of a piece whose lower left cell is (x, y)."""
        occupy(self._taken, self._next_taken, self._next_free, runs, x, y)
