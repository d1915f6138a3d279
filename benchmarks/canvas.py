"""Frames of the roll's canvas with 2,000 pieces while it is panned and zoomed, in headless Chromium, beside the frames
of the same page with an empty run: `python benchmarks/canvas.py`. Starts Etiquette with the demo on a directory of its
own."""

import json
import os
import statistics
import subprocess
import sys
import tempfile

from playwright.sync_api import Page, sync_playwright

from tests.let_in import cookies_for, let_in

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
PIECES = {"Jar label": 700, "Radish decal": 700, "Spark decal": 600}
RECORD = """() => { window.frames_ms = []; let last = performance.now(); window.recording = true;
  const step = now => { window.frames_ms.push(now - last); last = now; if (window.recording)
  requestAnimationFrame(step); };
  requestAnimationFrame(step); }"""
STOP = "() => { window.recording = false; return window.frames_ms.slice(2); }"


def gestures(page: Page) -> dict[str, float]:
    """Milliseconds a frame, median and the slowest of twenty, over panning by hand and zooming with the wheel."""
    box = page.locator("main canvas").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.4
    page.mouse.move(x, y)
    for _ in range(6):
        page.mouse.wheel(0, -240)
    page.wait_for_timeout(1500)
    page.evaluate(RECORD)
    page.keyboard.down("Space")
    page.mouse.down()
    for step in range(60):
        page.mouse.move(x - 6 * step, y + step % 7)
    page.mouse.up()
    page.keyboard.up("Space")
    for step in range(40):
        page.mouse.wheel(0, 120 if step < 20 else -120)
        page.wait_for_timeout(16)
    frames = sorted(page.evaluate(STOP))
    return {
        "median_ms": round(statistics.median(frames), 1),
        "p95_ms": round(frames[int(0.95 * len(frames))], 1),
        "slowest_ms": round(frames[-1], 1),
    }


def main() -> None:
    with tempfile.TemporaryDirectory() as data:
        environment = {**os.environ, "ETIQUETTE_DATA": data}
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", "8950"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment)
        assert server.stdout is not None
        printed = server.stdout.readline()
        try:
            with let_in(printed) as client, sync_playwright() as play:
                url = str(client.base_url).rstrip("/")
                designs = {one["name"]: one["id"] for one in client.get("/api/designs").json()}
                items = [{"design_id": designs[name], "count": count} for name, count in PIECES.items()]
                full = client.post("/api/runs", json={"name": "Two thousand", "items": items}).json()["id"]
                empty = client.post("/api/runs", json={"name": "Empty", "items": []}).json()["id"]
                changes = {"changes": {"improve_seconds": 0, "seconds": 3}, "words": "bench", "revision": 1}
                client.post(f"/api/runs/{full}/edits", json=changes).raise_for_status()
                client.put(f"/api/runs/{full}/nest").raise_for_status()
                while not client.get(f"/api/runs/{full}").json()["plans"]:
                    pass
                browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.context.add_cookies(cookies_for(client))  # type: ignore[arg-type]
                for name, run in (("empty run", empty), ("2,000 pieces", full)):
                    page.goto(f"{url}/run/{run}")
                    page.wait_for_timeout(3000)
                    print(json.dumps({"canvas": name, **gestures(page)}), flush=True)
                browser.close()
        finally:
            server.terminate()
            server.wait(60)


if __name__ == "__main__":
    main()
