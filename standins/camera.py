"""A camera on an arm that travels along the cutter's table and photographs it from above, a little askew.

The mat is printed with a grid of square markers at known places; what the sheet does not cover is in the photo too.
"""

import cv2
import numpy as np

from standins.loads import Load
from standins.sensor import noisy
from standins.smooth import over_pixels

PHOTO_PX = (4000, 3000)
SEEN_MM = (1040.0, 780.0)
"""About what the photo shows of the table, across and along."""
LEFT_MM = 110.0
"""How much of the table left of where sheets begin is in the photo."""
LENS_BEND = (-0.045, 0.012)
"""Radial distortion of a plain lens, terms of r² and r⁴ with r in half diagonals."""
BLUR_PX, NOISE, QUALITY = 0.9, 3.0, 92
MAT_GREY = 118.0
MARKER_MM, MARKER_STEP_MM, MARGIN_MM = 24.5, 65.0, 4.375
MARKERS_ACROSS = 18
FIRST_MARKER_MM = (-60.0, -60.0)
"""Middle of the first marker; the next lie to its right, then come the rows along the table."""
MAT_MM_PER_PX = 0.125
"""How finely the mat is printed; every edge of a marker lies between two of its pixels."""
MARKERS = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_5X5_1000)


def about() -> dict[str, object]:
    """What its maker says of the camera and of the mat under it."""
    board = {
        "markers": "DICT_5X5_1000",
        "side_mm": MARKER_MM,
        "step_mm": MARKER_STEP_MM,
        "across": MARKERS_ACROSS,
        "first_mm": FIRST_MARKER_MM,
    }
    return {**board, "photo_mm": 0.6 * SEEN_MM[1]}


def photo(loads: list[Load], along: float, random: np.random.Generator) -> bytes:
    """The table with the sheets on it, the arm at `along` mm or so; nothing of where the camera really is."""
    width, height = PHOTO_PX
    aim = np.array([SEEN_MM[0] / 2 - LEFT_MM, along]) + random.normal(0, 3, 2)
    half = float(np.hypot(width, height)) / 2
    view = _view(aim, random)

    def lens(columns: np.ndarray, rows: np.ndarray) -> np.ndarray:
        return _straightened((np.stack([columns, rows], axis=-1) + 0.5 - (width / 2, height / 2)) / half)

    def table(columns: np.ndarray, rows: np.ndarray) -> np.ndarray:
        flat = lens(columns, rows) @ view[:, :2].T + view[:, 2]
        return np.asarray(flat[..., :2] / flat[..., 2:])

    places = over_pixels(table, (height, width))
    grey = _mat(places)
    for load in loads:
        sheet = load.grey_seen(SEEN_MM[0] / width / float(load.scale[0]))
        # from the table to the pixels of the sheet is affine: three points tell it
        origin, x, y = load.to_pixels(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])) - 0.5
        on_sheet = cv2.transform(places, np.column_stack([x - origin, y - origin, origin]))
        seen = cv2.remap(sheet, on_sheet, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        rows, columns = sheet.shape
        on = cv2.inRange(on_sheet, (-0.5, -0.5), (columns - 0.5, rows - 0.5))
        cv2.copyTo(seen.astype(np.float32), on, grey)
    light = over_pixels(lambda *at: 0.97 - 0.2 * (lens(*at) ** 2).sum(axis=-1), (height, width))
    grey = noisy(cv2.GaussianBlur(grey * light, (0, 0), BLUR_PX), NOISE, random)
    _, data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    return data.tobytes()


def _view(aim: np.ndarray, random: np.random.Generator) -> np.ndarray:
    """From lens coordinates to the table: looking down at `aim`, tilted by some degrees either way."""
    tilt = np.radians(random.uniform(2, 6, 2) * random.choice([-1, 1], 2))
    turn = np.radians(random.normal(0, 1.0))
    size = SEEN_MM[0] / PHOTO_PX[0] * float(np.hypot(*PHOTO_PX)) / 2
    cos, sin = np.cos(turn), np.sin(turn)
    scaled = size * np.array([[cos, sin], [sin, -cos]])  # rows of a photo go down
    tilted = np.array([[1, 0, 0], [0, 1, 0], [0.5 * np.tan(tilt[0]), 0.5 * np.tan(tilt[1]), 1]])
    placed = np.array([[1, 0, aim[0]], [0, 1, aim[1]], [0, 0, 1]])
    onto = np.eye(3)
    onto[:2, :2] = scaled
    return np.asarray(placed @ onto @ tilted)


def _straightened(bent: np.ndarray) -> np.ndarray:
    """The lens coordinates that the distortion moves to `bent`."""
    lens = bent.copy()
    for _ in range(8):
        squares = (lens**2).sum(axis=-1, keepdims=True)
        lens = bent / (1 + LENS_BEND[0] * squares + LENS_BEND[1] * squares**2)
    return lens


def _mat(places: np.ndarray) -> np.ndarray:
    """Grey of the mat at `places` (h, w, 2): its markers on white squares."""
    rim = np.concatenate([places[0], places[-1], places[:, 0], places[:, -1]])
    low = np.maximum(np.floor((rim.min(axis=0) - FIRST_MARKER_MM) / MARKER_STEP_MM), 0).astype(int)
    high = np.floor((rim.max(axis=0) - FIRST_MARKER_MM) / MARKER_STEP_MM).astype(int) + 2
    high = np.minimum(high, [MARKERS_ACROSS, 1000 // MARKERS_ACROSS])
    cell, margin = int(MARKER_STEP_MM / MAT_MM_PER_PX), int(MARGIN_MM / MAT_MM_PER_PX)
    side = int(MARKER_MM / MAT_MM_PER_PX)
    columns, rows = np.maximum(high - low, 1) * cell
    mat = np.full((rows, columns), MAT_GREY, dtype=np.uint8)
    start = (cell - side) // 2
    for row in range(low[1], high[1]):
        for column in range(low[0], high[0]):
            marker = cv2.aruco.generateImageMarker(MARKERS, int(row * MARKERS_ACROSS + column), 7)
            fine = np.kron(np.where(marker > 0, 236, 26), np.ones((side // 7, side // 7))).astype(np.uint8)
            top, left = rows - (row - low[1] + 1) * cell + start, (column - low[0]) * cell + start
            mat[top - margin : top + side + margin, left - margin : left + side + margin] = 236
            mat[top : top + side, left : left + side] = fine
    corner = FIRST_MARKER_MM + low * MARKER_STEP_MM - MARKER_STEP_MM / 2  # lower left of the part drawn
    per = 1 / MAT_MM_PER_PX
    onto = np.array([[per, 0, -corner[0] * per - 0.5], [0, -per, rows + corner[1] * per - 0.5]])
    mat = cv2.GaussianBlur(mat, (0, 0), 0.8)
    return np.asarray(
        cv2.remap(
            mat,
            cv2.transform(places, onto),
            None,
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=MAT_GREY,
        )
    ).astype(np.float32)
