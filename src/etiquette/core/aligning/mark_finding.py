"""Registration marks in pixels: first where something looks like the mark, then exactly where it lies.

Candidates are peaks of the correlation with the mark's own picture, which neither haze nor uneven light changes. Each
is then fitted: grey = ground + slope + ink · coverage, where coverage follows from the distance to the mark's edge,
blurred. Place, turn, size and blur are found by Gauss-Newton steps, ground, slope and ink by least squares within each,
and pixels that do not belong (glare, dirt, something that covers a part) lose their weight by J. W. Tukey's biweight,
so they do not pull. What is left must follow the edge of the mark most of the way round, or it was something else."""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.mark_shapes import distance_and_slopes, signed_distance, turns_alike
from etiquette.core.aligning.windows import Window
from etiquette.core.marking.marks import MarkRecipe

Reals = NDArray[np.float64]
Singles = NDArray[np.float32]

MATCH_PX_A_STROKE = 3.0
"""Candidates are looked for in pixels so large that a line of the mark is about this wide."""
TURN_STEP_DEG = 15.0
"""Turns tried: a mark within half a step still looks much like it."""
LEAST_LIKENESS = 0.5
MOST_CANDIDATES = 6
LEAST_CONTRAST = 14.0
"""Least difference of grey between ground and ink, of 255."""
EDGE_GREY = 0.2
"""How far grey along the edge may be from what the mark would give there, as a share of its contrast."""
LEAST_EDGE = 0.62
"""Share of the edge that has to be where the mark's edge would be."""
LEAST_EDGE_ROUGH = 0.08
MOST_PALE = 0.2
"""Share of the inside that may be nearer to the ground than to ink: glare is paler than ink, a hole is ground."""
SIZE_SLACK = 0.08
"""A mark may be this much larger or smaller: ink spreads, and a print may be a few percent off."""
SPREAD_MM = 0.12
STEPS = 10
TUKEY = 4.685
"""Tuning constant of the biweight for 95 % efficiency on normal noise."""
LEAST_SPREAD = 1.5
"""Standard deviation in grey that is always allowed: rounding, and blur that is not quite the model's."""


@dataclass(frozen=True)
class SeenMark:
    """The middle of a mark's darkness on the cutter, its size, and the standard deviation of the middle on one axis as
    the fit expects it, all in mm."""

    x: float
    y: float
    size_mm: float
    sigma_mm: float


def find_marks(window: Window, recipe: MarkRecipe, rough: bool = False) -> list[SeenMark]:
    """Dark marks of the set's shape and about its size that lie wholly in the window, best likeness first. `rough`:
    also what is seen a little from the side, so that it is squeezed."""
    found: list[SeenMark] = []

    def known(x: float, y: float) -> bool:
        return any(np.hypot(x - one.x, y - one.y) < recipe.size_mm / 2 for one in found)

    for column, row, turn in _candidates(window, recipe):
        if not known(*window.place(column, row)):
            mark = _fitted(window, recipe, column, row, turn, rough)
            if mark and not known(mark.x, mark.y):
                found.append(mark)
    return found


def _rim_mm(recipe: MarkRecipe) -> float:
    """How much of the ground round a mark is looked at."""
    return min(recipe.clear_mm, max(0.8, 0.2 * recipe.size_mm))


def _turns(recipe: MarkRecipe) -> Reals:
    alike = turns_alike(recipe)
    return np.arange(0, alike, TURN_STEP_DEG) if alike else np.zeros(1)


