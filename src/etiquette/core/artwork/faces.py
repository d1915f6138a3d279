"""Where a picture shows faces that look at us: what a seam had better not cross. A guess, no more: what has to stay
whole is said by hand."""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, box, union_all
from skimage import data
from skimage.feature import Cascade

Box = tuple[float, float, float, float]
"""x, y from the lower left, width, height."""
LOOKED_PX = 800
"""Along the longer side: faces are looked for in a picture no larger than that."""
SMALLEST, LEAST_PX = 0.03, 24
"""A face is at least this share of the longer side wide; smaller ones are busy places like any other. What finds them
has learnt from faces of 24 pixels."""
STEP = 1.1
"""From one size of a face that is looked for to the next."""
AGREED = 8
"""So many places beside each other have to say that it is one: fewer, and leaves and gravel are taken for faces."""
SHARED = 0.4
"""Two that share so much of the smaller one are the same face."""
MOST = 40


@cache
def _finder() -> Cascade:
    return Cascade(data.lbp_frontal_face_cascade_filename())


def faces_in(pixels: NDArray[np.uint8], size_mm: tuple[float, float]) -> list[Box]:
    """The faces in a picture (height, width, 3 or 4 channels) that is `size_mm` large: boxes in mm, the largest
    first, no more than MOST. Local binary patterns in a cascade of boosted decisions (Viola and Jones 2001, Ahonen et
    al. 2004), from the frontal faces that scikit-image has learnt."""
    height, width = pixels.shape[:2]
    scale = min(1.0, LOOKED_PX / max(height, width))
    wide, high = round(width * scale), round(height * scale)
    if min(wide, high) < LEAST_PX:
        return []
    small = cv2.resize(pixels, (wide, high), interpolation=cv2.INTER_AREA)
    if small.shape[2] == 4:
        clear = small[..., 3:].astype(np.float32) / 255
        small = np.round(small[..., :3] * clear + 255 * (1 - clear)).astype(np.uint8)
    least = max(LEAST_PX, round(SMALLEST * max(wide, high)))
    found = _finder().detect_multi_scale(
        img=np.ascontiguousarray(small), scale_factor=STEP, step_ratio=1, min_size=(least, least),
        max_size=(min(wide, high),) * 2, min_neighbor_number=AGREED,
    )  # fmt: skip
    across, along = size_mm[0] / wide, size_mm[1] / high
    squares = [box(one["c"], one["r"], one["c"] + one["width"], one["r"] + one["height"]) for one in found]
    edges = [one.bounds for one in _merged(squares)[:MOST]]
    return [(x0 * across, (high - y1) * along, (x1 - x0) * across, (y1 - y0) * along) for x0, y0, x1, y1 in edges]


def _merged(squares: list[Polygon]) -> list[Polygon]:
    """The same face found at two sizes or places is one: the box round both. The largest first."""
    held: list[Polygon] = []
    for square in sorted(squares, key=lambda one: -one.area):
        same = [one for one in held if one.intersection(square).area > SHARED * square.area]
        held = [one for one in held if one not in same] + [box(*union_all([*same, square]).bounds)]
    return sorted(held, key=lambda one: -one.area)
