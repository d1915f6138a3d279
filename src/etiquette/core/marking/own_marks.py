"""Registration marks that a page brings along from another program: found in its picture, or taken where somebody
pointed.

A mark is dark, stands by itself and is as wide as it is high; the marks of a page are alike and stand far apart, which
tells them from letters and ornaments. Its place is the middle of its darkness, as everywhere (marks.py)."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.artwork.raster import Picture
from etiquette.core.marking.marks import MarkRecipe, Shape, mark_paths

LEAST_MM, MOST_MM = 2.0, 25.0
"""Sides of what may be a mark: smaller than that no reader finds it, larger ones are art."""
LEAST_PX = 6
"""A mark of fewer pixels has no shape that could be told."""
DARK = 0.5
"""Share of darkness from which a pixel belongs to something printed dark."""
ALIKE_SIZE = 0.06
"""Marks of one set differ in size by no more than this share: a pixel more or less of a mark of some twenty."""
SQUARE_WITHIN = 0.15
LEAST_OVERLAP = 0.8
"""Share of what a mark and its ideal cover together that they both cover: a disc and a square share 0.785."""
FINE = 4
"""The ideal mark is drawn so many times finer than the pixels it is compared with."""
APART = 0.4
"""The marks of a page span at least this share of its longer side."""
MOST_CLEAR_MM = 5.0
"""No more than this is said to be clear round a mark, however empty the page: a search needs no more."""


@dataclass(frozen=True)
class OwnMark:
    """A mark on a page: its middle in millimetres from the page's lower left corner, its shape, the side of the box
    round it and the width of its lines (0 for a filled one), and how far from its edge nothing else is dark."""

    x: float
    y: float
    shape: Shape
    size_mm: float
    stroke_mm: float
    clear_mm: float


def own_marks(picture: Picture, mm_per_px: float) -> list[OwnMark]:
    """The marks of a page, those from the top left first; [] when nothing on it looks like a set of marks."""
    candidates = _candidates(_darkness(picture), mm_per_px)
    sets: list[list[OwnMark]] = []
    for one in candidates:
        held = next((group for group in sets if _alike(group[0], one)), None)
        if held is None:
            sets.append([one])
        else:
            held.append(one)
    longer = max(picture.width_px, picture.height_px) * mm_per_px
    spread = [group for group in sets if len(group) >= 2 and _span(group) >= APART * longer]
    return max(spread, key=lambda group: (_corners(group, picture, mm_per_px), _span(group)), default=[])


def alike_with(picture: Picture, mm_per_px: float, x: float, y: float) -> list[OwnMark]:
    """The mark under a place of the page, and all that look like it; [] when nothing there looks like a mark."""
    candidates = _candidates(_darkness(picture), mm_per_px)
    under = next(
        (one for one in candidates if max(abs(one.x - x), abs(one.y - y)) <= one.size_mm / 2 + mm_per_px), None
    )
    return [one for one in candidates if _alike(under, one)] if under else []


def recipe_of(marks: Sequence[OwnMark]) -> MarkRecipe:
    """What a reader has to know to find these marks, which are alike."""
    size = float(np.median([one.size_mm for one in marks]))
    stroke = float(np.median([one.stroke_mm for one in marks])) or MarkRecipe.stroke_mm
    return MarkRecipe(
        size_mm=size, clear_mm=min(one.clear_mm for one in marks), shape=marks[0].shape, stroke_mm=stroke,
        head_margin_mm=0.0, tail_margin_mm=0.0,
    )  # fmt: skip


def _darkness(picture: Picture) -> NDArray[np.float32]:
    """(height, width), 0 for white paper, 1 for black."""
    pixels = picture.pixels.astype(np.float32) / 255
    light = pixels[..., :3] @ np.array([0.299, 0.587, 0.114], np.float32)
    return np.asarray((1 - light) * pixels[..., 3], np.float32)


def _candidates(dark: NDArray[np.float32], mm_per_px: float) -> list[OwnMark]:
    """Every dark thing that has the shape of a mark and stands clear of all others."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats((dark >= DARK).astype(np.uint8), connectivity=8)
    found = []
    for number, (left, top, width, height, _) in enumerate(stats[1:], 1):
        sides = np.array([width, height]) * mm_per_px
        if min(width, height) < LEAST_PX or sides.min() < LEAST_MM or sides.max() > MOST_MM:
            continue
        if abs(width - height) > max(2, SQUARE_WITHIN * max(width, height)):
            continue
        one = _told(dark, labels == number, (left, top, width, height), mm_per_px)
        if one is not None:
            found.append(one)
    return found


