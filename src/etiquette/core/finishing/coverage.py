"""How much of each pixel the art covers: the ground told from the art, the edge kept soft."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.artwork.colour import away_from, ciede2000, lab_of
from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError

PLAIN_GROUND_DISTANCE = 10.0
"""Colour distance (CIEDE2000) within which a pixel is ground where its rim does not tell: about 10 % of full scale is a
good start (common practice, no published source)."""
LEAST_GROUND_DISTANCE, MOST_GROUND_DISTANCE = 5.0, 20.0
NOISE_SHARE, TIMES_NOISE = 0.9, 2.5
"""Ground reaches 2.5 times as far as nine tenths of its rim stay within: six standard deviations of noise that is alike
in three channels (chi distribution). A drawn ground has none: it reaches to what is plainly seen beside it (values of
our own)."""
LEAST_RIM_SHARE = 0.1
"""A ground that fills less of the rim than this is not measured there."""
BORDER_AGREEMENT = 0.7
"""Share of the rim that must be ground before the ground is taken from it."""
PLAIN_DISTANCE, PLAIN_SHARE = 3.0, 0.9
"""A rim is plain when so much of it lies so near its colour: what is drawn, or photographed on paper (values of our
own; 3 is a difference that is seen side by side)."""
GRADIENT_DISTANCE = 5.0
"""Colour distance within which the rim must follow a smooth gradient."""

NOISE_TO_SMOOTH = 0.2
"""Grain of the ground (mean difference of neighbours, of 255) above which the picture is treated as a photograph."""
PHOTO_BLUR_PX = 2.0
PHOTO_REACH_PX = 5
BLOCK_PX = 8
"""What JPEG compresses by itself (ITU-T T.81): so far ringing reaches from an edge."""
UNEVEN_LEVELS, UNEVEN_SHARE = 4, 0.03
"""A pixel that lies so far off the mean of its neighbours is no rounding of a fade; of JPEG at qualities of 20 to 95
that are 5 to 20 % beside the art, of what is drawn none (measured on discs and stars in five pairs of colours)."""
COLOUR_BLUR_PX, RINGING_REACH_PX, RINGING_SHARE = 2.0, 3, 0.4
"""Chosen on the same shapes and on rings of 2 to 5 pixels: edges lie within 0.25 px on the mean and 0.8 at most down to
a quality of 35, within 0.35 and 1.7 at 20."""
MOST_LOOKED_AT = 50_000
BAND_ROWS = 512
HARD_SHARE = 0.15
"""With fewer partly covered pixels on the rim of the art than this share the edge was cut along whole pixels."""

Field = NDArray[np.uint8]
"""Coverage of each pixel (h, w), 0 to 255; the edge lies where it crosses 127.5."""
Colour = tuple[int, int, int]


@dataclass(frozen=True)
class Ground:
    """What counts as background: transparency (no colours), or plain colours (RGB 0–255). With `slope` (6, 3) the
    ground is a gradient: its colour at u, v (−1 to 1 across and down) is slope · (1, u, v, u², uv, v²), and `colours`
    holds its mean."""

    colours: tuple[Colour, ...]
    slope: NDArray[np.float64] | None = None
    plain: bool = True
    """Whether it is sure: chosen, or a rim that is all of one colour."""
    distance: float = PLAIN_GROUND_DISTANCE
    """How far from its colours its own noise reaches: what is nearer is ground (CIEDE2000)."""

    @property
    def words(self) -> str:
        if not self.colours:
            return "transparent"
        names = ", ".join("#{:02x}{:02x}{:02x}".format(*colour) for colour in self.colours)
        return names if self.slope is None else f"a gradient round {names}"


def find_ground(picture: Picture, choice: str) -> Ground:
    """The ground for `choice`: `auto`, `alpha`, `#rrggbb` or several of those with commas. Raises JobError when it
    cannot be told."""
    if choice.startswith("#"):
        colours = tuple(_parsed(colour.strip()) for colour in choice.split(","))
        return Ground(colours, distance=_noise_reaches(_rim_away(picture.pixels, colours)))
    if choice == "alpha" or picture.has_transparency:
        if not picture.has_transparency:
            raise JobError(
                "The picture has no transparency.", "ground", "Take the ground from its border or pick its colour."
            )
        return Ground(())
    if choice != "auto":
        raise JobError(f"“{choice}” is not a ground.", "ground", "Use auto, alpha or a colour such as #ffffff.")
    colour = _rgb(np.median(_rim(picture.pixels)[:, :3], axis=0))
    away = _rim_away(picture.pixels, (colour,))
    if (away < PLAIN_GROUND_DISTANCE).mean() >= BORDER_AGREEMENT:
        plain = bool((away < PLAIN_DISTANCE).mean() >= PLAIN_SHARE)
        return Ground((colour,), plain=plain, distance=_noise_reaches(away))
    followed = _gradient(picture)
    if followed is None:
        raise JobError(
            "The rim of the picture is neither one colour nor a smooth gradient, so the ground cannot be told.",
            "ground",
            "Pick the colour of the ground, or take a rectangle round the whole picture.",
        )
    slope, away = followed
    mean = _rgb(slope[0] + (slope[3] + slope[5]) / 3)
    return Ground((mean,), slope, plain=False, distance=_noise_reaches(away))


def _rim_away(pixels: NDArray[np.uint8], colours: tuple[Colour, ...]) -> NDArray[np.float64]:
    """How far (n,) the rim lies from the nearest of `colours`, in the picture as it is looked at: smoothed where it has
    grain."""
    rim = _rim(pixels)
    if _is_grainy(pixels, colours[0]):
        deep = 4 * round(PHOTO_BLUR_PX)  # what the filter sees
        sides = (np.ascontiguousarray(np.rot90(pixels, turns)[:deep]) for turns in range(4))
        rim = np.concatenate([cv2.GaussianBlur(side, (0, 0), PHOTO_BLUR_PX)[0] for side in sides])
    away: NDArray[np.float64] = np.min([_distances(rim[:, :3], np.array(one)) for one in colours], axis=0)
    return away


def _noise_reaches(away: NDArray[np.float64]) -> float:
    """How far ground reaches whose rim lies `away` (n,) from its colour, art on the rim included."""
    of_ground = away[away <= MOST_GROUND_DISTANCE]
    if len(of_ground) < LEAST_RIM_SHARE * len(away):
        return PLAIN_GROUND_DISTANCE
    reaches = TIMES_NOISE * float(np.quantile(of_ground, NOISE_SHARE))
    return round(min(max(reaches, LEAST_GROUND_DISTANCE), MOST_GROUND_DISTANCE), 1)


def _is_grainy(pixels: NDArray[np.uint8], colour: Colour) -> bool:
    return ground_noise(pixels, colour) > NOISE_TO_SMOOTH


def _parsed(colour: str) -> Colour:
    try:
        red, green, blue = bytes.fromhex(colour.removeprefix("#"))
    except ValueError:
        raise JobError(f"“{colour}” is not a colour.", "ground", "Write it as #rrggbb, or use auto.") from None
    return red, green, blue


def _rim(array: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.concatenate([array[0], array[-1], array[:, 0], array[:, -1]])


def _distances(rgb: NDArray[np.uint8], colours: NDArray[np.float64]) -> NDArray[np.float64]:
    return ciede2000(lab_of(rgb), lab_of(np.clip(np.round(colours), 0, 255).astype(np.uint8)))


def _rgb(colour: NDArray[np.float64]) -> Colour:
    red, green, blue = (int(np.clip(round(float(value)), 0, 255)) for value in colour)
    return (red, green, blue)


def _terms(u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v], axis=-1)


def _gradient(picture: Picture) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Coefficients (6, 3) of a gradient that the rim follows, art that touches the rim left out, and how far (n,) each
    place of the rim is from it; None when there is none."""
    height, width = picture.pixels.shape[:2]
    u, v = np.linspace(-1, 1, width), np.linspace(-1, 1, height)
    at = np.concatenate(
        [
            _terms(u, np.full(width, -1.0)),
            _terms(u, np.full(width, 1.0)),
            _terms(np.full(height, -1.0), v),
            _terms(np.full(height, 1.0), v),
        ]
    )
    rim = _rim(picture.pixels)[:, :3].astype(float)
    kept = np.ones(len(rim), dtype=bool)
    for _ in range(6):
        # the rim alone cannot tell a dome from its level, so the squares are held small
        held = np.diag([0, 0, 0, 1e-3, 0, 1e-3]) * kept.sum()
        slope = np.linalg.solve(at[kept].T @ at[kept] + held, at[kept].T @ rim[kept])
        miss = np.abs(at @ slope - rim).max(axis=1)
        kept = miss <= max(float(np.quantile(miss, BORDER_AGREEMENT)), 4.0)
    away = _distances(rim.astype(np.uint8), at @ slope)
    return (slope, away) if (away < GRADIENT_DISTANCE).mean() >= BORDER_AGREEMENT else None


