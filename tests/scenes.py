"""Pictures of registration marks drawn by Shapely, supersampled: independent of how Etiquette finds them."""

import cv2
import numpy as np
from shapely import affinity, contains_xy, prepare

from etiquette.core.marking.marks import MarkRecipe, mark_area

SHAPES = [
    MarkRecipe(),
    MarkRecipe(shape="square", size_mm=5),
    MarkRecipe(shape="ring", size_mm=7, stroke_mm=1.5),
    MarkRecipe(shape="cross", size_mm=8, stroke_mm=1),
    MarkRecipe(shape="corner", size_mm=9, stroke_mm=1.2),
]
MM_PER_PX = 25.4 / 200
SIDE = 280
FINER = 6


def mark_seen(recipe: MarkRecipe, at: tuple[float, float], turn_deg: float, ink: float, ground: float) -> np.ndarray:
    """Grey (SIDE, SIDE) at 200 dpi of a mark whose middle lies `at` mm from the middle of the window, y up."""
    shape = affinity.translate(affinity.rotate(mark_area(recipe), turn_deg, origin=(0, 0)), *at)
    prepare(shape)
    step = ((np.arange(SIDE * FINER) + 0.5) / FINER - SIDE / 2) * MM_PER_PX
    columns, rows = (
        np.flatnonzero(np.abs(line - middle) < recipe.size_mm) for line, middle in zip((step, -step), at, strict=True)
    )
    dark = np.zeros((len(step), len(step)), dtype=bool)
    dark[np.ix_(rows, columns)] = contains_xy(shape, *np.meshgrid(step[columns], -step[rows]))
    return ground - (ground - ink) * dark.reshape(SIDE, FINER, SIDE, FINER).mean(axis=(1, 3))


def under(
    grey: np.ndarray, what: str, at: tuple[float, float], size_mm: float, random: np.random.Generator
) -> np.ndarray:
    """The same through a camera: blur and noise, and with `what` haze of the laminate, a streak of glare, or something
    that covers a part of the mark."""
    rows, columns = np.mgrid[:SIDE, :SIDE]
    seen = cv2.GaussianBlur(grey, (0, 0), 0.8)
    if what == "haze":
        seen = 0.55 * seen + 0.35 * 255 + 0.1 * columns
    if what == "glare":
        away = (columns - SIDE / 2 + random.uniform(-15, 15)) * np.cos(0.7) + (rows - SIDE / 2) * np.sin(0.7)
        seen = seen + 70 * np.exp(-((away / 6) ** 2))
    if what == "covered":
        way = random.uniform(0, 2 * np.pi)
        column = SIDE / 2 + (at[0] + np.cos(way) * size_mm * 0.45) / MM_PER_PX
        row = SIDE / 2 - (at[1] + np.sin(way) * size_mm * 0.45) / MM_PER_PX
        seen[(columns - column) ** 2 + (rows - row) ** 2 < (0.14 * size_mm / MM_PER_PX) ** 2] = random.choice([235, 90])
    return np.clip(seen + random.normal(0, 4, seen.shape), 0, 255).astype(np.uint8)


def pinhole(tilt_deg: tuple[float, float], turn_deg: float, away_mm: float, middle: tuple[float, float]) -> np.ndarray:
    """The homography (3, 3) of a pinhole camera with square pixels over a plane, onto lens coordinates of 1.25 focal
    lengths, y down."""
    a, b, c = np.radians([*tilt_deg, turn_deg])
    about_x = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    about_y = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    about_z = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    flat = np.array([[1, 0, -middle[0]], [0, 1, -middle[1]], [0, 0, 0.0]])
    seen = np.diag([1, -1, 1.0]) @ about_x @ about_y @ about_z @ flat + np.array(
        [[0, 0, 0], [0, 0, 0], [0, 0, away_mm]]
    )
    made = np.diag([1.25, 1.25, 1]) @ seen
    return np.asarray(made / made[2, 2])
