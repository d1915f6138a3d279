"""Nesting beside its reference: python benchmarks/nesting.py CASES_DIR [REFERENCE_PYTHON]

CASES_DIR holds the public cases (mixed-50, mixed-200, mixed-1000 and jigsaw-40 as PROBLEM.json) and nest_reference.py,
which packs one with the package spyrrow; REFERENCE_PYTHON is the interpreter that has it. Three seeds for both, one
after the other; medians. The reference often overruns its budget: it gets as many seconds as bring it nearest to the
wall time of the command."""

import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
ENVIRONMENT = {**os.environ, "NUMBA_CACHE_DIR": str(ROOT / "var" / "numba")}
CASES = {
    "mixed-50": (10, 9, 0.98, 1.00),
    "mixed-200": (10, 10, 1.01, 1.04),
    "mixed-1000": (20, 17, 1.05, 1.08),
    "jigsaw-40": (20, 20, 1.00, 1.08),
}
"""Seconds for the command, budget of the reference, bar and aim as ratios of utilisation."""
SEEDS = (1, 2, 3)


def packed(problem: dict[str, object], folder: Path) -> tuple[float, float]:
    """Utilisation and wall time of the command."""
    (folder / "problem.json").write_text(json.dumps(problem))
    command = [
        sys.executable,
        "-m",
        "etiquette.cli",
        "nest",
        str(folder / "problem.json"),
        "-o",
        str(folder / "layout.json"),
    ]
    start = time.monotonic()
    subprocess.run(command, check=True, capture_output=True, env=ENVIRONMENT)
    return json.loads((folder / "layout.json").read_text())["utilisation"], time.monotonic() - start


def referred(problem: dict[str, object], folder: Path, runner: Path, python: str, budget: int) -> tuple[float, float]:
    (folder / "problem.json").write_text(json.dumps(problem))
    command = [python, str(runner), str(folder / "problem.json"), str(budget)]
    said = json.loads(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
    return said["utilisation"], said["seconds"]


def main() -> None:
    cases = Path(sys.argv[1])
    runner = cases / "nest_reference.py"
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for case, (seconds, budget, bar, aim) in CASES.items():
            given = json.loads((cases / f"{case}.json").read_text()) | {"seconds": seconds}
            ours = [packed(given | {"seed": seed}, folder) for seed in SEEDS]
            mine, wall = (statistics.median(part) for part in zip(*ours, strict=True))
            words = f"nest {case}: utilisation {mine:.4f} in {wall:.1f} s"
            if len(sys.argv) > 2 and runner.exists():
                theirs = [referred(given | {"seed": seed}, folder, runner, sys.argv[2], budget) for seed in SEEDS]
                other, their_wall = (statistics.median(part) for part in zip(*theirs, strict=True))
                words += f"; spyrrow {other:.4f} in {their_wall:.1f} s; ratio {mine / other:.3f} (bar {bar}, aim {aim})"
            print(words, flush=True)
        given = json.loads((cases / "mixed-200.json").read_text()) | {"steps": 1}
        first = [json.loads((folder / "layout.json").read_text())["seconds"] for _ in SEEDS if packed(given, folder)]
        print(f"first layout of mixed-200: {statistics.median(first):.2f} s (bar 1 s)")
        given = json.loads((cases / "mixed-200.json").read_text()) | {"seconds": 20}
        for piece in given["pieces"]:
            piece |= {"count": 500, "outline": [[0.35 * x, 0.35 * y] for x, y in piece["outline"]]}
        used, wall = packed(given, folder)
        most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
        print(
            f"10,000 small pieces of 20 designs: {wall:.1f} s (bar 30 s), utilisation {used:.4f}; most memory of any "
            f"run {most:.2f} GB (bar 2 GB)"
        )


if __name__ == "__main__":
    main()
