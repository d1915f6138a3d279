"""How many files a second a drop folder turns into print files, with a kill of everything in the middle or without one.

python -m benchmarks.drop_folder [--files 200] [--kill]

Etiquette is started as a shop starts it, with its demo, on an empty data directory; so many pictures of 1000 × 1000 px
are put into a watched folder at once, each for a run of its own in a grid. Told: files a second from the first that was
taken to the last whose print file was made, and whether every file became one order, one run and one sheet. With
--kill all its processes are killed when a third is done, and it is started again; the time away is part of the time."""

import argparse
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from io import BytesIO
from pathlib import Path

import httpx
import numpy as np
from PIL import Image, ImageDraw

from tests.let_in import let_in

PORT = 8795


def picture(number: int) -> bytes:
    """A shape of its own on a clear ground, 40 mm wide."""
    image = Image.new("RGBA", (1000, 1000))
    angles = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    radii = 340 + 90 * np.sin((3 + number % 7) * angles + number)
    points = [(500 + r * np.cos(a), 500 + r * np.sin(a)) for r, a in zip(radii, angles, strict=True)]
    colour = (60 + number * 7 % 180, 60 + number * 13 % 180, 60 + number * 29 % 180, 255)
    ImageDraw.Draw(image).polygon(points, fill=colour)
    out = BytesIO()
    image.save(out, "PNG", dpi=(635, 635))
    return out.getvalue()


def started(data: Path) -> tuple[subprocess.Popen[str], httpx.Client]:
    """Etiquette with its demo, in a process group of its own, and a client of it."""
    environment = {**os.environ, "ETIQUETTE_DATA": str(data)}
    command = [str(Path(sys.executable).with_name("etiquette")), "serve", "--demo", "--port", str(PORT)]
    process = subprocess.Popen(command, env=environment, start_new_session=True, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    return process, let_in(process.stdout.readline(), 60)


def kill_all(process: subprocess.Popen[str]) -> None:
    """Every process of the group, workers and database too, at once."""
    os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=200)
    parser.add_argument("--kill", action="store_true")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as base:
        data, orders = Path(base) / "data", Path(base) / "orders"
        orders.mkdir()
        contents = [picture(number) for number in range(asked.files)]
        process, client = started(data)
        try:
            recipe = client.post("/api/recipes", json={"name": "Grid"}).json()
            run = {"laying": "grid", "improve_seconds": 0.0, "stock": "Gloss white vinyl 760"}
            client.patch(f"/api/recipes/{recipe['id']}", json={"version": 1, "run": run}).raise_for_status()
            client.post("/api/folders", json={"name": "Orders", "path": str(orders)}).raise_for_status()
            wish = {"version": 1, "recipe_id": recipe["id"], "pattern": "{name} {count}x"}
            client.patch("/api/folders/1", json=wish).raise_for_status()
            begun = time.perf_counter()
            for number, content in enumerate(contents):
                (orders / f"Shape {number} 6x.png").write_bytes(content)
            killed = not asked.kill
            first = 0.0
            while True:
                counts = client.get("/api/folders", timeout=60).json()[0]["states"]
                made = counts.get("done", 0)
                first = first or (time.perf_counter() if sum(counts.values()) else 0.0)
                print(f"{time.perf_counter() - begun:.0f} s: {counts}", file=sys.stderr, flush=True)
                if not killed and made >= asked.files / 3:
                    kill_all(process)
                    (process, client), killed = started(data), True
                if made + counts.get("asks", 0) + counts.get("refused", 0) >= asked.files:
                    break
                time.sleep(1.0)
            ended = time.perf_counter()
            runs = [one for one in client.get("/api/runs?text=Shape", timeout=60).json()]
            names = [one["name"] for one in runs]
            print(json.dumps({
                "files": asked.files, "killed": asked.kill, "states": counts, "seconds": round(ended - first, 1),
                "files_a_second": round(asked.files / (ended - first), 2), "runs": len(names),
                "runs_of_their_own": len(set(names)), "left_in_the_folder": len(list(orders.glob("*.png"))),
                "in_done": len(list((orders / "done").glob("*.png"))),
            }))  # fmt: skip
        finally:
            with suppress(ProcessLookupError):
                kill_all(process)


if __name__ == "__main__":
    main()
