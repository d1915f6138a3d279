"""Rings where a field of samples crosses one half, between the samples: marching squares, vectorised."""

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Points

Samples = NDArray[np.float32] | NDArray[np.uint8]

# The four corners of a cell are bits 1 (top left), 2 (top right), 4 (bottom right), 8 (bottom left); its sides are
# 0 top, 1 right, 2 bottom, 3 left. Walking from the first side to the second keeps the high samples on the right,
# seen with y down.
_STEPS: dict[int, tuple[tuple[int, int], ...]] = {
    1: ((0, 3),),
    2: ((1, 0),),
    3: ((1, 3),),
    4: ((2, 1),),
    6: ((2, 0),),
    7: ((2, 3),),
    8: ((3, 2),),
    9: ((0, 2),),
    11: ((1, 2),),
    12: ((3, 1),),
    13: ((0, 1),),
    14: ((3, 0),),
}
_SADDLES_APART = {5: ((0, 3), (2, 1)), 10: ((1, 0), (3, 2))}
_SADDLES_JOINED = {5: ((0, 1), (2, 3)), 10: ((1, 2), (3, 0))}


def rings_at_half(field: Samples) -> list[Points]:
    """Closed rings (n, 2) of x, y in pixels (edges of the first pixel at 0) where `field` (h, w) crosses one half: 0.5,
    or 127.5 when its samples are bytes.

    Outside the field counts as 0, so every ring closes. A ring round high samples has positive area with y up, a ring
    round a hole negative. Crossings are placed by linear interpolation between neighbouring samples.
    """
    padded: Samples = np.pad(field, 1)  # type: ignore[assignment]
    half = 127.5 if padded.dtype == np.uint8 else 0.5
    width = padded.shape[1]
    high = (padded >= half).view(np.uint8)
    pairs = high[:-1] + high[1:]
    count = pairs[:, :-1] + pairs[:, 1:]
    # a cell with all corners low (0) or all high (4) has no crossing
    rows, columns = np.divmod(np.flatnonzero((count & 3) != 0), width - 1)
    if len(rows) == 0:
        return []
    codes = (
        high[rows, columns]
        + 2 * high[rows, columns + 1]
        + 4 * high[rows + 1, columns + 1]
        + 8 * high[rows + 1, columns]
    )
    starts, ends = _links(padded, half, codes, rows, columns, width)
    order = np.argsort(starts)
    starts, ends = starts[order], ends[order]
    following = np.searchsorted(starts, ends)
    places = _places(padded, half, starts, width)
    return [places[chain] for chain in _cycles(following) if len(chain) > 2]


def _links(
    padded: Samples,
    half: float,
    codes: NDArray[np.uint8],
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    width: int,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For every step through a cell, the numbers of the grid sides it goes from and to."""
    count = padded.size
    cell = rows.astype(np.int64) * width + columns
    sides = np.stack([cell, count + cell + 1, cell + width, count + cell])  # top, right, bottom, left
    starts, ends = [], []

    def add(chosen: NDArray[np.bool_], steps: tuple[tuple[int, int], ...]) -> None:
        for first, second in steps:
            starts.append(sides[first][chosen])
            ends.append(sides[second][chosen])

    for value, steps in _STEPS.items():
        add(codes == value, steps)
    for value in (5, 10):
        saddle = codes == value
        row, column = rows[saddle], columns[saddle]
        around = [padded[row + down, column + right].astype(float) for down in (0, 1) for right in (0, 1)]
        joined = np.zeros_like(saddle)
        joined[saddle] = sum(around) >= 4 * half
        add(saddle & ~joined, _SADDLES_APART[value])
        add(joined, _SADDLES_JOINED[value])
    return np.concatenate(starts), np.concatenate(ends)


def _places(padded: Samples, half: float, sides: NDArray[np.int64], width: int) -> Points:
    """Where the field crosses one half on each grid side, in pixels of the unpadded picture."""
    count = padded.size
    upright = sides >= count
    corner = np.where(upright, sides - count, sides)
    other = corner + np.where(upright, width, 1)
    flat = padded.ravel()
    near, far = flat[corner].astype(float), flat[other].astype(float)
    share = np.clip((half - near) / (far - near), 0.0, 1.0)
    # sample (row, column) of the padded field has its centre at (column − 0.5, row − 0.5)
    x = corner % width - 0.5 + np.where(upright, 0, share)
    y = corner // width - 0.5 + np.where(upright, share, 0)
    return np.stack([x, y], axis=1)


def _cycles(following: NDArray[np.intp]) -> list[list[int]]:
    successor = following.tolist()
    seen = bytearray(len(successor))
    cycles = []
    for first in range(len(successor)):
        if seen[first]:
            continue
        chain, at = [], first
        while not seen[at]:
            seen[at] = 1
            chain.append(at)
            at = successor[at]
        cycles.append(chain)
    return cycles
