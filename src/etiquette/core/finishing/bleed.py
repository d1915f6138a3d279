"""Bleed: edge colours of the art carried outward past the line, and where along a line bleed is short."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon

from etiquette.core.artwork.raster import Picture
from etiquette.core.finishing.coverage import Field
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Points
from etiquette.core.geometry.polygons import inside_of, offset, polygons_of, united

Box = tuple[float, float, float, float]
State = Literal["full", "short"]

NEEDED_MM = 1.0
"""Bleed that a die cut needs on each side: 2 mm for both sides added up (common practice, no published source)."""
SOLID, EMPTY = 250, 13
SOFT_PX = 2
"""How far from the ground an edge pixel's own colour is not trusted: anti-aliasing and sharpening reach that far."""
SMOOTH_PX = 1.5
SAMPLE_MM = 0.4
AT_LINE_MM = 0.25
"""Art that ends further inside the line than this leaves an unprinted border, and needs no bleed."""
STEP_MM = 0.1


@dataclass(frozen=True)
class Bled:
    """A picture with its colours carried outward; `box` (x, y, width, height) is its place in design millimetres."""

    picture: Picture
    box: Box


@dataclass(frozen=True)
class BleedRun:
    """A stretch (n, 2) of a line along which bleed is full or short, in design millimetres."""

    state: State
    points: Points


def region_of(lines: Sequence[FinishLine], bleed_mm: float) -> list[Polygon]:
    """What has to be printed: everything inside the closed kiss lines, and `bleed_mm` past them. Without kiss lines the
    through lines count; a through line round the backing of a sticker has nothing to bleed."""
    closed = {kind: [line for line in lines if line.path.closed and line.kind == kind] for kind in ("kiss", "through")}
    rings = [inside_of(line.path, 0.05).buffer(0) for line in closed["kiss"] or closed["through"]]
    return polygons_of(offset(united(rings), bleed_mm)) if rings else []


def bled(picture: Picture, share: Field, region: Sequence[Polygon], width_mm: float, under: bool = False) -> Bled:
    """`picture` with the colours of the rim of the art carried outward over `region` (design mm). `share` is how much
    of each pixel the art covers. With `under` only what lies beyond and below the art is given, to be laid under it.

    Every pixel outside takes the colour of the nearest pixel that is safely art: what is partly ground, or close to it,
    has a colour of neither and would come out as a halo."""
    mm_per_px = width_mm / picture.width_px
    height_mm = picture.height_px * mm_per_px
    left, low, right, high = shapely.total_bounds(list(region))
    over = max(-left, -low, right - width_mm, high - height_mm, 0.0)
    pad = int(np.ceil(over / mm_per_px)) + 1
    field = np.pad(share, pad)
    pixels = np.pad(picture.pixels, ((pad, pad), (pad, pad), (0, 0)))
    solid = (field >= SOLID).view(np.uint8)
    size = np.ones((2 * SOFT_PX + 1, 2 * SOFT_PX + 1), np.uint8)
    sure = cv2.erode(solid, size, borderValue=0)
    # strokes too thin to have such pixels stand for themselves
    sure |= solid & (1 - cv2.dilate(sure, np.ones((4 * SOFT_PX + 3, 4 * SOFT_PX + 3), np.uint8)))
    if not sure.any():
        sure = (field >= 128).view(np.uint8)
    around = _nearest(pixels[..., :3], sure)
    soft = cv2.GaussianBlur(around, (0, 0), SMOOTH_PX)
    near_ground = cv2.dilate((field < EMPTY).view(np.uint8), size) > 0
    own = np.where(near_ground & (field < 255), 0.0, np.minimum(pixels[..., 3], field) / 255).astype(np.float32)[
        ..., None
    ]
    mixed = soft if under else np.round(pixels[..., :3] * own + soft * (1 - own)).astype(np.uint8)
    wanted = _drawn(region, field.shape, pad, mm_per_px, height_mm)
    result = np.dstack([mixed, wanted])
    width, height = field.shape[1] * mm_per_px, field.shape[0] * mm_per_px
    return Bled(Picture(result, picture.dpi), (-pad * mm_per_px, -pad * mm_per_px, width, height))


def inside(picture: Picture, cut: Polygon, width_mm: float) -> Field:
    """How much of each pixel is art, of what lies inside a cut (design mm)."""
    mm_per_px = width_mm / picture.width_px
    within = _drawn([cut.buffer(-mm_per_px)], picture.alpha.shape, 0, mm_per_px, picture.height_px * mm_per_px)
    share: Field = np.minimum(picture.alpha, within)
    return share