def _told(
    dark: NDArray[np.float32], own: NDArray[np.bool_], box: tuple[int, int, int, int], mm_per_px: float
) -> OwnMark | None:
    """What one dark thing is; its rim is the half-dark pixels round it. None when it is no mark."""
    left, top, width, height = box
    # the rim, and the room in which nothing else may be dark
    out = 2 + int(np.ceil(MOST_CLEAR_MM / mm_per_px))
    rows = slice(max(0, top - out), top + height + out)
    columns = slice(max(0, left - out), left + width + out)
    near, here = dark[rows, columns], own[rows, columns]
    rim = cv2.dilate(here.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    shade = np.where(rim, near, 0.0)
    clear_px = _clear_px((near > DARK / 2) & ~rim, here)
    total = float(shade.sum())
    y, x = np.mgrid[: shade.shape[0], : shade.shape[1]] + 0.5
    middle = np.array([(x * shade).sum(), (y * shade).sum()]) / total
    size_px = float(shade.max(axis=0).sum() + shade.max(axis=1).sum()) / 2
    best = max(
        (
            (_overlap(shade, middle, shape, size_px, stroke, inward), shape, stroke)
            for shape, stroke in _possible(size_px, total)
            for inward in (((1, 1), (-1, 1), (1, -1), (-1, -1)) if shape == "corner" else ((1, 1),))
        ),
        default=(0.0, "disc", 0.0),
    )
    overlap, shape, stroke = best
    if overlap < LEAST_OVERLAP:
        return None
    return OwnMark(
        x=float((columns.start + middle[0]) * mm_per_px),
        y=float((dark.shape[0] - rows.start - middle[1]) * mm_per_px),
        shape=shape,
        size_mm=round(size_px * mm_per_px, 3),
        stroke_mm=round(stroke * mm_per_px, 3),
        clear_mm=round(float(np.clip(clear_px * mm_per_px, 0.0, MOST_CLEAR_MM)), 2),
    )


def _possible(size_px: float, area_px: float) -> list[tuple[Shape, float]]:
    """The shapes that so large a mark of so much darkness could be, with the width of their lines in pixels."""
    half = size_px / 2
    found: list[tuple[Shape, float]] = [("disc", 0.0), ("square", 0.0)]
    inner = half**2 - area_px / np.pi
    if inner > 0:
        found.append(("ring", half - float(np.sqrt(inner))))
    arms = size_px**2 - area_px
    if arms > 0:
        stroke = size_px - float(np.sqrt(arms))
        found += [("cross", stroke), ("corner", stroke)]
    return found


def _overlap(
    shade: NDArray[np.float64], middle: NDArray[np.float64], shape: Shape, size: float, stroke: float,
    inward: tuple[int, int],
) -> float:  # fmt: skip
    """How much of what the mark or its ideal cover both cover."""
    recipe = MarkRecipe(shape=shape, size_mm=size, stroke_mm=max(stroke, 0.1))
    rings = [
        np.round((path.flatten(0.05) * (1, -1) + middle) * FINE).astype(np.int32)
        for path in mark_paths(recipe, 0.0, 0.0, inward)
    ]
    height, width = shade.shape
    drawn = np.zeros((height * FINE, width * FINE), np.uint8)
    cv2.fillPoly(drawn, rings, 1)  # several rings: by even-odd
    ideal = drawn.reshape(height, FINE, width, FINE).mean(axis=(1, 3))
    return float(np.minimum(shade, ideal).sum() / max(np.maximum(shade, ideal).sum(), 1e-9))


def _clear_px(others: NDArray[np.bool_], own: NDArray[np.bool_]) -> float:
    """From the edge of a mark to the next dark thing."""
    if not others.any():
        return float(max(own.shape))
    away = cv2.distanceTransform((~others).astype(np.uint8), cv2.DIST_L2, 5)
    return float(away[own].min()) - 1.0


def _alike(one: OwnMark, other: OwnMark) -> bool:
    return one.shape == other.shape and abs(one.size_mm - other.size_mm) <= ALIKE_SIZE * max(one.size_mm, 1.0)


def _span(group: Sequence[OwnMark]) -> float:
    places = np.array([(one.x, one.y) for one in group])
    return float(np.ptp(places, axis=0).max())


def _corners(group: Sequence[OwnMark], picture: Picture, mm_per_px: float) -> int:
    """In how many quarters of the page there is one."""
    middle = np.array([picture.width_px, picture.height_px]) * mm_per_px / 2
    return len({(one.x < middle[0], one.y < middle[1]) for one in group})
