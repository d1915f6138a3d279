"""Marks read from one photo or scan of a whole sheet instead of many windows of an optical head.

The frame codes in the photo say roughly how it lies; from there the search goes outward, and every mark that is found
sharpens where the next one is expected, as in a reading session. Around each place the photo is laid out flat, so that
the finder of marks sees them as they were planned.

What the camera did is told apart from what the sheet did by points whose true places are known: those of a board that
lies in view, or the planned marks themselves. The camera is a homography with radial distortion (D. C. Brown,
"Close-range camera calibration", Photogrammetric Engineering 37(8), 1971), about the middle of the photo.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.aligning.models import ModelName, Transform, estimate
from etiquette.core.aligning.windows import Window
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points
from etiquette.core.marking.codes import FORMATS, FrameCode, parse_payload
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe

Grey = NDArray[np.uint8]
REACHES_MM = (16.0, 28.0, 45.0)
"""Half sides of the squares in which a mark is looked for, one try after the other."""
MARKS_FOR_BEND, MARKS_FOR_SECOND_BEND = 7, 14
"""Known points from which one and two terms of the lens's distortion can be told."""


@dataclass(frozen=True)
class PhotoCode:
    """A frame code in a photo: its corners (4, 2) in pixels, from its own upper left on clockwise."""

    code: FrameCode
    corners: Points


@dataclass(frozen=True)
class PhotoMarks:
    """Where the marks of a plan lie in a photo, in pixels (edges of the first pixel at 0, y down), None where not
    found."""

    places: Mapping[str, tuple[float, float] | None]