def laid_over(picture: Picture, below: Bled, width_mm: float) -> Picture:
    """`picture` over the bleed `below` it, on the larger surface of the bleed: what the print looks like."""
    mm_per_px = width_mm / picture.width_px
    left, top = round(-below.box[0] / mm_per_px), round(-below.box[1] / mm_per_px)
    result = below.picture.pixels.copy()
    place = np.s_[top : top + picture.height_px, left : left + picture.width_px]
    over = picture.pixels[..., 3:].astype(np.float32) / 255
    under = result[place]
    alpha = over + under[..., 3:] / np.float32(255) * (1 - over)
    colour = picture.pixels[..., :3] * over + under[..., :3] * (under[..., 3:] / np.float32(255)) * (1 - over)
    result[place] = np.round(np.dstack([colour / np.maximum(alpha, 1e-6), 255 * alpha])).astype(np.uint8)
    return Picture(result, picture.dpi)


def _nearest(colours: NDArray[np.uint8], sure: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """For every pixel the colour of the nearest one marked in `sure`."""
    _, labels = cv2.distanceTransformWithLabels(1 - sure, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    marked = sure > 0
    table = np.zeros((int(labels.max()) + 1, 3), dtype=np.uint8)
    table[labels[marked]] = colours[marked]
    nearest: NDArray[np.uint8] = table[labels]
    return nearest


def _drawn(
    region: Sequence[Polygon], shape: tuple[int, ...], pad: int, mm_per_px: float, height_mm: float
) -> NDArray[np.uint8]:
    """The region as a mask, a pixel too large: its exact edge is cut by the plate."""
    mask = np.zeros(shape, dtype=np.uint8)
    for part in region:
        ring = np.asarray(part.exterior.coords)
        x, y = ring[:, 0] / mm_per_px + pad, (height_mm - ring[:, 1]) / mm_per_px + pad
        cv2.fillPoly(mask, [np.round(np.column_stack([x, y])).astype(np.int32)], 255)
    grown: NDArray[np.uint8] = cv2.dilate(mask, np.ones((3, 3), np.uint8))
    return grown


def bleed_along(
    lines: Sequence[FinishLine], printed: Field, box: Box, needed_mm: float = NEEDED_MM
) -> tuple[list[BleedRun], float]:
    """Stretches of the outer lines where print reaches the line, told by whether it goes on for `needed_mm`, and the
    length in mm along which it does not. `printed` is how much of each pixel is printed, `box` where that picture lies.
    Stretches with an unprinted border need no bleed and are not among them."""
    mm_per_px = box[2] / printed.shape[1]

    def covered(points: Points) -> NDArray[np.bool_]:
        columns = np.floor((points[:, 0] - box[0]) / mm_per_px).astype(int)
        rows = np.floor((box[1] + box[3] - points[:, 1]) / mm_per_px).astype(int)
        inside = (columns >= 0) & (rows >= 0) & (columns < printed.shape[1]) & (rows < printed.shape[0])
        seen = printed[np.clip(rows, 0, printed.shape[0] - 1), np.clip(columns, 0, printed.shape[1] - 1)] >= 128
        result: NDArray[np.bool_] = inside & seen
        return result

    rings = [part.exterior for part in region_of(lines, 0.0)]
    if not rings:
        return [], 0.0
    sampled = [_sampled(ring) for ring in rings]
    # all rings at once: letters are many, and each is short
    places, outward = (np.concatenate(both) for both in zip(*sampled, strict=True))
    reached = covered(places - outward * AT_LINE_MM)
    goes_on = np.ones(len(places), dtype=bool)
    for away in np.arange(STEP_MM, needed_mm - STEP_MM / 2, STEP_MM):
        goes_on &= covered(places + outward * away)
    states = np.where(reached, np.where(goes_on, 1, 2), 0)
    runs: list[BleedRun] = []
    short, first = 0.0, 0
    for ring, (own, _) in zip(rings, sampled, strict=True):
        of_ring = states[first : first + len(own)]
        first += len(own)
        short += float((of_ring == 2).sum() * ring.length / len(own))
        runs += _runs(own, of_ring)
    return runs, short


def _sampled(ring: shapely.LinearRing) -> tuple[Points, Points]:
    """Places along a ring (n, 2), and at each the direction out of it."""
    count = max(8, int(ring.length / SAMPLE_MM))
    places = shapely.get_coordinates(shapely.line_interpolate_point(ring, np.arange(count) * ring.length / count))
    along = np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0)
    turn = 1.0 if ring.is_ccw else -1.0
    outward = turn * np.column_stack([along[:, 1], -along[:, 0]]) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    return places, outward


def _runs(places: Points, states: NDArray[np.int64]) -> list[BleedRun]:
    """Neighbouring places of one state as one stretch, over the seam too."""
    starts = np.flatnonzero(states != np.roll(states, 1))
    if not len(starts):
        starts = np.array([0])
    made = []
    for first, last in zip(starts, np.append(starts[1:], starts[0] + len(states)), strict=True):
        state = states[first]
        if state:
            index = np.arange(first, last + 1) % len(states)
            made.append(BleedRun("full" if state == 1 else "short", places[index]))
    return made
