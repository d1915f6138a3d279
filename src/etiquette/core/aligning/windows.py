"""Marks and codes in the pixels of an optical head's window."""

from dataclasses import dataclass

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.marking.codes import FrameCode, parse_payload

SIZE_SLACK = 0.25
"""A disc may look this much larger or smaller than planned: stretch, ink gain and blur together stay well below."""
ROUND_ENOUGH = 0.85
"""Least 4π·area ÷ perimeter² of a blob that passes for a disc."""
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
class SeenDisc:
    x: float
    y: float
    diameter_mm: float


@dataclass(frozen=True)
class SeenCode:
    """A frame code: its centre on the cutter and the direction its upper edge runs, in degrees."""

    code: FrameCode
    x: float
    y: float
    angle_deg: float


def find_discs(window: Window, diameter_mm: float) -> list[SeenDisc]:
    """Dark discs of about `diameter_mm` that lie wholly in the window, with sub-pixel centres.

    The centre is the centroid of darkness over the disc and a rim round it, so that every edge pixel counts for the
    share of it that is dark.
    """
    grey = cv2.GaussianBlur(window.pixels, (3, 3), 0)
    level, dark = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY_INV + cv2.THRESH_OTSU)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    wanted = diameter_mm / window.mm_per_px
    found = []
    for label in range(1, count):
        left, top, width, height, area = (int(value) for value in stats[label])
        if abs(max(width, height) / wanted - 1) > SIZE_SLACK or min(width, height) < 0.75 * max(width, height):
            continue
        margin = max(2, int(0.15 * wanted))
        if (
            left < margin
            or top < margin
            or left + width > grey.shape[1] - margin
            or top + height > grey.shape[0] - margin
        ):
            continue
        shape = (labels[top : top + height, left : left + width] == label).astype(np.uint8)
        if not _is_round(shape, area):
            continue
        cut = np.s_[top - margin : top + height + margin, left - margin : left + width + margin]
        disc = _centroid(window.pixels[cut].astype(float), labels[cut] == label, left - margin, top - margin, window)
        if disc:
            found.append(disc)
    return found


def _is_round(shape: NDArray[np.uint8], area: int) -> bool:
    contours, _ = cv2.findContours(np.pad(shape, 1), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = max(contours, key=len)
    perimeter = cv2.arcLength(cv2.convexHull(outline), True)
    hull = cv2.contourArea(cv2.convexHull(outline))
    return 4 * np.pi * hull / perimeter**2 > ROUND_ENOUGH and area > 0.85 * hull


def _centroid(
    grey: NDArray[np.float64], inside: NDArray[np.bool_], left: int, top: int, window: Window
) -> SeenDisc | None:
    near = cv2.dilate(inside.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    ground = float(np.median(grey[~near])) if (~near).any() else 255.0
    ink = float(np.median(grey[inside]))
    if ground - ink < LEAST_CONTRAST:
        return None
    darkness = np.where(near, np.clip((ground - grey) / (ground - ink), 0, 1), 0)
    total = darkness.sum()
    rows, columns = np.mgrid[: grey.shape[0], : grey.shape[1]] + 0.5
    x, y = window.place(float((darkness * columns).sum() / total) + left, float((darkness * rows).sum() / total) + top)
    return SeenDisc(x, y, float(2 * np.sqrt(total / np.pi)) * window.mm_per_px)


def find_code(window: Window) -> SeenCode | None:
    """The frame code in the window; None when there is none, or what is there is not one of ours.

    Looked for as seen, then smoothed, then doubled: noise that hides a code from one of these leaves it to another.
    """
    smooth = cv2.GaussianBlur(window.pixels, (0, 0), SMOOTH_PX)
    doubled = cv2.resize(smooth, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    for pixels, scale in ((window.pixels, 1), (smooth, 1), (doubled, 2)):
        for barcode in zxingcpp.read_barcodes(pixels, formats=zxingcpp.BarcodeFormat.DataMatrix):
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