def find_codes(photo: Grey) -> list[PhotoCode]:
    """Every frame code in the photo, prints of the same one too; looked for as it is, then smoothed and smaller, where
    noise hides it."""
    half = cv2.resize(cv2.GaussianBlur(photo, (0, 0), 1.2), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    found: list[PhotoCode] = []
    for pixels, scale in ((photo, 1.0), (half, 2.0)):
        for barcode in zxingcpp.read_barcodes(pixels, formats=list(FORMATS.values())):
            code = parse_payload(barcode.text)
            at = barcode.position
            corners = scale * np.array(
                [(p.x, p.y) for p in (at.top_left, at.top_right, at.bottom_right, at.bottom_left)], dtype=float
            )
            near = float(np.abs(np.ptp(corners, axis=0)).max())
            known = any(
                one.code == code and np.abs(one.corners.mean(axis=0) - corners.mean(axis=0)).max() < near
                for one in found
            )
            if code is not None and not known:
                found.append(PhotoCode(code, corners))
    return found


def find_marks_in_photo(
    photo: Grey, codes: Sequence[PhotoCode], plan: FramePlan, recipe: MarkRecipe, exact: bool = True
) -> PhotoMarks:
    """The marks of `plan` in `photo`; not `exact`: to a tenth of their size, also where the photo was taken aslant and
    too few of them are seen to lay it flat. Raises JobError when none of its codes was seen."""
    known_plan: list[Points] = []
    known_photo: list[Points] = []
    for place in plan.codes:
        seen = next((one for one in codes if one.code == place.code), None)
        if seen is not None:
            (x, y), (width, height) = (place.x, place.y), place.size
            known_plan += [np.array([x + a * width, y + b * height]) for a, b in ((0, 1), (1, 1), (1, 0), (0, 0))]
            known_photo += list(seen.corners)
    if not known_plan:
        raise JobError(
            "No code of this frame is in the photo.",
            "photo",
            "Take it again with a code in view, sharp and evenly lit.",
        )
    codes_plan, codes_photo = np.array(known_plan), np.array(known_photo)
    rough: dict[str, tuple[Points, Points]] = {}
    left = {mark.id: np.array([mark.x, mark.y]) for mark in plan.marks}
    while left:
        near = min(left, key=lambda name: min(float(np.hypot(*(left[name] - one))) for one in known_plan))
        target = left.pop(near)
        found = _look(photo, _laid(codes_plan, codes_photo, list(rough.values()), target), target, recipe, True)
        if found is not None:
            known_plan.append(target)
            rough[near] = (target, found)
    places: dict[str, tuple[float, float] | None] = {}
    if not exact:
        return PhotoMarks({mark.id: _pair(rough[mark.id][1]) if mark.id in rough else None for mark in plan.marks})
    for mark in plan.marks:  # now that all of them are known, each is laid flat by the others and read exactly
        target = np.array([mark.x, mark.y])
        others = [pair for name, pair in rough.items() if name != mark.id]
        found = _look(photo, _laid(codes_plan, codes_photo, others, target), target, recipe, False)
        places[mark.id] = _pair(found) if found is not None else None
    return PhotoMarks(places)


def _pair(point: Points) -> tuple[float, float]:
    return float(point[0]), float(point[1])


def _laid(codes_plan: Points, codes_photo: Points, found: Sequence[tuple[Points, Points]], target: Points) -> Transform:
    """From plan to photo, good about `target`. The corners of codes are known to a module only, so they tell no more
    than shift, turn and size, and no longer count once marks are found."""
    if len(found) >= 3:
        plan, photo = (np.array(side) for side in zip(*found, strict=True))
        kind: ModelName = "projective" if len(found) >= 5 else "affine"
        nearest = np.argsort(np.hypot(*(plan - target).T))[: 8 if kind == "projective" else 4]
        try:
            return estimate(kind, plan[nearest], photo[nearest])
        except JobError:  # they stand on one line
            codes_plan, codes_photo = np.vstack([codes_plan, plan]), np.vstack([codes_photo, photo])
    # y of the photo points down: the similarity is found in the mirror
    upright = estimate("similarity", codes_plan, codes_photo * (1, -1))
    return Transform("affine", upright.origin, upright.scale, upright.x, -upright.y)


def _look(photo: Grey, laid: Transform, target: Points, recipe: MarkRecipe, rough: bool) -> Points | None:
    """The mark nearest to where it is expected, in squares that grow; in pixels of the photo."""
    jacobian = laid.jacobian(target[None])[0]
    middle = laid(target[None])[0]
    scale = 1 / max(1e-6, float(np.sqrt(abs(np.linalg.det(jacobian)))))  # mm a pixel there
    for reach in REACHES_MM:
        side = int(2 * reach / scale)
        # pixel (column, row) of the flat patch shows the plan at target + ((column, row) + ½ − side/2)·scale, y down
        linear = jacobian @ np.array([[scale, 0.0], [0.0, -scale]])
        shift = middle - 0.5 - linear @ np.array([side / 2 - 0.5, side / 2 - 0.5])
        patch = cv2.warpAffine(
            photo,
            np.column_stack([linear, shift]),
            (side, side),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
        seen = find_marks(Window(patch, 0.0, 0.0, scale), recipe, rough)
        if seen:
            near = min(seen, key=lambda one: one.x**2 + one.y**2)
            return np.asarray(middle + jacobian @ np.array([near.x, near.y]))
    return None


@dataclass(frozen=True)
class Camera:
    """From a plane in mm to pixels: a homography (3, 3) onto lens coordinates, then radial distortion, then pixels
    about the middle of the photo. `bend` (2,) are the terms of r² and r⁴ with r in half diagonals."""

    homography: NDArray[np.float64]
    bend: NDArray[np.float64]
    middle: Points
    half_px: float

    @classmethod
    def solved(cls, plane: Points, pixels: Points, size: tuple[int, int]) -> "Camera":
        """The camera that shows `plane` (n, 2) mm at `pixels` (n, 2) of a photo of `size` (width, height). Raises
        JobError for fewer than four points, or points that stand on one line."""
        middle, half = np.array(size) / 2, float(np.hypot(*size)) / 2
        straight = estimate("projective", plane, (pixels - middle) / half)
        first = _matrix(straight)
        terms = 2 if len(plane) >= MARKS_FOR_SECOND_BEND else 1 if len(plane) >= MARKS_FOR_BEND else 0
        grown = float(np.abs(plane).max()) or 1.0
        scale = np.array([1, 1, grown, 1, 1, grown, 1 / grown, 1 / grown]) / grown

        from scipy.optimize import least_squares  # large: only where it works

        def made(state: NDArray[np.float64]) -> "Camera":
            matrix = np.append(state[:8] * scale, 1.0).reshape(3, 3)
            return cls(matrix, np.append(state[8:], np.zeros(2 - terms)), middle, half)

        def misses(state: NDArray[np.float64]) -> NDArray[np.float64]:
            return (made(state).to_pixels(plane) - pixels).ravel()

        start = np.append(first.ravel()[:8] / scale, np.zeros(terms))
        if 2 * len(plane) < len(start):
            return made(start)
        return made(least_squares(misses, start, x_scale="jac", method="lm").x)

    def to_pixels(self, plane: Points) -> Points:
        """Where places of the plane (n, 2), mm, are seen in the photo: (n, 2) pixels."""
        flat = np.column_stack([plane, np.ones(len(plane))]) @ self.homography.T
        lens = flat[:, :2] / flat[:, 2:]
        squares = (lens**2).sum(axis=1, keepdims=True)
        return np.asarray(self.middle + self.half_px * lens * (1 + self.bend[0] * squares + self.bend[1] * squares**2))

    def window(self, photo: Grey, x: float, y: float, side_mm: float, mm_per_px: float) -> Window:
        """What lies about (x, y) of the plane in `photo`, laid out flat as an optical head would see it. Raises
        JobError when that is not in the photo."""
        count = round(side_mm / mm_per_px)
        at = (np.arange(count) + 0.5 - count / 2) * mm_per_px
        across, along = np.meshgrid(x + at, y - at)
        pixels = self.to_pixels(np.column_stack([across.ravel(), along.ravel()])) - 0.5
        if (pixels < 0).any() or (pixels > np.array(photo.shape[1::-1]) - 1).any():
            raise JobError(
                f"The camera does not see the place {x:.0f} mm across and {y:.0f} mm along.", "photo",
                "Read the marks with the head.",
            )  # fmt: skip
        maps = pixels.reshape(count, count, 2).astype(np.float32)
        return Window(cv2.remap(photo, maps, None, cv2.INTER_CUBIC), x, y, mm_per_px)

    def to_plane(self, pixels: Points) -> Points:
        """Where `pixels` (n, 2) lie on the plane, in mm: the distortion taken off by a fixed-point search."""
        bent = (pixels - self.middle) / self.half_px
        lens = bent
        for _ in range(30):
            squares = (lens**2).sum(axis=1, keepdims=True)
            lens = bent / (1 + self.bend[0] * squares + self.bend[1] * squares**2)
        flat = np.column_stack([lens, np.ones(len(lens))]) @ np.linalg.inv(self.homography).T
        return np.asarray(flat[:, :2] / flat[:, 2:])


def _matrix(straight: Transform) -> NDArray[np.float64]:
    """A projective transform as one matrix on plain coordinates, its last element 1."""
    scaled = np.array([np.roll(row, -1) for row in (straight.x, straight.y, straight.bottom)])
    s, (ox, oy) = straight.scale, straight.origin
    matrix = scaled @ np.array([[1 / s, 0, -ox / s], [0, 1 / s, -oy / s], [0, 0, 1]])
    return np.asarray(matrix / matrix[2, 2])
