"""A simulated cutter with an optical head, over TCP.

load      a sheet from the shelf goes on, head or tail first, a little askew, as hands put it
roll      sheets go on as one roll, one after the other; advance brings the next one under the head, until none is left
look      a window of pixels at a place, with the position and nothing else
photo     the table with what lies on it, from a camera on an arm; state says how the mat under it is printed
begin     a job, in steps of unit_mm; plot cuts one of them, once: a part that comes again is not cut again
judge     what is cut of this sheet against the truth; with hpgl, what that would be
picture   the sheet as it lies there, with the cuts on it
fault     something goes wrong from now on (faults.py); wear: it is no longer as exact as it was

python -m standins.cutter ROOM PORT
"""

import base64
import sys
import threading
import time
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from standins import camera
from standins.faults import Faults
from standins.judge import report
from standins.knife import tip_path
from standins.loads import Load
from standins.plotter_language import UNIT_MM, strokes
from standins.room import Room, chance
from standins.wire import Dropped, Refused, serve

WINDOW_MM = 36.0
WINDOW_MM_PER_PX = 0.1
SENSOR_NOISE = 3.0
"""Standard deviation of the head's grey values."""
PICTURE_PIXELS = 2400
KNIVES = (4, 5, 6)
"""Pens that hold a drag knife."""
KNIFE_OFFSET_MM = 0.25


