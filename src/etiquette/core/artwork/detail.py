"""How busy a picture is, place by place: where a seam or a fold is seen least.

Edges of any kind count, in tone and in colour: letters and patterns are made of them. Faces, which may be smooth, are
looked for beside it (faces.py), and what has to stay whole is said by hand."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

CELLS = 480
"""Places along the longer side."""
BUSY = 0.35
"""The share of the strongest edge from which on a place is as busy as can be."""
SPREAD = 0.012
"""An edge is felt so far round it, as a share of the longer side: a seam hard beside a letter is no better than one
through it."""


def detail_of(pixels: NDArray[np.uint8]) -> NDArray[np.float64]:
    """(rows, columns) from 0, plain, to 1, busy, for a picture (height, width, 3 or 4 channels), whose clear parts are
    plain; no more than CELLS along its longer side, and no cell smaller than a pixel."""
    height, width = pixels.shape[:2]
    scale = min(1.0, 2 * CELLS / max(height, width))
    wide, high = max(2, round(width * scale)), max(2, round(height * scale))
    small = cv2.resize(pixels, (wide, high), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    if small.shape[2] == 4:
        small = small[..., :3] * small[..., 3:] + (1 - small[..., 3:])
    across, along = cv2.Sobel(small, cv2.CV_32F, 1, 0), cv2.Sobel(small, cv2.CV_32F, 0, 1)
    edges = np.sqrt(across**2 + along**2).max(axis=2)
    round_it = max(1.0, SPREAD * max(wide, high))
    felt = cv2.GaussianBlur(np.minimum(edges / (BUSY * 4), 1.0), (0, 0), round_it)
    columns, rows = max(1, min(CELLS, wide // 2)), max(1, min(CELLS, high // 2))
    made = cv2.resize(felt, (columns, rows), interpolation=cv2.INTER_AREA).astype(np.float64)
    top = made.max()
    return np.asarray(made / top if top > 0 else made)


def busy_in(
    detail: NDArray[np.float64], areas: Sequence[tuple[float, float, float, float]], size_mm: tuple[float, float]
) -> NDArray[np.float64]:
    """`detail` of a picture that is `size_mm` large, as busy as can be in `areas` (x, y from the lower left, width,
    height, mm)."""
    made, (rows, columns) = detail.copy(), detail.shape
    across, along = columns / size_mm[0], rows / size_mm[1]
    for x, y, width, height in areas:
        top, low = rows - (y + height) * along, rows - y * along
        made[max(0, round(top)) : round(low), max(0, round(x * across)) : round((x + width) * across)] = 1.0
    return made
