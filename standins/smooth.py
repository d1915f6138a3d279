"""Smooth fields over many pixels, worked out at a few of them."""

from collections.abc import Callable

import cv2
import numpy as np

STEP = 16


def over_pixels(
    field: Callable[[np.ndarray, np.ndarray], np.ndarray], shape: tuple[int, int], step: int = STEP
) -> np.ndarray:
    """`field` of (columns, rows), any shape, gives values with one more axis; here for every pixel of a picture of
    `shape`, float32, worked out at the middle of every square of `step` pixels and linear between them."""
    rows, columns = shape
    middles = [np.arange(-step, size + step, step) + (step - 1) / 2 for size in (columns, rows)]
    coarse = field(*np.meshgrid(*middles)).astype(np.float32)
    fine = cv2.resize(coarse, None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR)
    return np.asarray(fine[step : step + rows, step : step + columns])
