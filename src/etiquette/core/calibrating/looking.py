"""Test cards read from pixels instead of by eye: where a cut line lies, and whether the corners of a square are
sharp."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.aligning.windows import Window
from etiquette.core.calibrating.cards import CARDS, RIM_MM, CardName
from etiquette.core.calibrating.patterns import CROSS_MM, RULED_MM, SIDE_MM, Pattern, Step
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.marking.marks import MarkRecipe

Look = Callable[[float, float], Window]
Reals = NDArray[np.float64]

SEARCHED_MM = 2.5
"""How far beside its place a line is looked for."""
BESIDE_MM = 0.45
"""How far beside its edge a line is followed near a corner."""
LEAST_DARK = 12.0
"""Least difference of grey between the stock and a cut line."""
NEAR_CORNER_MM = np.linspace(0.25, 1.0, 16)
"""How far from a corner the line that comes or goes there is measured: a wrong offset bends it."""
PROFILE_STEP_MM = 0.02
RING_SEARCHED_MM = 1.3
"""How far beside its place a ring is looked for."""


def line_beside(window: Window, places: Points, across: Points, reach: float) -> Reals:
    """How far from each of `places` (n, 2) mm a dark line lies, towards `across` (2,), within `reach` mm; NaN where
    there is none."""
    at = np.arange(-reach, reach + PROFILE_STEP_MM / 2, PROFILE_STEP_MM)
    spots = places[:, None, :] + at[:, None] * across
    middle = np.array(window.pixels.shape[::-1]) / 2 - 0.5
    maps = ((spots - (window.x, window.y)) * (1, -1) / window.mm_per_px + middle).astype(np.float32)
    grey = cv2.remap(window.pixels, maps, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(float)
    dark = np.median(grey, axis=1, keepdims=True) - cv2.GaussianBlur(grey, (0, 0), 0.06 / PROFILE_STEP_MM, sigmaY=1e-3)
    peak = dark.argmax(axis=1)
    near = np.where(
        np.abs(at - at[peak][:, None]) < 0.2, np.clip(dark - 0.3 * dark.max(axis=1, keepdims=True), 0, None), 0
    )
    with np.errstate(invalid="ignore"):
        found = (near * at).sum(axis=1) / near.sum(axis=1)
    return np.where(dark.max(axis=1) >= LEAST_DARK, found, np.nan)


def read_feed(look: Look, pattern: Pattern) -> dict[str, float]:
    """How far apart the two lines are. `look` shows the table itself."""
    ys = [step.y + _middle_of(look(step.x, step.y), step, "feed", RULED_MM / 4, (0, 1)) for step in pattern.steps]
    return {"measured_mm": round(ys[1] - ys[0], 3)}


def read_sensor(look: Look, pattern: Pattern) -> dict[str, float]:
    """Where the cross lies beside the middle of what the camera sees."""
    (step,) = pattern.steps
    window = look(step.x, step.y)
    across = _middle_of(window, step, "sensor", CROSS_MM / 3, (1, 0))
    along = _middle_of(window, step, "sensor", CROSS_MM / 3, (0, 1))
    return {"across_mm": round(across, 3), "along_mm": round(along, 3)}


def read_knife(look: Look, pattern: Pattern) -> dict[str, float]:
    """Which square has the sharpest corners, between two of them where neither is right: too small an offset bends the
    edges inward at the corners, too large a one outward."""
    bends = [corner_bend(look(step.x, step.y), step) for step in pattern.steps]
    for number in reversed(range(len(bends) - 1)):
        before, after = bends[number : number + 2]
        if before <= 0 < after:
            return {"best": round(number + 1 + before / (before - after), 2)}
    way = "larger" if bends[-1] <= 0 else "smaller"
    raise JobError(
        f"No square has sharp corners; the offset is {way} than all of them.",
        CARDS["knife"].title,
        f"Cut the card again with {way} offsets.",
    )


def corner_bend(window: Window, step: Step) -> float:
    """How far outward the edges of a cut square are bent near its corners, mm on the median."""
    ways = np.array([(1, 0), (0, 1), (-1, 0), (0, -1)], dtype=float)  # outward, right first
    middle, half = np.array([step.x, step.y]), SIDE_MM / 2
    along = np.linspace(-half / 3, half / 3, 15)
    out = []
    for way in ways:
        rungs = middle + half * way + along[:, None] * np.array([-way[1], way[0]])
        out.append(float(np.median(_seen(line_beside(window, rungs, way, SEARCHED_MM), "knife"))) + half)
    bends = []
    for number, way in enumerate(ways):
        for side, turn in ((1, (number + 1) % 4), (-1, (number + 3) % 4)):
            tangent = side * np.array([-way[1], way[0]])
            places = middle + out[number] * way + (out[turn] - NEAR_CORNER_MM)[:, None] * tangent
            bends.append(float(_seen(line_beside(window, places, way, BESIDE_MM), "knife").mean()))
    return float(np.median(bends))


def _ring_mm(recipe: MarkRecipe) -> float:
    if recipe.shape == "corner":
        raise JobError(
            "Rings cannot be cut round corner marks.",
            CARDS["print-to-cut"].title,
            "Take a sheet with discs, rings, squares or crosses.",
        )
    return recipe.size_mm / 2 + 0.7 * recipe.clear_mm


def ring_round(mark: tuple[float, float], recipe: MarkRecipe) -> FinishLine:
    """A circle to be cut round a mark, well inside what is kept clear about it."""
    turns = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    radius = _ring_mm(recipe)
    return FinishLine(
        "kiss", Path.from_points(np.array(mark) + radius * np.column_stack([np.cos(turns), np.sin(turns)]))
    )


def read_print_to_cut(look: Look, marks: Sequence[tuple[float, float]], recipe: MarkRecipe) -> dict[str, float]:
    """How wide the rims between the print and the cut are, from rings that were cut round marks: where each ring's
    middle lies beside the middle of its mark, on the median. Where the camera believes to be does not matter."""
    radius = _ring_mm(recipe)
    reach = min(RING_SEARCHED_MM, radius - (0.71 if recipe.shape == "square" else 0.5) * recipe.size_mm - 0.3)
    turns = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    ways = np.column_stack([np.cos(turns), np.sin(turns)])
    aside = []
    for mark in marks:
        window = look(*mark)
        seen = min(find_marks(window, recipe), key=lambda one: np.hypot(one.x - mark[0], one.y - mark[1]), default=None)
        if seen is None:
            continue
        middle = np.array([seen.x, seen.y])
        out = np.array([line_beside(window, (middle + radius * way)[None], way, reach)[0] for way in ways])
        if np.isfinite(out).mean() > 0.5:  # a circle moved by d lies d · way further out
            sound = np.isfinite(out)
            aside.append(
                np.linalg.lstsq(np.column_stack([ways, np.ones(len(ways))])[sound], out[sound], rcond=None)[0][:2]
            )
    if not aside:
        raise JobError(
            "No ring is to be seen round a mark.", CARDS["print-to-cut"].title, "Cut the rings again, deeper."
        )
    across, along = np.median(aside, axis=0)
    return {
        "left_mm": round(RIM_MM + across, 3),
        "right_mm": round(RIM_MM - across, 3),
        "near_mm": round(RIM_MM + along, 3),
        "far_mm": round(RIM_MM - along, 3),
    }


def _middle_of(window: Window, step: Step, card: CardName, reach: float, way: Sequence[float]) -> float:
    """How far towards `way` the line of a step lies from where it was to be, from places along it beside its middle."""
    across = np.array(way, dtype=float)
    along = np.concatenate([np.linspace(-reach, -reach / 3, 12), np.linspace(reach / 3, reach, 12)])
    places = np.array([step.x, step.y]) + along[:, None] * np.array([across[1], across[0]])
    return float(np.median(_seen(line_beside(window, places, across, SEARCHED_MM), card)))


def _seen(found: Reals, card: CardName) -> Reals:
    """What was seen of a line. Raises JobError when that is less than half."""
    seen = found[np.isfinite(found)]
    if len(seen) < len(found) / 2:
        raise JobError(
            "The lines of the card are not to be seen.",
            CARDS[card].title,
            "Cut it again deeper, or read it by eye and enter what you see.",
        )
    return seen


READERS = {"feed": read_feed, "sensor": read_sensor, "knife": read_knife}
"""Cards that a camera can read; force is felt, not seen."""
