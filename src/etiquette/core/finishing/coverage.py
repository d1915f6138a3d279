"""How much of each pixel the art covers: the ground told from the art, the edge kept soft."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError

PLAIN_GROUND_DISTANCE = 10.0
"""Colour distance within which a pixel is ground: about 10 % of full scale is a good start (common practice, no
published source). The distance here is the Euclidean one in CIE L*a*b* (ΔE 1976)."""
BORDER_AGREEMENT = 0.7
"""Share of the rim that must have one colour before the ground is taken from it."""

NOISE_TO_SMOOTH = 0.2
"""Grain of the ground (mean difference of neighbours, of 255) above which the picture is treated as a photograph."""
PHOTO_BLUR_PX = 2.0
PHOTO_REACH_PX = 5

Field = NDArray[np.float32]

# linear sRGB to X, Y, Z divided by the D65 white (IEC 61966-2-1), and cube roots of those to L*, a*, b*
_TO_RELATIVE_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) / [
    [0.9505],
    [1.0],
    [1.089],
]
_TO_LAB = np.array([[0.0, 116.0, 0.0], [500.0, -500.0, 0.0], [0.0, 200.0, -200.0]])


@dataclass(frozen=True)
class Ground:
    """What counts as background: transparency, or a plain colour (RGB 0–255)."""

    colour: tuple[int, int, int] | None

    @property
    def words(self) -> str:
        return "transparent" if self.colour is None else "#{:02x}{:02x}{:02x}".format(*self.colour)


def find_ground(picture: Picture, choice: str) -> Ground:
    """The ground for `choice`: `auto`, `alpha` or `#rrggbb`. Raises JobError when it cannot be told."""
    if choice.startswith("#"):
        try:
            red, green, blue = bytes.fromhex(choice[1:])
        except ValueError:
            raise JobError(f"“{choice}” is not a colour.", "ground", "Write it as #rrggbb, or use auto.") from None
        return Ground((red, green, blue))
    if choice == "alpha" or picture.has_transparency:
        if not picture.has_transparency:
            raise JobError(
                "The picture has no transparency.", "ground", "Take the ground from its border or pick its colour."
            )
        return Ground(None)
    rim = np.concatenate([picture.pixels[0], picture.pixels[-1], picture.pixels[:, 0], picture.pixels[:, -1]])[:, :3]
    colour = np.median(rim, axis=0)
    near = _distance(rim[None], _rgb(colour)) < PLAIN_GROUND_DISTANCE
    if near.mean() < BORDER_AGREEMENT:
        raise JobError(
            "The rim of the picture is not one colour, so the ground cannot be told.",
            "ground",
            "Pick the colour of the ground.",
        )
    return Ground(_rgb(colour))


def _rgb(colour: NDArray[np.float64]) -> tuple[int, int, int]:
    red, green, blue = (int(value) for value in colour)
    return (red, green, blue)


def coverage(picture: Picture, ground: Ground, distance: float = PLAIN_GROUND_DISTANCE) -> Field:
    """The share of each pixel that art covers (h, w), 0 to 1; it crosses one half where the edge lies.

    On a plain ground the share of an edge pixel is where its colour lies between the ground and the nearest pixel that
    is all art: a mere distance threshold would put the edge of a dark shape up to half a pixel too far out.
    """
    if ground.colour is None:
        return np.asarray(picture.pixels[..., 3] / np.float32(255), dtype=np.float32)
    rgb = cv2.cvtColor(picture.pixels, cv2.COLOR_RGBA2RGB)
    noise = ground_noise(rgb, ground.colour)
    soft = 0
    if noise > NOISE_TO_SMOOTH:
        # a photograph: smooth its grain, and look for the art's own colour further inside its soft edge
        rgb = cv2.GaussianBlur(rgb, (0, 0), PHOTO_BLUR_PX)
        soft = PHOTO_REACH_PX
    away = _distance(rgb, ground.colour)
    art = (away > distance).astype(np.uint8)
    if not art.any():
        return np.zeros(art.shape, np.float32)
    depth = np.ones((3 + 2 * soft, 3 + 2 * soft), np.uint8)
    inside = cv2.erode(art, depth, borderValue=0)
    reach = cv2.dilate(art, np.ones((3, 3), np.uint8)) - cv2.erode(inside, np.ones((3, 3), np.uint8), borderValue=0)
    # a thin stroke has no pixel that is all art: there its strongest pixel stands for the art
    strongest = cv2.dilate(away, np.ones((3, 3), np.uint8))
    crest = ((away >= strongest) & (art > 0)).astype(np.uint8)
    sure = np.where(cv2.dilate(inside, np.ones((5 + 2 * soft, 5 + 2 * soft), np.uint8)) > 0, inside, crest)
    result = art.astype(np.float32)
    rows, columns = np.divmod(np.flatnonzero(reach), reach.shape[1])
    back = np.array(ground.colour, dtype=np.float32)
    step = _nearest_colours(rgb, sure, rows, columns, reach=3 + 2 * soft) - back
    share = ((rgb[rows, columns].astype(np.float32) - back) * step).sum(axis=1) / np.maximum(
        (step * step).sum(axis=1), 1.0
    )
    result[rows, columns] = np.clip(share, 0, 1)
    return result


def _nearest_colours(
    rgb: NDArray[np.uint8], sure: NDArray[np.uint8], rows: NDArray[np.intp], columns: NDArray[np.intp], reach: int
) -> NDArray[np.float32]:
    """For every pixel (rows, columns) the colour (n, 3) of the nearest pixel marked in `sure`, at most `reach` away;
    its own colour where there is none. Edge pixels are few: looking round each is faster than a distance transform."""
    height, width = sure.shape
    offsets = sorted(
        ((dy, dx) for dy in range(-reach, reach + 1) for dx in range(-reach, reach + 1)),
        key=lambda at: at[0] ** 2 + at[1] ** 2,
    )
    colours = rgb[rows, columns].astype(np.float32)
    open_ = np.arange(len(rows))
    for dy, dx in offsets:
        y, x = np.clip(rows[open_] + dy, 0, height - 1), np.clip(columns[open_] + dx, 0, width - 1)
        hit = sure[y, x] > 0
        colours[open_[hit]] = rgb[y[hit], x[hit]]
        open_ = open_[~hit]
        if not len(open_):
            break
    return colours


def ground_noise(rgb: NDArray[np.uint8], colour: tuple[int, int, int]) -> float:
    """Grain of the plain ground along the rim: mean difference of neighbours there, of 255; 0 when drawn, not taken."""
    rims = [rim.astype(np.float32) for rim in (rgb[0], rgb[-1], rgb[:, 0], rgb[:, -1])]
    steps = []
    for rim in rims:
        plain = np.abs(rim - np.array(colour, dtype=np.float32)).max(axis=1) < 3 * PLAIN_GROUND_DISTANCE
        both = plain[1:] & plain[:-1]
        steps.append(np.abs(np.diff(rim, axis=0))[both].ravel())
    every = np.concatenate(steps)
    return float(every.mean()) if every.size else 0.0


def _distance(rgb: NDArray[np.uint8], colour: tuple[int, int, int]) -> Field:
    """Distance (h, w) in CIE L*a*b* (ΔE 1976) of every pixel (h, w, 3) from `colour`."""
    ground = cv2.transform(_roots(np.array([[colour]], dtype=np.uint8)), _TO_LAB)[0, 0]
    away = cv2.transform(_roots(rgb), np.column_stack([_TO_LAB, -ground]))
    distance: Field = cv2.sqrt(cv2.transform(cv2.multiply(away, away), np.ones((1, 3), np.float32)))
    return distance


def _roots(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Cube roots of relative X, Y, Z, from which L*a*b* (CIE 15:2004) is a linear step, for sRGB (IEC 61966-2-1). Not OpenCV's own conversion: that one builds
    tables for 0.15 s before its first pixel, which a command pays every time."""
    levels = np.arange(256) / 255
    linear = np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4).astype(np.float32)
    relative = cv2.transform(cv2.LUT(np.ascontiguousarray(rgb), linear), _TO_RELATIVE_XYZ)
    # the straight piece near black (CIE: below 0.008856) is left to the cube root: it only makes dark colours differ more
    return np.asarray(cv2.pow(relative, 1 / 3), dtype=np.float32).reshape(rgb.shape)
