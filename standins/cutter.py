"""A simulated cutter with an optical head, over TCP.

load      a sheet from the shelf goes on, head or tail first, a little askew, as hands put it
blank     a piece of bare stock lies there, square
roll      sheets go on as one roll, one after the other; advance brings the next one under the head, until none is left
mat       several sheets lie on one carrier mat; judge and picture are asked by name
look      a window of pixels at a place, with the position and nothing else
photo     the table with what lies on it, from a camera on an arm; state says how the mat under it is printed
begin     a job, in steps of unit_mm; plot cuts one of them, once: a part that comes again is not cut again
judge     what is cut of this sheet against the truth; with hpgl, what that would be
picture   the sheet as it lies there, with the cuts on it
fault     something goes wrong from now on (faults.py); wear: it is no longer as exact as it was

python -m standins.cutter ROOM FIRST_PORT
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
from standins.cuts import depth_of
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
SEEN = {"shallow": (150, 190, 182), "through": (0, 128, 105), "liner": (0, 128, 105)}
"""How a cut shows in the picture of the table."""
KNIVES = (4, 5, 6)
"""Pens that hold a drag knife."""
KNIFE_OFFSET_MM = 0.3
"""The simulated knife is made so that a new card fits it, until it is worn."""
BETWEEN_SHEETS_MM = 12.0
BLANK, BLANK_MM_PER_PX = "BLANK", 0.2


class Cutter:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._load: Load | None = None
        self._mat: list[Load] = []
        self._waiting: list[tuple[str, str]] = []
        self._job, self._parts, self._part_strokes = "", set[int](), 0
        self._faults = Faults()
        self._sensor, self._feed, self._offset, self._blunt = np.zeros(2), 1.0, KNIFE_OFFSET_MM, 1.0
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
                "mat": [load.name for load in self._mat],
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
        if wanted == "mat":
            return self._lay_mat([(str(name), str(end)) for name, end in request["sheets"]])
        if wanted == "blank":
            return self._blank(float(request["width_mm"]), float(request["length_mm"]))
        if wanted == "roll":
            end = str(request.get("end", "head"))
            self._waiting = [(str(name), end) for name in request["names"]]
            return self._advance()
        if wanted == "advance":
            return self._advance()
        if wanted == "unload":
            self._load, self._mat = None, []
            return {"loaded": None}
        if self._load is None:
            raise Refused("No sheet is loaded on the cutter.")
        load = next((one for one in self._mat if one.name == request.get("name")), self._load)
        return self._done_to(load, wanted, request)

    def _at(self, load: Load, x: float, y: float) -> Load:
        """The sheet of the mat that lies at a place; `load` where there is no mat."""
        return min(self._mat or [load], key=lambda one: one.away(x, y))

    def _done_to(self, load: Load, wanted: str, request: dict[str, Any]) -> dict[str, Any]:
        """What needs a sheet on the table."""
        if wanted == "look":
            x, y = float(request["x"]), float(request["y"])
            return self._look(self._at(load, x, y), x, y)
        if wanted == "photo":
            return camera.photo(self._mat or [load], float(request["along"]), load.random)
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
        self._load, self._mat = Load(self._room, name, end, seed, self._faults.skew_deg()), []
        self._job, self._parts = "", set()
        return {"loaded": name}

    def _lay_mat(self, sheets: list[tuple[str, str]]) -> dict[str, Any]:
        """Sheets on one carrier mat, one behind the other, each as hands lay it."""
        behind = 0.0
        laid = []
        for number, (name, end) in enumerate(sheets):
            load = Load(self._room, name, end, None, 0.0)
            load.random = np.random.default_rng(load.random.integers(1 << 30) + number)
            load.shift = load.shift + (load.random.uniform(0, 30), behind)
            behind = float(load.corners()[:, 1].max()) + BETWEEN_SHEETS_MM
            laid.append(load)
        self._mat, self._load = laid, laid[0]
        self._job, self._parts = "", set()
        return {"loaded": laid[0].name}

    def _advance(self) -> dict[str, Any]:
        """The next sheet of the roll; none left is not an error."""
        if not self._waiting:
            self._load = None
            return {"loaded": None}
        name, end = self._waiting.pop(0)
        return self._lay(name, end, None)

    def _blank(self, width_mm: float, length_mm: float) -> dict[str, Any]:
        """A piece of stock that nobody has printed on, square under the knife."""
        size = (round(length_mm / BLANK_MM_PER_PX), round(width_mm / BLANK_MM_PER_PX), 3)
        self._room.folder(BLANK).mkdir(exist_ok=True)
        self._room.write_pixels(BLANK, np.full(size, 238, dtype=np.uint8))
        note = {"width_mm": width_mm, "length_mm": length_mm, "mm_per_px": [BLANK_MM_PER_PX] * 2, "state": "blank"}
        self._room.write_note(BLANK, note)
        self._room.folder(BLANK).joinpath("cuts.json").unlink(missing_ok=True)
        self._load, self._mat = Load.square(self._room, BLANK), []
        self._job, self._parts = "", set()
        return {"loaded": BLANK}

    def _wear(self, seed: int | None, mended: bool) -> dict[str, Any]:
        """Camera, feed and knife are no longer where they were; nobody is told by how much."""
        random = chance(seed)
        self._sensor = np.zeros(2) if mended else random.choice([-1, 1], 2) * random.uniform(0.25, 0.7, 2)
        self._feed = 1.0 if mended else 1 + random.choice([-1, 1]) * random.uniform(0.0008, 0.002)
        self._offset = KNIFE_OFFSET_MM if mended else random.uniform(0.35, 0.6)
        self._blunt = 1.0 if mended else random.uniform(1.2, 1.7)
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

    def _made(self, hpgl: str) -> list[tuple[int, np.ndarray, str]]:
        """What the tools do when they are told `hpgl`: pen, where its tip goes, and how deep."""
        made = []
        for stroke in strokes(hpgl, self._unit):
            tip = self._real(stroke.points)
            if stroke.pen in KNIVES:
                tip, self._heading = tip_path(tip, self._offset, self._heading)
            made.append((stroke.pen, tip, depth_of(stroke.force, self._blunt)))
        return made

    def _plot(self, load: Load, request: dict[str, Any]) -> dict[str, Any]:
        part = int(request.get("part", 0))
        if str(request.get("job", "")) != self._job:
            raise Refused("This job was not begun, or it was lost when the power went.")
        if part in self._parts:
            return {"part": part, "strokes": 0}
        time.sleep(self._faults.slow_seconds())
        made = self._made(str(request["hpgl"]))
        lying = self._mat or [load]
        try:
            for pen, tip, depth in made:
                moved = self._faults.slip()
                if moved is not None:
                    load.shift = load.shift + moved
                if self._faults.out_of_media():
                    raise Refused("There is no media under the rollers any more.")
                if self._faults.power():
                    self._job, self._parts, self._load, self._mat, self._heading = "", set(), None, [], 0.0
                    raise Dropped({}, 0)
                under = self._at(load, *tip.mean(axis=0))
                under.cuts.add(pen, under.to_sheet(tip), depth)
        finally:
            for one in lying:
                one.keep()
        self._parts.add(part)
        return {"part": part, "strokes": len(made)}

    def _judge(self, load: Load, hpgl: str | None) -> dict[str, Any]:
        if not load.lines or (hpgl is None and not load.cuts.made):
            return {"report": None}
        if hpgl is None:
            return {"report": report(load.on_table(), load.wanted())}
        heading = self._heading
        tips = [tip for _, tip, _ in self._made(hpgl)]
        self._heading = heading
        return {"report": report(tips, load.wanted())}

    @staticmethod
    def _picture(load: Load) -> dict[str, Any]:
        """The table from above, y up, with the cuts drawn; `box` says what part of the table it shows."""
        low, high = load.corners().min(axis=0) - 5, load.corners().max(axis=0) + 5
        scale = float((high - low).max()) / PICTURE_PIXELS
        picture = load.from_above(low, high, scale)
        for (*_, depth), line in zip(load.cuts.made, load.on_table(), strict=True):
            pixels = np.round((line - (low[0], high[1])) / scale * (1, -1) * 16).astype(np.int32)
            cv2.polylines(
                picture,
                [pixels],
                False,
                SEEN[depth],
                2 if depth == "liner" and load.name == BLANK else 1,
                cv2.LINE_AA,
                4,
            )
        return {"png": _png(picture), "box": [float(low[0]), float(low[1]), float(high[0]), float(high[1])]}


def _png(pixels: np.ndarray) -> str:
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=0)  # a window is mostly noise: nothing to win
    return base64.b64encode(out.getvalue()).decode()


def main() -> None:
    serve(int(sys.argv[2]), Path(sys.argv[1]) / "cutter.port", Cutter(Room(Path(sys.argv[1]))).answer)


if __name__ == "__main__":
    main()
