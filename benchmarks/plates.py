"""Print files of large runs: `python benchmarks/plates.py`. 500 copies of one 3000 x 3000 px design beside Pillow
writing the same picture as PNG, and 2,000 copies of a vector design; whole commands, three runs, medians. And the ink
of a plate, whose pictures are made coarser first, beside Ghostscript on the plate as it is printed."""

import json
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

from etiquette.core.printing.coverage import DPI, PROCESS, coverage

RUNS = 3
LINES = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {s} {s}" width="{s}mm" height="{s}mm" '
    'data-art="{s},{s}"><path data-kind="kiss" d="M 0 0 L {s} 0 L {s} {s} L 0 {s} Z"/></svg>'
)
DRAWING = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20"><rect x="0" y="0" '
    'width="20" height="20" fill="#e8d9b0"/><circle cx="10" cy="10" r="8" fill="#0f5c4e"/><path d="M4 10 C 6 2 14 2 '
    '16 10 S 8 18 4 10 Z" fill="#c23f5a"/></svg>'
)


def picture(size: int) -> Image.Image:
    """Smooth noise with a grain, neither flat nor hopeless to compress."""
    random = np.random.default_rng(1)
    coarse = random.normal(0, 1, (size // 50 + 2, size // 50 + 2, 3))
    small = Image.fromarray(((coarse + 3) / 6 * 255).clip(0, 255).astype(np.uint8))
    big = np.asarray(small.resize((size, size), Image.Resampling.BICUBIC)).astype(int)
    return Image.fromarray((big + random.integers(-2, 3, big.shape)).clip(0, 255).astype(np.uint8))


def run_file(folder: Path, art: str, side: float, copies: int, columns: int) -> Path:
    (folder / "lines.svg").write_text(LINES.format(s=side))
    step = side + 2
    places = [
        {
            "id": "a",
            "copy": n + 1,
            "sheet": 0,
            "x_mm": n % columns * step,
            "y_mm": n // columns * step,
            "rotation_deg": 0,
        }
        for n in range(copies)
    ]
    layout = {
        "length_mm": 1,
        "utilisation": 0.9,
        "seconds": 0,
        "stopped": "steps",
        "placements": places,
        "unplaced": [],
    }
    run = {
        "stock": {"width_mm": 1500},
        "designs": [{"id": "a", "art": art, "width_mm": side, "lines": "lines.svg"}],
        "layout": layout,
        "cutter": {"reach_across_mm": 3000, "reach_along_mm": 50000},
    }
    (folder / "RUN.json").write_text(json.dumps(run))
    return folder / "RUN.json"


def made(run: Path, out: Path) -> tuple[float, float]:
    """Seconds of the whole command, and the memory of the largest process so far in GB."""
    times = []
    for _ in range(RUNS):
        started = time.perf_counter()
        subprocess.run(
            [sys.executable, "-m", "etiquette.cli", "plates", run, "-o", out], check=True, capture_output=True
        )
        times.append(time.perf_counter() - started)
    return statistics.median(times), resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        seconds, memory = made(run_file_for_drawing(folder), folder / "drawing")
        print(
            f"2,000 copies of a drawing: {seconds:.2f} s, {memory:.2f} GB, "
            f"{(folder / 'drawing/frame-1.pdf').stat().st_size / 1e3:.0f} kB (bar 3 s)"
        )
        image = picture(3000)
        started = time.perf_counter()
        image.save(folder / "art.png", compress_level=6)
        reference = time.perf_counter() - started
        seconds, memory = made(run_file(folder, "art.png", 40, 500, 34), folder / "picture")
        size, png = (folder / "picture/frame-1.pdf").stat().st_size, (folder / "art.png").stat().st_size
        print(
            f"500 copies of 3000 x 3000 px: {seconds:.2f} s, {memory:.2f} GB, {size / png:.3f} of the PNG, which "
            f"Pillow took {reference:.2f} s to write (bar 3 s, 1 GB, 1.1)"
        )
        print(ink(folder))


def ink(folder: Path) -> str:
    """100 copies of 700 x 700 px on 60 mm."""
    picture(700).save(folder / "art.png")
    made(run_file(folder, "art.png", 60, 100, 20), folder / "ink")
    plate = folder / "ink/frame-1.pdf"
    started = time.perf_counter()
    ours = coverage(plate.read_bytes(), "plate").shares
    seconds = time.perf_counter() - started
    command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=ink_cov", f"-r{DPI}", "-o", "-", plate]
    started = time.perf_counter()
    said = subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()[:4]
    whole = time.perf_counter() - started
    apart = max(abs(float(value) / 100 - ours[name]) for name, value in zip(PROCESS, said, strict=True))
    return (
        f"ink of 100 copies of 700 x 700 px: {seconds:.2f} s, of the plate as it is {whole:.2f} s "
        f"({whole / seconds:.1f} times); at most {100 * apart:.2f} percentage points apart (bar 0.5)"
    )


def run_file_for_drawing(folder: Path) -> Path:
    (folder / "art.svg").write_text(DRAWING)
    return run_file(folder, "art.svg", 20, 2000, 60)


if __name__ == "__main__":
    main()
