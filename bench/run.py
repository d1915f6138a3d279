"""Measure what the README promises, each figure beside its reference: python bench/run.py [CASES_DIR]

CASES_DIR holds mixed-200.json (the public nesting cases). With the package spyrrow installed, it packs the same case for
the same wall time. Every figure is the median of three runs.
"""

import gzip
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

ROOT = Path(__file__).parents[1]
ETIQUETTE = [sys.executable, "-m", "etiquette.cli"]
ENVIRONMENT = {**os.environ, "NUMBA_CACHE_DIR": str(ROOT / "var" / "numba")}
FIRST_LOAD_KB = 350


def seconds(command: list[str], runs: int = 3) -> float:
    taken = []
    for _ in range(runs):
        start = time.monotonic()
        subprocess.run(command, check=True, capture_output=True, env=ENVIRONMENT)
        taken.append(time.monotonic() - start)
    return statistics.median(taken)


def contour(folder: Path) -> None:
    """A 2000 × 2000 picture of a flower with a hole, transparent and on a plain ground."""
    y, x = np.mgrid[:2000, :2000] - 999.5
    away, angle = np.hypot(x, y), np.arctan2(y, x)
    share = np.clip(700 + 150 * np.cos(7 * angle) - away + 0.5, 0, 1) * np.clip(away - 199.5, 0, 1)
    clear = np.zeros((2000, 2000, 4), np.uint8)
    clear[..., :3], clear[..., 3] = (180, 60, 40), np.round(share * 255)
    plain = np.round(
        np.array([244, 240, 230]) * (1 - share[..., None]) + np.array([30, 60, 90]) * share[..., None]
    ).astype(np.uint8)
    for name, pixels in (("transparent", clear), ("plain ground", plain)):
        file = folder / f"{name.split()[0]}.png"
        Image.fromarray(pixels).save(file, dpi=(508, 508))
        ours = seconds([*ETIQUETTE, "contour", str(file), "-o", str(folder / "out.svg"), "--holes", "keep"])
        reference = seconds([sys.executable, "-c", f"from PIL import Image; Image.open({str(file)!r}).load()"])
        print(
            f"contour 2000 × 2000, {name}: {ours:.2f} s (bar 1.00 s); Pillow decoding it, Python's start included: {reference:.2f} s"
        )


def nest(cases: Path, folder: Path) -> None:
    case = cases / "mixed-200.json"
    ours, walls = [], []
    for seed in (1, 2, 3):
        problem = json.loads(case.read_text()) | {"seed": seed}
        (folder / "problem.json").write_text(json.dumps(problem))
        start = time.monotonic()
        subprocess.run(
            [*ETIQUETTE, "nest", str(folder / "problem.json"), "-o", str(folder / "layout.json")],
            check=True,
            capture_output=True,
            env=ENVIRONMENT,
        )
        walls.append(time.monotonic() - start)
        ours.append(json.loads((folder / "layout.json").read_text())["utilisation"])
    print(f"nest mixed-200: {statistics.median(walls):.1f} s (bar 15 s), utilisation {statistics.median(ours):.4f}")
    runner = cases / "nest_reference.py"
    if runner.exists():
        said = [
            json.loads(
                subprocess.run(
                    [sys.executable, str(runner), str(case), "10"], check=True, capture_output=True, text=True
                ).stdout
            )
            for _ in range(3)
        ]
        theirs = statistics.median(one["utilisation"] for one in said)
        print(
            f"  reference: spyrrow {theirs:.4f} in {statistics.median(one['seconds'] for one in said):.1f} s; ratio {statistics.median(ours) / theirs:.3f}"
        )


def first_load() -> None:
    """Compressed script of every file the first page asks for, and of all stations together."""
    assets = ROOT / "front" / "dist" / "assets"
    sizes = {file.name: len(gzip.compress(file.read_bytes(), 6)) for file in assets.glob("*.js")}
    first = sum(size for name, size in sizes.items() if name.startswith("index-"))
    print(
        f"first load: {first / 1000:.0f} kB of script, compressed; all stations {sum(sizes.values()) / 1000:.0f} kB (bar {FIRST_LOAD_KB} kB)"
    )


def start_up(folder: Path) -> None:
    """From the command to the address, on a new data directory and again; set-up of packages not included."""
    environment = {**ENVIRONMENT, "ETIQUETTE_DATA": str(folder / "data")}
    for words in ("first start with the demo loaded", "second start"):
        start = time.monotonic()
        process = subprocess.Popen(
            [str(ROOT / "start")], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=environment
        )
        assert process.stdout is not None
        process.stdout.readline()
        print(
            f"{words}: {time.monotonic() - start:.1f} s to the address"
            + (" (bar 12 s)" if words.startswith("second") else "")
        )
        process.terminate()
        process.wait()


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        contour(folder)
        if len(sys.argv) > 1:
            nest(Path(sys.argv[1]), folder)
        first_load()
        start_up(folder)


if __name__ == "__main__":
    main()