def _levelled(pixels: NDArray[np.uint8], ground: Ground) -> NDArray[np.uint8]:
    """The picture with the gradient of its ground taken out, so that the ground is one colour."""
    assert ground.slope is not None
    height, width = pixels.shape[:2]
    u, v = np.linspace(-1, 1, width), np.linspace(-1, 1, height)
    level = pixels.copy()
    for top in range(0, height, BAND_ROWS):
        rows = slice(top, min(top + BAND_ROWS, height))
        grid = np.meshgrid(u, v[rows])
        away = (_terms(grid[0], grid[1]) @ ground.slope - np.array(ground.colours[0])).astype(np.float32)
        level[rows, :, :3] = np.clip(np.round(pixels[rows, :, :3] - away), 0, 255)
    return level


def coverage(picture: Picture, ground: Ground, distance: float | None = None) -> Field:
    """The share of each pixel that art covers; it crosses one half where the edge lies. What is nearer to the ground
    than `distance` (CIEDE2000; None: than its noise reaches) belongs to it."""
    return told_apart(picture, ground, distance)[0]


def told_apart(picture: Picture, ground: Ground, distance: float | None = None) -> tuple[Field, float | None]:
    """`coverage`, and how far the ground was taken to reach; None where it is transparency.

    On a plain ground the share of an edge pixel is where its colour lies between the ground and the nearest pixel that
    is all art: a mere distance threshold would put the edge of a dark shape up to half a pixel too far out.
    """
    if not ground.colours:
        return picture.alpha, None
    pixels = picture.pixels if ground.slope is None else _levelled(picture.pixels, ground)
    soft, reach = 0, ground.distance if distance is None else distance
    if _is_grainy(pixels, ground.colours[0]):
        # a photograph: smooth its grain, and look for the art's own colour further inside its soft edge
        pixels = cv2.GaussianBlur(pixels, (0, 0), PHOTO_BLUR_PX)
        soft = PHOTO_REACH_PX
    away = away_from(pixels, list(ground.colours))
    sure = max(reach, PLAIN_GROUND_DISTANCE) if distance is None else reach
    art = _beyond(away, sure)
    if not soft and rings_beside(pixels, art):
        # what JPEG leaves beside an edge is faint next to the art that it belongs to
        soft, reach = RINGING_REACH_PX, sure
        pixels = _with_even_colours(pixels)
        away = away_from(pixels, list(ground.colours))
        near = cv2.dilate(away, np.ones((2 * BLOCK_PX + 1, 2 * BLOCK_PX + 1), np.uint8))
        art = _beyond(away, sure) & (away >= RINGING_SHARE * near).view(np.uint8)
    elif reach < sure:
        art = _beyond(away, reach)
    field = _with_soft_edge(pixels, away, art, ground, soft)
    return np.minimum(field, picture.alpha) if picture.has_transparency else field, reach


