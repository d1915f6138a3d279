"""Measure what the README promises, each figure beside its bar or reference: python benchmarks/run.py

Every figure is the median of three runs. Nesting has its own: benchmarks/nesting.py.
"""

import gzip
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


def flowers(size: int) -> dict[str, np.ndarray]:
    """A size × size picture of a flower with a hole: transparent, and on a plain ground."""
    middle = (size - 1) / 2
    y, x = np.mgrid[:size, :size] - middle
    away, angle = np.hypot(x, y), np.arctan2(y, x)
    share = np.clip(size * 0.35 + size * 0.075 * np.cos(7 * angle) - away + 0.5, 0, 1)
    share *= np.clip(away - size * 0.1 + 0.5, 0, 1)
    clear = np.zeros((size, size, 4), np.uint8)
    clear[..., :3], clear[..., 3] = (180, 60, 40), np.round(share * 255)
    plain = np.empty((size, size, 3), np.uint8)
    for channel, (ground, ink) in enumerate(((244, 30), (240, 60), (230, 90))):
        plain[..., channel] = np.round(ground * (1 - share) + ink * share)
    return {"transparent": clear, "plain ground": plain}


def contour(folder: Path) -> None:
    """The whole command beside Pillow's decoding of the same file, both with Python's start; and its peak memory."""
    for size, bar in ((2000, "bar 1.00 s"), (4000, "bar Pillow + 1.00 s"), (12_000, "bar 4 GB")):
        for name, pixels in flowers(size).items():
            file = folder / f"{name.split()[0]}-{size}.png"
            Image.fromarray(pixels).save(file, dpi=(508, 508), compress_level=1)
            del pixels
            command = [*ETIQUETTE, "contour", str(file), "-o", str(folder / "out.svg"), "--holes", "keep"]
            runs = 1 if size > 10_000 else 5
            ours = seconds(command, runs)
            load = f"from PIL import Image; Image.MAX_IMAGE_PIXELS = None; Image.open({str(file)!r}).load()"
            reference = seconds([sys.executable, "-c", load], runs)
            peak = peak_memory(command)
            print(
                f"contour {size} × {size}, {name}: {ours:.2f} s ({bar}); Pillow decoding it {reference:.2f} s; peak "
                f"{peak:.2f} GB"
            )


def peak_memory(command: list[str]) -> float:
    """Gigabytes a command holds at most."""
    watch = (
        "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, check=True); "
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    done = subprocess.run([sys.executable, "-c", watch, *command], check=True, capture_output=True, env=ENVIRONMENT)
    return int(done.stdout) / 1e6


def quick_lines() -> None:
    """Lines on the reduced picture while a control moves, for every picture of the demo: read, found, ready to draw."""
    from io import BytesIO

    from etiquette.core.artwork.raster import read_picture
    from etiquette.core.finishing.lines import EdgeSettings, line_from_pixels
    from etiquette.demo.art import DRAWINGS, art_file

    worst = 0.0
    for name in DRAWINGS:
        image = Image.open(BytesIO(art_file(name)[1])).convert("RGBA")
        image.thumbnail((480, 480))
        out = BytesIO()
        image.save(out, "PNG")
        times = []
        for offset in (0.5, 1.0, 2.0, 3.0, 4.0):
            start = time.perf_counter()
            picture = read_picture(out.getvalue(), name)
            line_from_pixels(picture, 60.0, EdgeSettings(offset_mm=offset, tolerance_mm=30 / picture.width_px))
            times.append(time.perf_counter() - start)
        worst = max(worst, statistics.median(times))
    print(f"quick lines while a control moves: {worst * 1000:.0f} ms for the slowest picture of the demo (bar 150 ms)")


def hostile_art() -> None:
    """The corpus of damaged and hostile files: the slowest, and the most memory any of them took."""
    sys.path.insert(0, str(ROOT))
    from etiquette.core.errors import JobError
    from etiquette.sandbox import art, door
    from tests.hostile import hostile

    most, measured = [0], door.memory_of

    def watched(pid: int) -> int:
        found = measured(pid)
        most[0] = max(most[0], found)
        return found

    door.memory_of = watched
    slowest, files, refused = 0.0, hostile(), 0
    for name, content in files:
        start = time.monotonic()
        try:
            art.read_art(content, name)
        except JobError:
            refused += 1
        slowest = max(slowest, time.monotonic() - start)
    print(
        f"hostile art: {len(files)} files, {refused} refused in words, slowest {slowest:.1f} s (bar 10 s), most "
        f"memory {most[0] / 1e9:.2f} GB (bar 2 GB)"
    )


def first_load() -> None:
    """Compressed script of every file the first page asks for, and of all stations together."""
    assets = ROOT / "front" / "dist" / "assets"
    sizes = {file.name: len(gzip.compress(file.read_bytes(), 6)) for file in assets.glob("*.js")}
    first = sum(size for name, size in sizes.items() if name.startswith("index-"))
    print(
        f"first load: {first / 1000:.0f} kB of script, compressed; all stations {sum(sizes.values()) / 1000:.0f} kB "
        f"(bar {FIRST_LOAD_KB} kB)"
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
        quick_lines()
        contour(folder)
        hostile_art()
        first_load()
        start_up(folder)


if __name__ == "__main__":
    main()
