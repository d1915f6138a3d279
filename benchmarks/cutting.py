"""Motion: the way between pieces beside OR-Tools' routing, and how long a large frame takes.

python benchmarks/cutting.py [REFERENCE_PYTHON]

REFERENCE_PYTHON is an interpreter that has ortools; it gets ten seconds for the same places, from (0, 0), ending
anywhere."""

import json
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.cutting.touring import tour
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path as Line

HERE = Path(__file__).parent


def blob(middle: np.ndarray, nodes: int, random: np.random.Generator) -> FinishLine:
    angles = np.linspace(0, 2 * np.pi, nodes, endpoint=False)
    radius = 9 + random.uniform(0, 2) * np.cos(5 * angles + random.uniform(0, 6))
    return FinishLine(
        "kiss", Line.from_points(middle + radius[:, None] * np.column_stack([np.cos(angles), np.sin(angles)]))
    )


def main() -> None:
    for seed in (1, 2, 3):
        random = np.random.default_rng(seed)
        middles = random.uniform((20, 20), (1280, 1480), (500, 2))
        lines = [blob(middle, 40, random) for middle in middles]
        tour(middles, np.zeros(2))
        start = time.perf_counter()
        order = tour(middles, np.zeros(2))
        alone = time.perf_counter() - start
        way = float(np.hypot(*np.diff(np.vstack([np.zeros(2), middles[order]]), axis=0).T).sum())
        start = time.perf_counter()
        motion = plan_motion(lines, PROFILES["knife"], {})
        whole = time.perf_counter() - start
        text = (
            f"500 contours, seed {seed}: middles {way:.0f} mm in {alone:.2f} s; as cut, stretch by stretch, "
            f"entered anywhere {motion.travel_mm:.0f} mm in {whole:.2f} s"
        )
        if len(sys.argv) > 1:
            asked = json.dumps(middles.tolist())
            said = subprocess.run(
                [sys.argv[1], str(HERE / "reference_tours.py")], input=asked, capture_output=True, text=True, check=True
            ).stdout
            text += (
                f"; OR-Tools in 10 s {float(said):.0f} mm: {way / float(said):.3f} and "
                f"{motion.travel_mm / float(said):.3f} of it"
            )
        print(text)
    random = np.random.default_rng(9)
    lines = [blob(np.array([15 + 26 * (n % 50), 15 + 26 * (n // 50)]), 100, random) for n in range(2000)]
    start = time.perf_counter()
    motion = plan_motion(lines, PROFILES["knife"], {})
    print(
        f"2,000 pieces of 100 nodes: motion in {time.perf_counter() - start:.2f} s, {motion.seconds / 60:.1f} min at "
        "the cutter"
    )


if __name__ == "__main__":
    main()