def _beyond(away: NDArray[np.uint8], distance: float) -> NDArray[np.uint8]:
    """1 where a pixel, `away` half units from the ground, is further from it than `distance`, else 0."""
    return np.asarray(cv2.threshold(away, min(round(2 * distance), 254), 1, cv2.THRESH_BINARY)[1])


def _with_soft_edge(
    pixels: NDArray[np.uint8], away: NDArray[np.uint8], art: NDArray[np.uint8], ground: Ground, soft: int
) -> Field:
    """`art` (h, w; 0 or 1), its edge pixels as far as they are covered: by where their colour lies between the ground
    and the nearest pixel that is all art, which in a `soft` edge lies so many pixels further inside."""
    three, wide = np.ones((3, 3), np.uint8), np.ones((3 + 2 * soft, 3 + 2 * soft), np.uint8)
    inside = cv2.erode(art, wide, borderValue=0)
    reach = cv2.dilate(art, three) - cv2.erode(inside, three, borderValue=0)
    # a thin stroke has no pixel that is all art: there its strongest pixel stands for the art
    crest = ((away >= cv2.dilate(away, three)) & (art > 0)).view(np.uint8)
    sure = np.where(cv2.dilate(inside, np.ones((5 + 2 * soft, 5 + 2 * soft), np.uint8)), inside, crest)
    field: Field = art * np.uint8(255)
    rows, columns = np.divmod(np.flatnonzero(reach.view(np.bool_)), reach.shape[1])
    own = pixels[rows, columns, :3].astype(np.float32)
    grounds = np.array(ground.colours, dtype=np.float32)
    back = grounds[((own[:, None] - grounds) ** 2).sum(axis=2).argmin(axis=1)]
    step = _nearest_colours(pixels, sure, rows, columns, reach=3 + 2 * soft) - back
    share = ((own - back) * step).sum(axis=1) / np.maximum((step * step).sum(axis=1), 1.0)
    field[rows, columns] = np.round(np.clip(share, 0, 1) * 255)
    return field


