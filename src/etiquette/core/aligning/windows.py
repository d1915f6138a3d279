"""The window of an optical head, and the frame code in it."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.marking.codes import FORMATS, FrameCode, parse_payload

SMOOTH_PX = 1.2
BLANK = 16
"""A smoothed window whose greys differ by less than this, of 255, is bare stock or all ink: most of a search sees
nothing else."""


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


def is_blank(window: Window) -> bool:
    """Whether nothing is printed in the window, or nothing else but one even area."""
    return bool(np.ptp(_smooth(window)) < BLANK)


def _smooth(window: Window) -> NDArray[np.uint8]:
    return np.asarray(cv2.GaussianBlur(window.pixels, (0, 0), SMOOTH_PX))


def find_code(window: Window) -> SeenCode | None:
    """The frame code in the window; None when there is none, or what is there is not one of ours.

    Looked for as seen, then smoothed, then doubled: noise that hides a code from one of these leaves it to another.
    """
    smooth = _smooth(window)
    if np.ptp(smooth) < BLANK:
        return None
    doubled = cv2.resize(smooth, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    for pixels, scale in ((window.pixels, 1), (smooth, 1), (doubled, 2)):
        for barcode in zxingcpp.read_barcodes(pixels, formats=list(FORMATS.values()), try_invert=False):
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
