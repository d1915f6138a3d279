"""How long an operator waits for the first line: python benchmarks/first_line.py [TIMES]

The demo shop is started. A picture of 2000 × 2000 pixels and an SVG drawing, other ones every time, are dropped into
Lines in Chromium; taken is the time from the drop until a finish line of theirs is drawn on the page. Asked for are
1.2 s for the picture and 1.5 s for the drawing, on the median, with readers that are warm: the first of each is not
counted. A second drawing has a rim of two hundred cusps, which is hard on the fitting of curves. Beside it, as a
measure of the machine, Pillow reads the same picture and blurs it once."""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from functools import partial
from io import BytesIO

import numpy as np
from PIL import Image, ImageFilter
from playwright.sync_api import Page, sync_playwright

from tests.let_in import cookies_for, let_in

PORT = 8766
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
SIDE = 2000


def picture(seed: int) -> bytes:
    """A blot on white, its edge soft by a pixel."""
    turns = np.random.default_rng(seed).uniform(0, 2 * np.pi, 5)
    y, x = np.mgrid[:SIDE, :SIDE] - SIDE / 2
    angle, radius = np.arctan2(y, x), np.hypot(x, y)
    edge = SIDE * (0.36 + sum(0.03 / k * np.sin(k * angle + turn) for k, turn in enumerate(turns, 2)))
    share = np.clip(edge - radius, 0, 1)[..., None]
    pixels = np.round(255 * (1 - share) + share * np.array([40 + seed, 90, 140])).astype(np.uint8)
    Image.fromarray(pixels).save(out := BytesIO(), "PNG", dpi=(508, 508))
    return out.getvalue()


def drawing(seed: int, count: int) -> bytes:
    """A badge of so many petals in groups that are turned."""
    petal = f'<path d="M0 0C{6 + seed % 5} -12 {10 + seed % 7} -30 0 -40C-10 -30 -6 -12 0 0Z" fill="#3a7"/>'
    petals = "".join(
        f'<g transform="translate(50 50) rotate({turn * 360 / count:.1f})">{petal}</g>' for turn in range(count)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">{petals}'
        f'<circle cx="50" cy="50" r="{12 + seed % 9}" fill="#fa3"/></svg>'
    ).encode()


def waited(page: Page, name: str, media: str, content: bytes) -> float:
    """Seconds from the drop until the line is there."""
    before, line = page.url, page.get_by_role("main").get_by_test_id("finish-line").first
    shown = line.element_handle()
    field = page.get_by_label("Art file", exact=True)
    start = time.perf_counter()
    field.set_input_files({"name": name, "mimeType": media, "buffer": content})
    page.wait_for_url(lambda url: url != before)
    page.wait_for_function("shown => !shown.isConnected", arg=shown)  # that of the design before
    line.wait_for()
    return time.perf_counter() - start


def reference(content: bytes) -> float:
    start = time.perf_counter()
    Image.open(BytesIO(content)).convert("RGBA").filter(ImageFilter.GaussianBlur(3))
    return time.perf_counter() - start


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", str(PORT)]
        shop = subprocess.Popen(command, env={**os.environ, "ETIQUETTE_DATA": data}, stdout=subprocess.PIPE, text=True)
        assert shop.stdout is not None
        client = let_in(shop.stdout.readline())
        url = str(client.base_url).rstrip("/")
        page = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS).new_page()
        page.context.add_cookies(cookies_for(client))  # type: ignore[arg-type]
        page.goto(f"{url}/lines/1")
        page.get_by_role("main").get_by_test_id("finish-line").first.wait_for()
        svg = "image/svg+xml"
        few, many = partial(drawing, count=24), partial(drawing, count=200)
        for what, media, made in (
            ("picture.png", "image/png", picture),
            ("few.svg", svg, few),
            ("many.svg", svg, many),
        ):
            found = [waited(page, what, media, made(seed)) for seed in range(times + 1)][1:]
            print(f"{what}: {statistics.median(found):.2f} s on the median, {min(found):.2f} to {max(found):.2f} s")
        print(f"reference: {statistics.median(reference(picture(seed)) for seed in range(3)):.2f} s")
        shop.terminate()
        shop.wait()


if __name__ == "__main__":
    main()