def _candidates(window: Window, recipe: MarkRecipe) -> list[tuple[float, float, float]]:
    """Column, row (in pixels of the window) and turn in degrees of what looks like the mark, best first."""
    line = recipe.size_mm / 4 if recipe.shape in ("disc", "square") else min(recipe.stroke_mm, recipe.size_mm / 4)
    shrink = max(1, int(line / MATCH_PX_A_STROKE / window.mm_per_px))
    pixels = window.pixels
    if shrink > 1:
        rows, columns = (size // shrink * shrink for size in pixels.shape)
        pixels = cv2.resize(pixels[:rows, :columns], None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
    scale = window.mm_per_px * shrink
    reach = recipe.size_mm / 2 + _rim_mm(recipe)
    if recipe.shape == "corner":  # its middle lies aside
        reach += recipe.size_mm / 4
    half = int(np.ceil(reach / scale))
    if 2 * half + 1 > min(pixels.shape):
        return []
    at = np.arange(-half, half + 1) * scale
    u, v = np.meshgrid(at, -at)
    best = np.full((pixels.shape[0] - 2 * half, pixels.shape[1] - 2 * half), -1.0, dtype=np.float32)
    turned = np.zeros_like(best)
    for turn in _turns(recipe):
        cos, sin = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        template = _inked(signed_distance(recipe, cos * u + sin * v, -sin * u + cos * v) / (0.6 * scale))
        likeness = cv2.matchTemplate(pixels, (255 * template).astype(np.uint8), cv2.TM_CCOEFF_NORMED)
        turned[likeness > best] = turn
        best = np.maximum(best, likeness)
    best[~np.isfinite(best)] = -1
    size = max(3, int(0.5 * recipe.size_mm / scale) | 1)
    least = max(LEAST_LIKENESS, 0.7 * float(best.max()))
    peaks = (best == cv2.dilate(best, np.ones((size, size), np.uint8))) & (best > least)
    rows, columns = np.nonzero(peaks)
    order = np.argsort(-best[rows, columns])[:MOST_CANDIDATES]
    return [
        ((columns[n] + half + 0.5) * shrink, (rows[n] + half + 0.5) * shrink, float(turned[rows[n], columns[n]]))
        for n in order
    ]


def _fitted(
    window: Window, recipe: MarkRecipe, column: float, row: float, turn_deg: float, rough: bool
) -> SeenMark | None:
    """The mark near a candidate, or None when it is something else."""
    scale = window.mm_per_px
    reach = recipe.size_mm * (0.85 if recipe.shape == "corner" else 0.5) + _rim_mm(recipe)
    half = int(np.ceil(reach / scale))
    left, top = int(column) - half, int(row) - half
    grey = window.pixels[max(top, 0) : int(row) + half + 1, max(left, 0) : int(column) + half + 1].astype(float)
    left, top = max(left, 0), max(top, 0)
    x = (np.arange(grey.shape[1]) + 0.5 + left - column) * scale
    y = -(np.arange(grey.shape[0]) + 0.5 + top - row) * scale
    u, v = np.meshgrid(x, y)
    cos, sin = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    near = signed_distance(recipe, cos * u + sin * v, -sin * u + cos * v) < _rim_mm(recipe)
    u, v, grey = u[near], v[near], grey[near]
    state = np.array([0.0, 0.0, np.radians(turn_deg), 0.0, np.log(0.7 * scale)])  # x, y, turn, grown by, log of blur
    model = _Model(recipe, u, v, grey, bool(turns_alike(recipe)))
    weights = np.ones(grey.size, dtype=np.float32)
    for step in range(STEPS):
        state, moved = model.step(state, weights)
        weights = model.weights(state, gentle=step < 3)
        if step > 3 and moved < 1e-4:
            break
    if not model.is_mark(state, weights, rough) or np.hypot(state[0], state[1]) > recipe.size_mm / 2:
        return None
    middle_x, middle_y = window.place(column, row)
    sigma = model.sigma_mm(state, weights)
    return SeenMark(middle_x + float(state[0]), middle_y + float(state[1]), recipe.size_mm + 2 * float(state[3]), sigma)


class _Model:
    """What a mark at a state (x, y, turn, grown by, log of blur) looks like in the pixels `grey` (n,) at places u, v
    (n,). Pixels are worked in single precision, which is far below a micrometre here, and what is solved in double."""

    def __init__(self, recipe: MarkRecipe, u: Reals, v: Reals, grey: Reals, turns: bool) -> None:
        self._recipe = recipe
        self._u, self._v, self._grey = (one.astype(np.float32) for one in (u, v, grey))
        self._free = [0, 1, 2, 3, 4] if turns else [0, 1, 3, 4]
        self._plain = np.stack([np.ones_like(self._u), self._u, self._v])
        self._covered: tuple[bytes, Singles] = b"", self._u

    def _own(self, state: Reals) -> tuple[Singles, Singles]:
        """The places in the mark's own coordinates."""
        x, y, turn = state[:3].tolist()
        cos, sin = math.cos(turn), math.sin(turn)
        du, dv = self._u - x, self._v - y
        return cos * du + sin * dv, cos * dv - sin * du

    def _edge(self, state: Reals) -> Singles:
        """Distance of every pixel to the edge of the grown mark, in mm."""
        return np.asarray(signed_distance(self._recipe, *self._own(state)) - float(state[3]))

    def _coverage(self, state: Reals) -> Singles:
        """Share of ink in every pixel; that of the state asked last is kept, because a step, its weights and the
        judgement ask for the same."""
        if self._covered[0] != state.tobytes():
            self._covered = state.tobytes(), _inked(-self._edge(state) * math.exp(-state[4]))
        return self._covered[1]

    def _lights(self, coverage: Singles, weights: Singles) -> Reals:
        """Ground, its slopes and the ink's difference from it, by weighted least squares."""
        design = np.concatenate([self._plain, coverage[None]])
        weighted = design * weights
        normal = (weighted @ design.T).astype(np.float64)
        return np.asarray(np.linalg.solve(normal + 1e-6 * np.eye(4), (weighted @ self._grey).astype(np.float64)))

    def _left(self, coverage: Singles, lights: Reals) -> Singles:
        told = lights.astype(np.float32)
        return np.asarray(self._grey - told[:3] @ self._plain - told[3] * coverage)

    def _slopes(self, state: Reals) -> Singles:
        """How coverage changes with each part of the state, (5, n): the chain rule through the distance."""
        a, b = self._own(state)
        distance, slope_a, slope_b = distance_and_slopes(self._recipe, a, b)
        blur = math.exp(state[4])
        depth = (distance - float(state[3])) * (1 / blur)
        steep = np.exp(-(depth**2) / 2) * (1 / (blur * math.sqrt(2 * math.pi)))
        cos, sin = math.cos(state[2]), math.sin(state[2])
        moved = (slope_a * cos - slope_b * sin, slope_a * sin + slope_b * cos, slope_b * a - slope_a * b)
        return np.stack([*(steep * part for part in moved), steep, steep * depth * blur])

    def step(self, state: Reals, weights: Singles) -> tuple[Reals, float]:
        """One Gauss-Newton step; returns the state and how far it moved in mm."""
        coverage = self._coverage(state)
        lights = self._lights(coverage, weights)
        design = float(lights[3]) * self._slopes(state)[self._free]
        weighted = design * weights
        normal = (weighted @ design.T).astype(np.float64)
        change = np.linalg.solve(
            normal + (1e-6 * np.trace(normal) + 1e-9) * np.eye(len(self._free)),
            (weighted @ self._left(coverage, lights)).astype(np.float64),
        )
        after = state.copy()
        limits = np.array([0.3, 0.3, 0.15, 0.15, 0.5])[self._free]
        after[self._free] += np.clip(change, -limits, limits)
        after[3] = np.clip(after[3], -0.2 * self._recipe.size_mm, 0.2 * self._recipe.size_mm)
        after[4] = np.clip(after[4], np.log(0.02), np.log(0.6))
        return after, float(np.hypot(*(after - state)[:2]))

    def weights(self, state: Reals, gentle: bool = False) -> Singles:
        """Tukey's biweight of what is left; `gentle` while the place is still rough."""
        coverage = self._coverage(state)
        lights = self._lights(coverage, np.ones_like(coverage) if gentle else self._rough(coverage))
        left = self._left(coverage, lights)
        spread = max(1.4826 * float(np.median(np.abs(left))), LEAST_SPREAD + 0.02 * abs(float(lights[3])))
        share = left * (1 / (TUKEY * spread * (3 if gentle else 1)))
        return np.asarray(np.maximum(1 - share**2, 0) ** 2)

    def _rough(self, coverage: Singles) -> Singles:
        """Weights for the lights alone, from medians of ink and ground, which glare over less than half does not
        move."""
        inside = coverage > 0.9
        outside = coverage < 0.1
        ink = float(np.median(self._grey[inside])) if inside.any() else 0.0
        ground = float(np.median(self._grey[outside])) if outside.any() else 255.0
        near = np.abs(self._grey - np.where(coverage > 0.5, ink, ground)) < max(12.0, 0.25 * abs(ground - ink))
        return near.astype(np.float32) + np.float32(1e-3)

    def is_mark(self, state: Reals, weights: Singles, rough: bool) -> bool:
        """Whether the edge lies where the mark's edge would most of the way, in its size, darker than the ground."""
        coverage = self._coverage(state)
        lights = self._lights(coverage, weights)
        edge = np.abs(self._edge(state)) < max(0.15, 1.5 * np.exp(state[4]))
        slack = (2 if rough else 1) * (SIZE_SLACK * self._recipe.size_mm / 2 + SPREAD_MM)
        right = np.abs(self._left(coverage, lights)) < EDGE_GREY * abs(float(lights[3]))
        sound = float(right[edge].mean()) if edge.any() else 0.0
        inside = coverage > 0.9
        middle = lights[:3] @ self._plain + lights[3] / 2
        pale = float((self._grey > middle)[inside].mean()) if inside.any() else 0.0
        outside = coverage < 0.1
        soiled = float((self._grey < middle)[outside].mean()) if outside.any() else 0.0
        if soiled > MOST_PALE:  # dark where the ground should be: a disc is no ring
            return False
        dark = -lights[3] >= LEAST_CONTRAST
        return bool(
            dark
            and abs(state[3]) <= slack
            and sound >= (LEAST_EDGE_ROUGH if rough else LEAST_EDGE)
            and pale <= MOST_PALE
        )

    def sigma_mm(self, state: Reals, weights: Singles) -> float:
        """Standard deviation of the middle on one axis, from the noise that is left and how fast the grey changes with
        the place (the inverse of the normal equations)."""
        coverage = self._coverage(state)
        lights = self._lights(coverage, weights)
        left = self._left(coverage, lights)
        noise = float((weights * left**2).sum() / max(weights.sum(), 1.0))
        design = float(lights[3]) * self._slopes(state)[:2]
        normal = ((design * weights) @ design.T).astype(np.float64)
        return float(np.sqrt(noise * np.trace(np.linalg.pinv(normal)) / 2))


def _inked(depth: Singles) -> Singles:
    """The share of ink in pixels that lie `depth` blurs of the eye inside an edge: a normal distribution."""
    from scipy.special import ndtr  # large: only where it works

    return np.asarray(ndtr(depth))
