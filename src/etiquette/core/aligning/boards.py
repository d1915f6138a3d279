"""The camera over a cutter's mat, told from the mat itself.

A mat that is read by a camera is printed with square markers of an open set (S. Garrido-Jurado and others, "Automatic
generation and detection of highly reliable fiducial markers under occlusion", Pattern Recognition 47(6), 2014) at known
places. Those that the sheet leaves free say where the camera was, how it was tilted and how its lens bends.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.photos import Camera
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

Grey = NDArray[np.uint8]
LEAST_MARKERS = 8
LEAST_SPREAD = 0.5
"""Share of the photo's width and of its height over which the markers have to be spread: beyond them the lens is a
guess."""
EDGE_PX = (3, 10)
"""Least and most half side of the square in which a corner is found to a fraction of a pixel: it must not reach the
inner cells of a marker."""
ROUNDS = 5
SURE_PX, STRAY = 0.15, 4.0
"""A marker is a stray when it lies so many pixels, and so many times as far as half of them do, from its place."""


@dataclass(frozen=True)
class Board:
    """Markers number 0, 1, 2 ... of the set called `markers`, `across` in a row, row after row along the table, their
    middles `step_mm` apart from `first_mm` on; each `side_mm` wide."""

    markers: str
    side_mm: float
    step_mm: float
    across: int
    first_mm: tuple[float, float]

    def middles(self, numbers: NDArray[np.int64]) -> Points:
        """Where the markers `numbers` (n,) have their middles on the table, (n, 2) mm."""
        cells = np.column_stack([numbers % self.across, numbers // self.across])
        return np.asarray(self.first_mm + self.step_mm * cells)


def camera_over(photo: Grey, board: Board) -> Camera:
    """The camera that took `photo` (h, w). Raises JobError when the markers in it do not tell."""
    family = getattr(cv2.aruco, board.markers, None)
    if not board.markers.startswith("DICT_") or family is None:
        raise JobError(
            f"Etiquette does not know the markers “{board.markers}” of the mat.",
            "photo",
            "Read the marks with the head.",
        )
    finder = cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(family))
    corners, numbers, _ = finder.detectMarkers(photo)
    if len(corners) < LEAST_MARKERS:
        raise JobError(
            f"The photo shows {len(corners)} squares of the mat; {LEAST_MARKERS} are needed.",
            "photo",
            "Clear and light the mat, or read the marks with the head.",
        )
    start = np.concatenate([one[0] for one in corners]).astype(np.float32).reshape(-1, 1, 2)
    cell = np.sqrt(cv2.contourArea(corners[0][0])) / (finder.getDictionary().markerSize + 2)
    edge = int(np.clip(0.8 * cell, *EDGE_PX))
    exact = cv2.cornerSubPix(photo, start, (edge, edge), (-1, -1), (3, 60, 0.003)).reshape(-1, 4, 2)
    # blur pulls the corners of a square outward alike; the crossing of its diagonals stays, in perspective too
    seen = np.array([_crossing(one.astype(float)) for one in exact]) + 0.5
    size = (photo.shape[1], photo.shape[0])
    if (np.ptp(seen, axis=0) < LEAST_SPREAD * np.array(size)).any():
        raise JobError(
            "The squares of the mat in the photo lie on one side only.",
            "photo",
            "Lay the sheet so that some stay free round it, or read the marks with the head.",
        )
    return _without_strays(board.middles(numbers.ravel().astype(np.int64)), seen, size)


def _without_strays(plane: Points, seen: Points, size: tuple[int, int]) -> Camera:
    """The camera that shows `plane` at `seen` (n, 2); markers that the edge of a sheet has clipped lie beside the
    others and are left out."""
    kept = np.ones(len(seen), dtype=bool)
    for _ in range(ROUNDS):
        camera = Camera.solved(plane[kept], seen[kept], size)
        away = np.hypot(*(camera.to_pixels(plane) - seen).T)
        now = away <= max(SURE_PX, STRAY * float(np.median(away[kept])))
        if now.sum() < LEAST_MARKERS or (now == kept).all():
            break
        kept = now
    return camera


def _crossing(square: Points) -> Points:
    """Where the diagonals of `square` (4, 2) cross."""
    first, second, third, fourth = square
    along = np.linalg.solve(np.column_stack([third - first, second - fourth]), second - first)[0]
    return np.asarray(first + along * (third - first))
