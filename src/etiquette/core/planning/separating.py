"""Making room: pieces that lie in each other on a stretch that is a little too short are moved until none does.

Guided local search (C. Voudouris, E. Tsang, "Guided local search", 1999): every pair has a weight that rises while it
stays in collision, so that the search does not settle where a few pieces block each other. A piece is moved to the best
place on whole columns and rows of the raster, which the no-fit tables give by addition, and then along the row and the
column through the best of them by turns."""

from dataclasses import dataclass, replace

import numba
import numpy as np
from numpy.typing import NDArray

from etiquette.core.planning.no_fit import NoFit

COLUMNS_TRIED = 3
"""Random columns on which a place is looked for at each rotation, besides that of the piece itself."""
REFINED = 2
"""How many of the best places found are followed further."""
HEAVIER, LIGHTER = 1.2, 0.95
"""By how much the weight of the deepest pair rises in a sweep, and what is left of that of a pair that is free."""

Whole = NDArray[np.int32]


@dataclass(frozen=True)
class Packing:
    """Items on the raster: `stamps` (n) of each item, `x` and `y` (n) of its lower left cell. The first `free` items
    may be moved; the others are pinned pieces and keep-outs."""

    stamps: Whole
    x: Whole
    y: Whole
    free: int

    def copy(self) -> "Packing":
        """A copy whose places can be changed without changing these."""
        return replace(self, stamps=self.stamps.copy(), x=self.x.copy(), y=self.y.copy())

    def top(self, rows: Whole) -> int:
        """The first row above every free item."""
        return int((self.y + rows[self.stamps])[: self.free].max(initial=0))


@dataclass(frozen=True)
class Choices:
    """Item i may be any of the stamps from `first[i]` to before `last[i]`."""

    first: Whole
    last: Whole


