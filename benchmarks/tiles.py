"""A wall of 10 × 3 m at 60 dots an inch (167 million pixels) taken apart by `etiquette tiles`, seams where least is
cut: every tile a print file, and the picture by which they are put together; beside Pillow, which only crops the same
tiles out of the same picture and saves each as PNG.

    python -m benchmarks.tiles [--width-mm 10000] [--height-mm 3000]
"""

import argparse
import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

DPI = 60
MEDIA_MM, OVERLAP_MM = 1300, 10


def make_wall(file: Path, width: int, height: int) -> None:
    """Gradients with a little noise, as a photograph has it: JPEG."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    pixels = np.empty((height, width, 3), np.uint8)
    pixels[..., 0] = 128 + 90 * np.sin(x / 900) * np.cos(y / 500)
    pixels[..., 1] = 128 + 80 * np.cos(x / 1500)
    pixels[..., 2] = 128 + 60 * np.sin((x + y) / 700)
    rng = np.random.default_rng(2)
    for top in range(0, height, 500):
        band = pixels[top : top + 500].astype(np.int16)
        pixels[top : top + 500] = np.clip(band + rng.integers(-6, 7, band.shape, np.int16), 0, 255)
    Image.fromarray(pixels).save(file, quality=92, dpi=(DPI, DPI))


def ours(wall: Path, out: Path) -> tuple[float, float, dict[str, Any]]:
    """Seconds, megabytes at most, what it says."""
    command = ["/usr/bin/env", "time", "-f", "%M", sys.executable, "-m", "etiquette.cli", "tiles", str(wall),
               "-o", str(out), "--media-mm", str(MEDIA_MM), "--overlap-mm", str(OVERLAP_MM),
               "--seams", "content"]  # fmt: skip
    began = time.perf_counter()
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    return time.perf_counter() - began, int(done.stderr.split()[-1]) / 1024, json.loads(done.stdout)


def by_pillow(wall: Path, tiles: list[dict[str, Any]], out: Path) -> float:
    """Seconds for the crops alone."""
    Image.MAX_IMAGE_PIXELS = None
    began = time.perf_counter()
    with Image.open(wall) as image:
        px = 25.4 / DPI
        for tile in tiles:
            left = round(tile["x_mm"] / px)
            image.crop((left, 0, left + round(tile["width_mm"] / px), image.height)).save(out / f"{tile['number']}.png")
    return time.perf_counter() - began


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--width-mm", type=float, default=10_000)
    asked.add_argument("--height-mm", type=float, default=3000)
    wish = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        wall, out = Path(folder) / "wall.jpg", Path(folder) / "out"
        make_wall(wall, round(wish.width_mm / 25.4 * DPI), round(wish.height_mm / 25.4 * DPI))
        seconds, megabytes, told = ours(wall, out)
        files = sum(one.stat().st_size for one in out.glob("tile-*.pdf")) / 1e6
        reference = by_pillow(wall, told["tiles"], out)
        print(
            f"{len(told['tiles'])} tiles and their assembly: {seconds:.1f} s, {megabytes:.0f} MB at most, files of "
            f"{files:.0f} MB; Pillow crops and saves the same tiles in {reference:.1f} s: "
            f"{seconds / reference:.2f} of its time"
        )


if __name__ == "__main__":
    main()
