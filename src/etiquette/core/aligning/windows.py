"""The window of an optical head, and the frame code in it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.marking.codes import FORMATS, CodeKind, FrameCode, parse_payload

SMOOTH_PX = 1.2
FAINT = 8
"""Greys this far, of 255, from those around them are neither dark nor light."""
CHANGES, LINES, EVERY = 6, 3, 4
"""How often dark and light change, at least, along how many lines, of every so manieth, where a code is: through the
smallest code run far more such lines (test_windows.py), through a mark none, it changes four times."""


@dataclass(frozen=True)
class Window:
    """Grey `pixels` (h, w) uint8 as the head sees them, top row first; (x, y) is where the middle of the window lies on
    the cutter, in mm, y up; `mm_per_px` its scale."""

    pixels: NDArray[np.uint8]
    x: float
    y: float
    mm_per_px: float

    def place(self, column: float, row: float) -> tuple[float, float]:
        """Cutter coordinates of a point in pixels (edges of the first pixel at 0)."""
        height, width = self.pixels.shape
        return (self.x + (column - width / 2) * self.mm_per_px, self.y - (row - height / 2) * self.mm_per_px)


@dataclass(frozen=True)
class SeenCode:
    """A frame code: its centre on the cutter and the direction its upper edge runs, in degrees."""

    code: FrameCode
    x: float
    y: float
    angle_deg: float


def side_by_side(windows: Sequence[Window]) -> Window:
    """Windows of one scale that lie beside each other along x, as one; what they do not cover is white."""
    first = windows[0]
    step = first.mm_per_px
    offsets = [round((window.x - first.x) / step) for window in windows]
    wide = max(offsets) + first.pixels.shape[1]
    pixels = np.full((first.pixels.shape[0], wide), 255, dtype=np.uint8)
    for window, at in zip(windows, offsets, strict=True):
        pixels[:, at : at + window.pixels.shape[1]] = window.pixels
    return Window(pixels, first.x + (wide - first.pixels.shape[1]) / 2 * step, first.y, step)


def may_hold_code(window: Window) -> bool:
    """Whether dark and light change as often as in a code, along rows or along columns. Most of a search sees bare
    stock, the edge of the sheet, a mark or plain art, which takes a decoder thirty times as long to find nothing in."""
    smooth = _smooth(window)
    around = tuple(max(1, side // 3) for side in smooth.shape[::-1])
    level = cv2.blur(smooth, around)
    rows = smooth[::EVERY].astype(np.int16) - level[::EVERY]
    columns = smooth[:, ::EVERY].astype(np.int16) - level[:, ::EVERY]
    return any(np.count_nonzero(_changes(lines) >= CHANGES) >= LINES for lines in (rows, columns.T))


def _changes(lines: NDArray[np.int16]) -> NDArray[np.intp]:
    """How often each of the lines (n, m) goes from dark to light or back, what is neither left out."""
    signs = np.where(np.abs(lines) > FAINT, np.sign(lines), 0).astype(np.int8)
    at = np.maximum.accumulate(np.where(signs != 0, np.arange(signs.shape[1]), 0), axis=1)
    known = np.take_along_axis(signs, at, axis=1)
    return np.asarray(np.count_nonzero(known[:, 1:] * known[:, :-1] < 0, axis=1))


def _smooth(window: Window) -> NDArray[np.uint8]:
    return np.asarray(cv2.GaussianBlur(window.pixels, (0, 0), SMOOTH_PX))


def find_code(window: Window, kinds: Iterable[CodeKind] = FORMATS) -> SeenCode | None:
    """The frame code of one of `kinds` in the window; None when there is none, or what is there is not one of ours.

    Looked for as seen, then smoothed, then doubled: noise that hides a code from one of these leaves it to another.
    """
    smooth = _smooth(window)
    formats = [FORMATS[kind] for kind in kinds]
    doubled = cv2.resize(smooth, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    for pixels, scale in ((window.pixels, 1), (smooth, 1), (doubled, 2)):
        # not halved by the reader itself: the picture of half the size has been looked at
        for barcode in zxingcpp.read_barcodes(pixels, formats=formats, try_invert=False, try_downscale=scale == 1):
            code = parse_payload(barcode.text)
            if code is not None:
                return _placed(code, barcode.position, window, scale)
    return None


def _placed(code: FrameCode, corners: zxingcpp.Position, window: Window, scale: int) -> SeenCode:
    """Where a code lies on the cutter, from its corners in pixels of a picture `scale` times as large."""
    order = (corners.top_left, corners.top_right, corners.bottom_right, corners.bottom_left)
    places = [window.place(corner.x / scale, corner.y / scale) for corner in order]
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = places
    angle = np.degrees(np.arctan2((y1 - y0) + (y2 - y3), (x1 - x0) + (x2 - x3)))
    return SeenCode(code, float(np.mean([p[0] for p in places])), float(np.mean([p[1] for p in places])), float(angle))