class Separation:
    """One attempt to fit a packing into `rows` rows of `columns` columns; every item fits there at one of its turns."""

    def __init__(self, tables: NoFit, choices: Choices, packing: Packing, columns: int, rows: int, seed: int) -> None:
        self._tables, self._choices = tables, choices
        self._columns, self._rows = columns, rows
        self.packing = packing
        self._seed = seed
        count = len(packing.x)
        self._weights = np.ones((count, count), dtype=np.float32)
        self.least = np.inf
        self.sweeps_in_vain = 0
        _lie_down(packing.stamps, packing.free, choices.first, choices.last, tables.rows, rows)
        _clamp(packing.x, packing.y, packing.stamps, tables.columns, tables.rows, packing.free, columns, rows)

    def run(self, moves: int) -> bool:
        """Sweep until nothing collides (True) or about `moves` pieces were moved."""
        packing, tables = self.packing, self._tables
        while moves > 0:
            overlap, made = sweep(
                packing.stamps,
                packing.x,
                packing.y,
                packing.free,
                self._choices.first,
                self._choices.last,
                tables.depths,
                tables.across,
                tables.starts,
                tables.columns,
                tables.rows,
                self._weights,
                self._columns,
                self._rows,
                self._seed,
            )
            self._seed += 1
            moves -= max(made, 1)
            if overlap == 0:
                return True
            if overlap < self.least:
                self.least, self.sweeps_in_vain = overlap, 0
            else:
                self.sweeps_in_vain += 1
        return False


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _lie_down(stamps, free, first, last, high, rows):  # type: ignore[no-untyped-def]
    """Items too tall for the rows are turned the first way that fits."""
    for i in range(free):
        if high[stamps[i]] > rows:
            for k in range(first[i], last[i]):
                if high[k] <= rows:
                    stamps[i] = k
                    break


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _clamp(x, y, stamps, wide, high, free, columns, rows):  # type: ignore[no-untyped-def]
    for i in range(free):
        x[i] = max(0, min(x[i], columns - wide[stamps[i]]))
        y[i] = max(0, min(y[i], rows - high[stamps[i]]))


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def depth_of(p, q, dx, dy, depths, starts, wide, high):  # type: ignore[no-untyped-def]
    """How deep stamp q lies in stamp p, q's lower left cell being (dx, dy) from p's."""
    if dx <= -wide[q] or dx >= wide[p] or dy <= -high[q] or dy >= high[p]:
        return 0
    if p <= q:
        return depths[starts[p, q] + (dx + wide[q] - 1) * (high[p] + high[q] - 1) + dy + high[q] - 1]
    return depths[starts[q, p] + (-dx + wide[p] - 1) * (high[p] + high[q] - 1) - dy + high[p] - 1]


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def along_column(cost, parts, i, o, at, stamps, x, y, depths, starts, wide, high, weights, rows):  # type: ignore[no-untyped-def]
    """Fill `cost` with the weighted depth of item i as stamp o in column `at`, for every row from 0 on; returns how
    many. `parts` is room for the stretches of tables that are added up."""
    places = rows - high[o] + 1
    count = 0
    for j in range(len(x)):
        q = stamps[j]
        dx = at - x[j]
        if dx <= -wide[o] or dx >= wide[q] or j == i:
            continue
        low, top = max(0, y[j] - high[o] + 1), min(places - 1, y[j] + high[q] - 1)
        if low > top:
            continue
        tall = high[o] + high[q] - 1
        forward = q <= o
        if forward:
            start = starts[q, o] + (dx + wide[o] - 1) * tall + low - y[j] + high[o] - 1
        else:
            start = starts[o, q] + (-dx + wide[q] - 1) * tall + y[j] - top + high[q] - 1
        parts[count, 0], parts[count, 1], parts[count, 2], parts[count, 3], parts[count, 4] = (
            start,
            low,
            top,
            j,
            forward,
        )
        count += 1
    _add_up(cost, places, parts, count, depths, weights[i])
    return places


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def along_row(cost, parts, i, o, at, stamps, x, y, across, starts, wide, high, weights, columns):  # type: ignore[no-untyped-def]
    """As `along_column`, for every column of row `at`; `across` holds the tables with columns running fastest."""
    places = columns - wide[o] + 1
    count = 0
    for j in range(len(x)):
        q = stamps[j]
        dy = at - y[j]
        if dy <= -high[o] or dy >= high[q] or j == i:
            continue
        low, top = max(0, x[j] - wide[o] + 1), min(places - 1, x[j] + wide[q] - 1)
        if low > top:
            continue
        broad = wide[o] + wide[q] - 1
        forward = q <= o
        if forward:
            start = starts[q, o] + (dy + high[o] - 1) * broad + low - x[j] + wide[o] - 1
        else:
            start = starts[o, q] + (-dy + high[q] - 1) * broad + x[j] - top + wide[q] - 1
        parts[count, 0], parts[count, 1], parts[count, 2], parts[count, 3], parts[count, 4] = (
            start,
            low,
            top,
            j,
            forward,
        )
        count += 1
    _add_up(cost, places, parts, count, across, weights[i])
    return places


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _add_up(cost, places, parts, count, depths, weights):  # type: ignore[no-untyped-def]
    """cost[low … top] += weight · depths, forwards or backwards, for every stretch in `parts`."""
    touched = 0
    for n in range(count):
        # the tables are large: all stretches are fetched at once before the first is needed
        for k in range(parts[n, 0], parts[n, 0] + parts[n, 2] - parts[n, 1] + 1, 64):
            touched += depths[k]
    cost[:places] = np.float32(0.0) * touched
    for n in range(count):
        start, low, length = parts[n, 0], parts[n, 1], parts[n, 2] - parts[n, 1] + 1
        weight = weights[parts[n, 3]]
        stretch, filled = depths[start : start + length], cost[low : low + length]
        if parts[n, 4]:
            for k in range(length):
                filled[k] += weight * np.float32(stretch[k])
        else:
            backwards = stretch[::-1]
            for k in range(length):
                filled[k] += weight * np.float32(backwards[k])


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _least(cost, places):  # type: ignore[no-untyped-def]
    """The least of the first `places` of `cost`, and the first place that has it."""
    least, at = cost[0], 0
    for k in range(1, places):
        if cost[k] < least:
            least, at = cost[k], k
    return least, at


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _cost_here(i, o, at_x, at_y, stamps, x, y, depths, starts, wide, high, weights):  # type: ignore[no-untyped-def]
    total = 0.0
    for j in range(len(x)):
        if j != i:
            total += weights[i, j] * depth_of(stamps[j], o, at_x - x[j], at_y - y[j], depths, starts, wide, high)
    return total


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _insert(found, cost, o, at_x, at_y):  # type: ignore[no-untyped-def]
    """Keep a place in `found` (rows of cost, stamp, x, y; the best first) if it is among the best."""
    last = found.shape[0] - 1
    if cost >= found[last, 0]:
        return
    k = last
    while k > 0 and found[k - 1, 0] > cost:
        for part in range(4):
            found[k, part] = found[k - 1, part]
        k -= 1
    found[k, 0], found[k, 1], found[k, 2], found[k, 3] = cost, o, at_x, at_y


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _move(i, stamps, x, y, first, last, depths, across, starts, wide, high, weights, columns, rows, cost, parts, found):  # type: ignore[no-untyped-def]
    """Put item i where its weighted depth is least among the places looked at; stays where it is when none is
    better."""
    here = _cost_here(i, stamps[i], x[i], y[i], stamps, x, y, depths, starts, wide, high, weights)
    if here == 0.0:
        return
    found[:, 0] = np.inf
    own = stamps[i]
    for o in range(first[i], last[i]):
        if high[o] > rows or wide[o] > columns:
            continue
        spare = columns - wide[o]
        for turn in range(COLUMNS_TRIED + 1):
            at = max(0, min(x[i] + (wide[own] - wide[o]) // 2, spare)) if turn == 0 else np.random.randint(0, spare + 1)
            places = along_column(cost, parts, i, o, at, stamps, x, y, depths, starts, wide, high, weights, rows)
            least, row = _least(cost, places)
            _insert(found, least, o, at, row)
        at = max(0, min(y[i] + (high[own] - high[o]) // 2, rows - high[o]))
        places = along_row(cost, parts, i, o, at, stamps, x, y, across, starts, wide, high, weights, columns)
        least, column = _least(cost, places)
        _insert(found, least, o, column, at)
    for k in range(found.shape[0]):
        if found[k, 0] == np.inf:
            continue
        o, at_x, at_y, best = int(found[k, 1]), int(found[k, 2]), int(found[k, 3]), found[k, 0]
        by_row = True
        tries = 0
        while best > 0.0 and tries < 8:
            if by_row:
                places = along_row(cost, parts, i, o, at_y, stamps, x, y, across, starts, wide, high, weights, columns)
                least, at = _least(cost, places)
            else:
                places = along_column(cost, parts, i, o, at_x, stamps, x, y, depths, starts, wide, high, weights, rows)
                least, at = _least(cost, places)
            if least < best:
                best = least
                if by_row:
                    at_x = at
                else:
                    at_y = at
            elif tries > 0:
                break
            by_row = not by_row
            tries += 1
        if best < here:
            here = best
            stamps[i], x[i], y[i] = o, at_x, at_y


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def sweep(stamps, x, y, free, first, last, depths, across, starts, wide, high, weights, columns, rows, seed):  # type: ignore[no-untyped-def]
    """Move every free item that collides once, in a random order, and make the weights follow. Returns the depth that
    is left, added up over all pairs, and how many items were looked at."""
    np.random.seed(seed)
    count = len(x)
    cost = np.empty(max(columns, rows) + 1, dtype=np.float32)
    parts = np.empty((count, 5), dtype=np.int64)
    found = np.empty((REFINED, 4), dtype=np.float64)
    made = 0
    for i in np.random.permutation(free):
        collides = False
        for j in range(count):
            if j != i and depth_of(stamps[i], stamps[j], x[j] - x[i], y[j] - y[i], depths, starts, wide, high) > 0:
                collides = True
                break
        if collides:
            _move(
                i,
                stamps,
                x,
                y,
                first,
                last,
                depths,
                across,
                starts,
                wide,
                high,
                weights,
                columns,
                rows,
                cost,
                parts,
                found,
            )
            made += 1
    return _reweigh(stamps, x, y, free, depths, starts, wide, high, weights), made


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def _reweigh(stamps, x, y, free, depths, starts, wide, high, weights):  # type: ignore[no-untyped-def]
    count = len(x)
    total, deepest = 0, 0
    for i in range(free):
        for j in range(i + 1, count):
            depth = depth_of(stamps[i], stamps[j], x[j] - x[i], y[j] - y[i], depths, starts, wide, high)
            total += depth
            deepest = max(deepest, depth)
    if total == 0:
        return total
    for i in range(free):
        for j in range(i + 1, count):
            depth = depth_of(stamps[i], stamps[j], x[j] - x[i], y[j] - y[i], depths, starts, wide, high)
            if depth > 0:
                weights[i, j] *= HEAVIER + (2.0 - HEAVIER) * depth / deepest
            elif weights[i, j] > 1.0:
                weights[i, j] = max(1.0, weights[i, j] * LIGHTER)
            weights[j, i] = weights[i, j]
    return total
