"""Whether pages stay fluid while thousands of files that were dropped at once are taken in.

python -m benchmarks.many_files [--files 5000] [--seconds 120]

Etiquette is started with its demo on an empty data directory, and Chromium opens it. The same walk (Floor, Lines, Run,
Print, Bench and back by keys, again and again) is timed twice: with nothing under way, which is the reference, and
while a folder with so many files is taken in. Told of each: how long a station takes from its key to its page, the
longest time between two frames, and how much of the time the page was busy with tasks over 50 ms (Long Tasks API,
W3C). Then it is stopped, and the page of the job that the files have become is opened."""

import argparse
import json
import shutil
import tempfile
import time
from contextlib import suppress
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect, sync_playwright

from benchmarks.drop_folder import kill_all, picture, started
from tests.let_in import cookies_for

STATIONS = {"1": "Floor", "2": "Lines", "3": "Run", "4": "Print", "5": "Bench"}
WATCH = """() => {
  window.gaps = [], window.tasks = [];
  new PerformanceObserver((list) => tasks.push(...list.getEntries().map((one) => one.duration)))
    .observe({ type: "longtask" });
  let before = performance.now();
  const frame = (now) => { gaps.push(now - before); before = now; requestAnimationFrame(frame); };
  requestAnimationFrame(frame);
}"""
TOLD = "() => { const told = [gaps, tasks]; gaps = []; tasks = []; return told; }"


def small(number: int) -> bytes:
    """Pictures of 200 px, eight kinds of them."""
    with Image.open(BytesIO(picture(number % 8))) as image:
        out = BytesIO()
        image.resize((200, 200)).save(out, "PNG", dpi=(127, 127))
    return out.getvalue()


def walk(page: Page, seconds: float) -> dict[str, Any]:
    """The stations one after another by their keys, for so long."""
    page.evaluate(TOLD)
    took: list[float] = []
    begun = time.perf_counter()
    while time.perf_counter() - begun < seconds:
        for key, name in STATIONS.items():
            pressed = time.perf_counter()
            page.keyboard.press(key)
            expect(page.get_by_role("main", name=name).first).to_be_visible(timeout=60_000)
            took.append(time.perf_counter() - pressed)
            page.wait_for_timeout(300)  # somebody looks at it
    gaps, tasks = page.evaluate(TOLD)
    return {
        "walks": len(took) // len(STATIONS),
        "key_to_station_ms_median": round(float(np.median(took)) * 1000),
        "key_to_station_ms_p95": round(float(np.quantile(took, 0.95)) * 1000),
        "longest_between_frames_ms": round(max(gaps)),
        "between_frames_ms_p99": round(float(np.quantile(gaps, 0.99))),
        "busy_in_long_tasks": round(sum(tasks) / 1000 / (time.perf_counter() - begun), 3),
    }


def drop(page: Page, folder: Path) -> None:
    session = page.context.new_cdp_session(page)
    data = {"items": [], "files": [str(folder)], "dragOperationsMask": 1}
    for kind in ("dragEnter", "dragOver", "drop"):
        session.send("Input.dispatchDragEvent", {"type": kind, "x": 480, "y": 400, "data": data})


def measured(client: httpx.Client, folder: Path, seconds: float) -> dict[str, Any]:
    url = str(client.base_url).rstrip("/")
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.context.add_cookies(cookies_for(client))  # type: ignore[arg-type]
        page.goto(f"{url}/floor")
        expect(page.get_by_role("heading", name="Needs your hands")).to_be_visible(timeout=60_000)
        page.evaluate(WATCH)
        walk(page, 5)  # every station has been loaded once
        nothing = walk(page, seconds / 3)
        page.keyboard.press("1")
        expect(page.get_by_role("main", name="Floor")).to_be_visible(timeout=60_000)
        dropped = time.perf_counter()
        drop(page, folder)
        strip = page.get_by_role("region", name="Taking in art")
        expect(strip).to_be_visible(timeout=60_000)
        begins = time.perf_counter() - dropped
        page.wait_for_url("**/lines/*", timeout=60_000)
        first = time.perf_counter() - dropped
        meanwhile = walk(page, seconds)
        took = time.perf_counter() - dropped
        strip.get_by_role("button", name="Stop").click()
        page.keyboard.press("1")
        jobs = client.get(f"/api/jobs?text={folder.name}").json()["jobs"]
        pressed = time.perf_counter()
        page.goto(f"{url}/floor/job/{jobs[0]['id']}")
        expect(page.get_by_role("heading", name=folder.name)).to_be_visible(timeout=60_000)
        opened = time.perf_counter() - pressed
        size = len(client.get(f"/api/jobs/{jobs[0]['id']}").content)
        browser.close()
    designs = len(jobs[0]["designs"])
    return {
        "nothing_under_way": nothing, "while_taking_in": meanwhile, "strip_after_s": round(begins, 2),
        "first_design_after_s": round(first, 2), "files_a_second": round(jobs[0]["pieces"]["due"] / 12 / took, 2),
        "job_page_s": round(opened, 2), "job_answer_kB": round(size / 1000), "designs_shown_of_it": designs,
    }  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=5000)
    parser.add_argument("--seconds", type=float, default=120)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as base:
        folder = Path(base) / "Thousands"
        folder.mkdir()
        kinds = [small(number) for number in range(8)]
        for number in range(asked.files):
            (folder / f"Shape {number}.png").write_bytes(kinds[number % 8])
        process, client = started(Path(base) / "data")
        try:
            print(json.dumps({"files": asked.files, **measured(client, folder, asked.seconds)}, indent=1))
        finally:
            with suppress(ProcessLookupError):
                kill_all(process)


if __name__ == "__main__":
    main()
