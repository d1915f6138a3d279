"""How deep any two stamps lie in each other, for every place of one beside the other, worked out beforehand.

For stamps p and q and the way d from p's lower left cell to q's, the table holds the number of cells by which q would
have to move to come free of p; 0 where they do not touch. A layout is judged by looking such numbers up, which costs
the same for any outline. The cells in which two stamps collide are the Minkowski sum of one with the other reversed;
how deep they lie in each other is the distance to the rim of that sum. Stamps are placed in steps of several cells, so
that the tables stay small while outlines are seen as finely as their cells."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from etiquette.core.planning.occupancy import Runs
from etiquette.core.planning.stamps import Stamp, turned_cells

DEEPEST = 255
"""Depths are kept in a byte; two stamps deeper in each other than this are very deep in each other."""
Table = NDArray[np.uint8]


@dataclass(frozen=True)
class NoFit:
    """Tables of all pairs p ≤ q of stamps in one long array: that of (p, q) starts at `starts[p, q]` and holds (columns
    p + columns q − 1) × (rows p + rows q − 1) depths, rows running fastest; the step (0, 0) lies at (columns q − 1,
    rows q − 1). `across` holds the same with columns running fastest: whole rows of it are read at once. `columns` and
    `rows` are the stamps' sizes."""

    depths: Table
    across: Table
    starts: NDArray[np.int64]
    columns: NDArray[np.int32]
    rows: NDArray[np.int32]


def table_cells(stamps: Sequence[Stamp], step: int) -> int:
    """How many depths the tables of these stamps hold, placed in steps of so many cells."""
    columns, rows = (
        np.array([-(-getattr(stamp, part) // step) for stamp in stamps], dtype=np.int64)
        for part in ("columns", "height")
    )
    wide, high = columns[:, None] + columns - 1, rows[:, None] + rows - 1
    every = wide * high
    return int((every.sum() + np.trace(every)) // 2)


def no_fit(stamps: Sequence[Stamp], step: int, threads: int) -> NoFit:
    """The tables of all pairs of `stamps`, whose columns and rows are multiples of `step`; all in steps. Pairs that are
    quarter turns of an earlier one are turned, not worked out."""
    columns = np.array([stamp.columns // step for stamp in stamps], dtype=np.int32)
    rows = np.array([stamp.height // step for stamp in stamps], dtype=np.int32)
    count = len(stamps)
    starts = np.full((count, count), -1, dtype=np.int64)
    size = 0
    for p in range(count):
        for q in range(p, count):
            starts[p, q] = size
            size += int(columns[p] + columns[q] - 1) * int(rows[p] + rows[q] - 1)
    depths, across = np.empty(size, dtype=np.uint8), np.empty(size, dtype=np.uint8)

    def keep(p: int, q: int, table: Table) -> None:
        if p > q:
            p, q, table = q, p, table[::-1, ::-1]
        part = slice(starts[p, q], starts[p, q] + table.size)
        depths[part], across[part] = table.reshape(-1), table.T.reshape(-1)

    place = {(stamp.piece, round(stamp.rotation % 360, 6)): number for number, stamp in enumerate(stamps)}
    # a family: pairs that are quarter turns of one pair, worked out once
    families: dict[tuple[int, int], list[tuple[int, int, int]]] = {}
    seen = np.zeros((count, count), dtype=np.bool_)
    for p in range(count):
        for q in range(p, count):
            if seen[p, q]:
                continue
            members = []
            for turns in range(4):
                pair = tuple(
                    place.get((stamps[n].piece, round((stamps[n].rotation + 90 * turns) % 360, 6)), -1) for n in (p, q)
                )
                if -1 in pair or seen[min(pair), max(pair)]:
                    continue
                seen[min(pair), max(pair)] = True
                members.append((turns, pair[0], pair[1]))
            families[p, q] = members

    def work(pair: tuple[int, int]) -> None:
        table = depth_table(stamps[pair[0]], stamps[pair[1]], step)
        turned = 0
        for turns, p, q in families[pair]:
            while turned < turns:
                table, turned = turned_cells(table), turned + 1  # type: ignore[arg-type, assignment]
            keep(p, q, table)

    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(work, families, chunksize=16))
    return NoFit(depths, across, starts, columns, rows)


def depth_table(one: Stamp, two: Stamp, step: int = 1) -> Table:
    """(columns 1 + columns 2 − 1, rows 1 + rows 2 − 1) in steps: how deep `two` lies in `one` at every way between
    them."""
    wide, high = (one.columns + two.columns) // step - 1, (one.height + two.height) // step - 1
    # a rim of one free place: beyond the table nothing collides
    mask = np.zeros((wide + 2, high + 2), dtype=np.uint8)
    collide(
        _by_residue(one.runs, step),
        _by_residue(two.runs, step),
        two.columns // step,
        two.height // step,
        step,
        mask[1:-1, 1:-1],
    )
    deep = cv2.distanceTransform(mask, cv2.DIST_L2, 3)[1:-1, 1:-1]
    table: Table = np.minimum(np.ceil(deep), DEEPEST).astype(np.uint8)
    return table


def _by_residue(runs: Runs, step: int) -> Runs:
    """Runs in the order of what is left of their column after whole steps: only equal ones can meet."""
    return np.ascontiguousarray(runs[np.argsort(runs[:, 0] % step, kind="stable")])


@numba.njit(cache=True, nogil=True)  # type: ignore[untyped-decorator]
def collide(one, two, columns, rows, step, mask):  # type: ignore[no-untyped-def]
    """Set `mask` to 1 at the ways, in steps, at which a run of `one` meets a run of `two` (`columns` × `rows` steps);
    runs come by the residue of their columns."""
    high = mask.shape[1]
    ends = np.zeros((mask.shape[0], high + 1), dtype=np.int32)
    first = 0
    for a in range(one.shape[0]):
        residue = one[a, 0] % step
        while first < two.shape[0] and two[first, 0] % step < residue:
            first += 1
        b = first
        while b < two.shape[0] and two[b, 0] % step == residue:
            # cells meet where the way is at least low and at most top cells: in whole steps between them
            low, top = one[a, 1] - two[b, 2], one[a, 2] - two[b, 1]
            start, end = -(-low // step), top // step
            if start <= end:
                column = (one[a, 0] - two[b, 0]) // step + columns - 1
                ends[column, start + rows - 1] += 1
                ends[column, end + rows] -= 1
            b += 1
    for column in range(mask.shape[0]):
        depth = 0
        for row in range(high):
            depth += ends[column, row]
            if depth > 0:
                mask[column, row] = 1