def _nearest_colours(
    pixels: NDArray[np.uint8], sure: NDArray[np.uint8], rows: NDArray[np.intp], columns: NDArray[np.intp], reach: int
) -> NDArray[np.float32]:
    """For every pixel (rows, columns) the colour (n, 3) of the nearest pixel marked in `sure`, at most `reach` away;
    its own colour where there is none. Edge pixels are few: looking round each is faster than a distance transform."""
    height, width = sure.shape
    offsets = sorted(
        ((dy, dx) for dy in range(-reach, reach + 1) for dx in range(-reach, reach + 1)),
        key=lambda at: at[0] ** 2 + at[1] ** 2,
    )
    colours = pixels[rows, columns, :3].astype(np.float32)
    open_ = np.arange(len(rows))
    for dy, dx in offsets:
        y, x = np.clip(rows[open_] + dy, 0, height - 1), np.clip(columns[open_] + dx, 0, width - 1)
        hit = sure[y, x] > 0
        colours[open_[hit]] = pixels[y[hit], x[hit], :3]
        open_ = open_[~hit]
        if not len(open_):
            break
    return colours


def ground_noise(pixels: NDArray[np.uint8], colour: Colour) -> float:
    """Grain of the plain ground along the rim: mean difference of neighbours there, of 255; 0 when drawn, not taken."""
    steps = []
    for rim in (pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]):
        rgb = rim[:, :3].astype(np.float32)
        plain = np.abs(rgb - np.array(colour, dtype=np.float32)).max(axis=1) < 3 * PLAIN_GROUND_DISTANCE
        steps.append(np.abs(np.diff(rgb, axis=0))[plain[1:] & plain[:-1]].ravel())
    every = np.concatenate(steps)
    return float(every.mean()) if every.size else 0.0


def _with_even_colours(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """`pixels` with their colour smoothed and their brightness as it is: JPEG keeps colour at half the size (ITU-T
    T.871), so all of an edge that is sharp is in the brightness."""
    parts = cv2.cvtColor(np.ascontiguousarray(pixels[..., :3]), cv2.COLOR_RGB2YCrCb)
    parts[..., 1:] = cv2.GaussianBlur(parts[..., 1:], (0, 0), COLOUR_BLUR_PX)
    even = pixels.copy()
    even[..., :3] = cv2.cvtColor(parts, cv2.COLOR_YCrCb2RGB)
    return even


def rings_beside(pixels: NDArray[np.uint8], art: NDArray[np.uint8]) -> bool:
    """Whether the ground beside `art` (h, w; 0 or 1) is uneven from pixel to pixel, as lossy compression leaves it, and
    not even or fading evenly, as it is drawn."""
    block = np.ones((2 * BLOCK_PX + 3, 2 * BLOCK_PX + 3), np.uint8)
    beside = cv2.dilate(art, block) - cv2.dilate(art, np.ones((7, 7), np.uint8))
    beside[:, [0, -1]] = 0
    rows, columns = np.divmod(np.flatnonzero(beside), beside.shape[1])
    if not len(rows):
        return False
    some = slice(None, None, max(1, len(rows) // MOST_LOOKED_AT))
    rows, columns = rows[some], columns[some]
    left, own, right = (pixels[rows, columns + step, :3].astype(np.int16) for step in (-1, 0, 1))
    return bool((np.abs(left - 2 * own + right).max(axis=1) >= UNEVEN_LEVELS).mean() >= UNEVEN_SHARE)


def is_hard(field: Field) -> bool:
    """Whether the edge is cut along whole pixels: hardly any pixel on it is partly covered."""
    partly = np.count_nonzero((field > 12) & (field < 243))
    high = (field >= 128).view(np.uint8)
    rim = np.count_nonzero(high - cv2.erode(high, np.ones((3, 3), np.uint8), borderValue=0))
    return bool(partly < HARD_SHARE * rim)