class Cutter:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._load: Load | None = None
        self._waiting: list[tuple[str, str]] = []
        self._job, self._parts, self._part_strokes = "", set[int](), 0
        self._faults = Faults()
        self._sensor, self._feed, self._offset = np.zeros(2), 1.0, KNIFE_OFFSET_MM
        self._heading, self._unit = 0.0, UNIT_MM
        self._lock = threading.Lock()

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        with self._lock:
            wanted = str(request.get("ask"))
            answer = self._answered(wanted, request)
            cut_off = self._faults.dropped(wanted)
            if cut_off is not None:
                raise Dropped(answer, cut_off)
            return answer

    def _answered(self, wanted: str, request: dict[str, Any]) -> dict[str, Any]:
        if wanted == "state":
            return {
                "loaded": self._load.name if self._load else None,
                "window_mm": WINDOW_MM,
                "job": self._job,
                "parts": sorted(self._parts),
                "waiting": [name for name, _ in self._waiting],
                "camera": camera.about(),
            }
        if wanted == "fault":
            self._faults.set({key: value for key, value in request.items() if key != "ask"})
            return {}
        if wanted == "wear":
            return self._wear(request.get("seed"), bool(request.get("mended")))
        if wanted == "load":
            return self._lay(str(request["name"]), str(request.get("end", "head")), request.get("seed"))
        if wanted == "roll":
            end = str(request.get("end", "head"))
            self._waiting = [(str(name), end) for name in request["names"]]
            return self._advance()
        if wanted == "advance":
            return self._advance()
        if wanted == "unload":
            self._load = None
            return {"loaded": None}
        if self._load is None:
            raise Refused("No sheet is loaded on the cutter.")
        return self._done_to(self._load, wanted, request)

    def _done_to(self, load: Load, wanted: str, request: dict[str, Any]) -> dict[str, Any]:
        """What needs a sheet on the table."""
        if wanted == "look":
            return self._look(load, float(request["x"]), float(request["y"]))
        if wanted == "photo":
            return camera.photo(load, float(request["along"]), load.random)
        if wanted == "begin":
            self._job, self._parts = str(request["job"]), set()
            self._unit = float(request.get("unit_mm", UNIT_MM))
            self._heading = 0.0  # it sets its blade with a scratch beside the sheet, so that it points along x
            return {"job": self._job}
        if wanted == "plot":
            return self._plot(load, request)
        if wanted == "judge":
            return self._judge(load, request.get("hpgl"))
        if wanted == "picture":
            return self._picture(load)
        raise Refused(f"The cutter does not know “{wanted}”.")

    def _lay(self, name: str, end: str, seed: int | None) -> dict[str, Any]:
        if end not in ("head", "tail"):
            raise Refused("A sheet is loaded head or tail first.")
        self._load = Load(self._room, name, end, seed, self._faults.skew_deg())
        self._job, self._parts = "", set()
        return {"loaded": name}

    def _advance(self) -> dict[str, Any]:
        """The next sheet of the roll; none left is not an error."""
        if not self._waiting:
            self._load = None
            return {"loaded": None}
        name, end = self._waiting.pop(0)
        return self._lay(name, end, None)

    def _wear(self, seed: int | None, mended: bool) -> dict[str, Any]:
        """Camera, feed and knife are no longer where they were; nobody is told by how much."""
        random = chance(seed)
        self._sensor = np.zeros(2) if mended else random.choice([-1, 1], 2) * random.uniform(0.25, 0.7, 2)
        self._feed = 1.0 if mended else 1 + random.choice([-1, 1]) * random.uniform(0.0008, 0.002)
        self._offset = KNIFE_OFFSET_MM if mended else random.uniform(0.35, 0.6)
        return {}

    def _real(self, told: np.ndarray) -> np.ndarray:
        """Where the machine really goes when it is told to."""
        return told * (1.0, self._feed)

    def _look(self, load: Load, x: float, y: float) -> dict[str, Any]:
        side = int(WINDOW_MM / WINDOW_MM_PER_PX)
        real = self._real(np.array([x, y])) + self._sensor
        grey = load.window(real, side, WINDOW_MM_PER_PX)
        grey = self._faults.on_window(grey, load.random)
        grey += load.random.normal(0, self._faults.noise(SENSOR_NOISE), grey.shape)
        return {"x": x, "y": y, "mm_per_px": WINDOW_MM_PER_PX, "png": _png(np.clip(grey, 0, 255).astype(np.uint8))}

    def _tips(self, hpgl: str) -> list[tuple[int, np.ndarray]]:
        """What the tools do when they are told `hpgl`."""
        made = []
        for pen, points in strokes(hpgl, self._unit):
            tip = self._real(points)
            if pen in KNIVES:
                tip, self._heading = tip_path(tip, self._offset, self._heading)
            made.append((pen, tip))
        return made

    def _plot(self, load: Load, request: dict[str, Any]) -> dict[str, Any]:
        part = int(request.get("part", 0))
        if str(request.get("job", "")) != self._job:
            raise Refused("This job was not begun, or it was lost when the power went.")
        if part in self._parts:
            return {"part": part, "strokes": 0}
        time.sleep(self._faults.slow_seconds())
        made = self._tips(str(request["hpgl"]))
        try:
            for pen, tip in made:
                moved = self._faults.slip()
                if moved is not None:
                    load.shift = load.shift + moved
                if self._faults.out_of_media():
                    raise Refused("There is no media under the rollers any more.")
                if self._faults.power():
                    self._job, self._parts, self._load, self._heading = "", set(), None, 0.0
                    raise Dropped({}, 0)
                load.cuts.append((pen, load.to_sheet(tip)))
        finally:
            load.keep()
        self._parts.add(part)
        return {"part": part, "strokes": len(made)}

    def _judge(self, load: Load, hpgl: str | None) -> dict[str, Any]:
        if not load.lines:
            return {"report": None}
        if hpgl is None:
            return {"report": report(load.on_table(), load.wanted())}
        heading = self._heading
        tips = [tip for _, tip in self._tips(hpgl)]
        self._heading = heading
        return {"report": report(tips, load.wanted())}

    @staticmethod
    def _picture(load: Load) -> dict[str, Any]:
        """The table from above, y up, with the cuts drawn; `box` says what part of the table it shows."""
        low, high = load.corners().min(axis=0) - 5, load.corners().max(axis=0) + 5
        scale = float((high - low).max()) / PICTURE_PIXELS
        picture = load.from_above(low, high, scale)
        for line in load.on_table():
            pixels = np.round((line - (low[0], high[1])) / scale * (1, -1) * 16).astype(np.int32)
            cv2.polylines(picture, [pixels], False, (0, 128, 105), 1, cv2.LINE_AA, 4)
        return {"png": _png(picture), "box": [float(low[0]), float(low[1]), float(high[0]), float(high[1])]}


def _png(pixels: np.ndarray) -> str:
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=1)
    return base64.b64encode(out.getvalue()).decode()


def main() -> None:
    serve(int(sys.argv[2]), Cutter(Room(Path(sys.argv[1]))).answer)


if __name__ == "__main__":
    main()
