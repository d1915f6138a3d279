"""Marks and codes in the pixels of an optical head's window."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.marking.codes import FORMATS, FrameCode, parse_payload
from etiquette.core.marking.marks import MarkRecipe, mark_area

SIZE_SLACK = 0.25
AREA_SLACK = 0.45
"""A mark may look this much larger or smaller than planned: stretch, ink gain and blur together stay well below."""
ROUND_ENOUGH = 0.85
"""Least share of the roundness (4π·area ÷ perimeter²) that the hull of a mark of this shape has."""
SMOOTH_PX = 1.2
LEAST_CONTRAST = 30.0
"""Least difference of grey between mark and ground, of 255."""


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
class SeenMark:
    """The middle of a mark's darkness on the cutter, and the dark area in mm²."""

    x: float
    y: float
    area_mm2: float


@dataclass(frozen=True)
class SeenCode:
    """A frame code: its centre on the cutter and the direction its upper edge runs, in degrees."""

    code: FrameCode
    x: float
    y: float
    angle_deg: float


def find_marks(window: Window, recipe: MarkRecipe) -> list[SeenMark]:
    """Dark marks of the set's shape and about its size that lie wholly in the window, with sub-pixel middles.

    The middle is the centroid of darkness over the mark and a rim round it, so that every edge pixel counts for the
    share of it that is dark.
    """
    grey = cv2.GaussianBlur(window.pixels, (3, 3), 0)
    _, dark = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY_INV + cv2.THRESH_OTSU)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    wanted = recipe.size_mm / window.mm_per_px
    area_wanted = mark_area(recipe).area / window.mm_per_px**2
    margin = max(2, int(0.15 * wanted))
    found = []
    for label in range(1, count):
        left, top, width, height, area = (int(value) for value in stats[label])
        if abs(max(width, height) / wanted - 1) > SIZE_SLACK or min(width, height) < 0.75 * max(width, height):
            continue
        if abs(area / area_wanted - 1) > AREA_SLACK:
            continue
        high, wide = grey.shape
        if min(left, top) < margin or left + width > wide - margin or top + height > high - margin:
            continue
        shape = (labels[top : top + height, left : left + width] == label).astype(np.uint8)
        if not _is_of_shape(shape, area, recipe):
            continue
        cut = np.s_[top - margin : top + height + margin, left - margin : left + width + margin]
        mark = _centroid(window.pixels[cut].astype(float), labels[cut] == label, left - margin, top - margin, window)
        if mark:
            found.append(mark)
    return found


def _is_of_shape(shape: NDArray[np.uint8], area: int, recipe: MarkRecipe) -> bool:
    """How round the hull is and how much of it is dark tell the five shapes apart."""
    contours, _ = cv2.findContours(np.pad(shape, 1), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    hull_line = cv2.convexHull(max(contours, key=len))
    hull = cv2.contourArea(hull_line)
    roundness = 4 * np.pi * hull / cv2.arcLength(hull_line, True) ** 2
    planned = mark_area(recipe)
    planned_hull = planned.convex_hull
    planned_roundness = 4 * np.pi * planned_hull.area / planned_hull.length**2
    filled = planned.area / planned_hull.area
    return bool(roundness > ROUND_ENOUGH * planned_roundness and 0.8 * filled < area / hull < 1.3 * filled)


def _centroid(
    grey: NDArray[np.float64], inside: NDArray[np.bool_], left: int, top: int, window: Window
) -> SeenMark | None:
    near = cv2.dilate(inside.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    ground = float(np.median(grey[~near])) if (~near).any() else 255.0
    ink = float(np.median(grey[inside]))
    if ground - ink < LEAST_CONTRAST:
        return None
    darkness = np.where(near, np.clip((ground - grey) / (ground - ink), 0, 1), 0)
    total = darkness.sum()
    rows, columns = np.mgrid[: grey.shape[0], : grey.shape[1]] + 0.5
    x, y = window.place(float((darkness * columns).sum() / total) + left, float((darkness * rows).sum() / total) + top)
    return SeenMark(x, y, float(total) * window.mm_per_px**2)


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


def find_code(window: Window) -> SeenCode | None:
    """The frame code in the window; None when there is none, or what is there is not one of ours.

    Looked for as seen, then smoothed, then doubled: noise that hides a code from one of these leaves it to another.
    """
    smooth = cv2.GaussianBlur(window.pixels, (0, 0), SMOOTH_PX)
    doubled = cv2.resize(smooth, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    for pixels, scale in ((window.pixels, 1), (smooth, 1), (doubled, 2)):
        for barcode in zxingcpp.read_barcodes(pixels, formats=list(FORMATS.values())):
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
