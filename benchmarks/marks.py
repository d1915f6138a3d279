"""How exactly marks are found in pixels of 200 dpi: python benchmarks/marks.py [SAMPLES]

Drawn by Shapely, blurred, hazy, noisy (tests/scenes.py); beside it the centroid of darkness of the same pixels, as a
reference that knows roughly where to look."""

import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.aligning.windows import Window
from tests.scenes import MM_PER_PX, SHAPES, SIDE, mark_seen, under


def centroid(grey: np.ndarray, at: tuple[float, float], reach: float) -> tuple[float, float]:
    step = (np.arange(SIDE) + 0.5 - SIDE / 2) * MM_PER_PX
    x, y = np.meshgrid(step, -step)
    near = np.hypot(x - at[0], y - at[1]) < reach
    dark = np.clip(np.median(grey[near]) - 15.0 - grey, 0, None) * near
    return float((dark * x).sum() / dark.sum()), float((dark * y).sum() / dark.sum())


def main() -> None:
    samples = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    random = np.random.default_rng(1)
    for recipe in SHAPES:
        for what in ("plain", "haze", "glare", "covered"):
            ours, plain, seconds = [], [], []
            for _ in range(samples):
                at = (float(random.uniform(-4, 4)), float(random.uniform(-4, 4)))
                turn = random.uniform(-15, 15) + (90 * random.integers(4) if recipe.shape == "corner" else 0)
                grey = under(mark_seen(recipe, at, float(turn), 40, 225), what, at, recipe.size_mm, random)
                start = time.perf_counter()
                found = find_marks(Window(grey, 0, 0, MM_PER_PX), recipe)
                seconds.append(time.perf_counter() - start)
                if found:
                    ours += [found[0].x - at[0], found[0].y - at[1]]
                middle = centroid(grey.astype(float), at, recipe.size_mm * 0.8)
                plain += [middle[0] - at[0], middle[1] - at[1]]
            sigma, beside = (float(np.sqrt(np.mean(np.square(one)))) for one in (ours, plain))
            print(
                f"{recipe.shape:7s} {what:8s} found {len(ours) // 2} of {samples}, 1 sigma {sigma:.4f} mm, centroid "
                f"{beside:.4f} mm, {1e3 * np.median(seconds):.0f} ms a window"
            )


if __name__ == "__main__":
    main()
