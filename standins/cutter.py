"""A simulated cutter: it speaks HP-GL, has an eye on its head and one over its table, and a port for what hands do.

load      a sheet from the shelf goes on, head or tail first, a little askew, as hands put it
blank     a piece of bare stock lies there, square
roll      sheets go on as one roll, one behind the other; mat: several lie on one carrier mat
judge     what is cut of a sheet against the truth, its lines told as they were planned; with hpgl, what that would be
point     hands lead the head to a place of the plan, as well as they can
picture   the sheet as it lies there, with the cuts on it; judge and picture are asked by the name of the sheet
fault     something goes wrong from now on (faults.py); wear: it is no longer as exact as it was
unit      it is set to steps of so many mm

python -m standins.cutter ROOM FIRST_PORT
"""

import base64
import sys
import threading
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from standins import camera
from standins.cuts import depth_of
from standins.eye import Place, serve_eyes
from standins.faults import Faults
from standins.judge import planned_lines, report
from standins.knife import tip_path
from standins.loads import Load
from standins.plotter import Dead, Halted, Plotter, PowerGone, serve_plotter
from standins.plotter_language import UNIT_MM, Stroke, strokes
from standins.room import Room, chance
from standins.sensor import noisy, png
from standins.wire import Refused, keep_port, kept_port, serve

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
HAND_MM = 0.2
"""How exactly hands lead a head: standard deviation on each axis."""
BLANK, BLANK_MM_PER_PX = "BLANK", 0.2


class Cutter:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._load: Load | None = None
        self._mat: list[Load] = []
        self._unkept: set[Load] = set()
        self._faults = Faults()
        self._sensor, self._feed, self._offset, self._blunt = np.zeros(2), 1.0, KNIFE_OFFSET_MM, 1.0
        self._heading, self.unit_mm = 0.0, UNIT_MM
        self.lock = threading.Lock()
        self.plotter = Plotter(self, self._answering)

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        """What hands do, and what only a simulation knows."""
        with self.lock:
            self._keep()
            return self._answered(str(request.get("ask")), request)

    def _answering(self) -> None:
        self._keep()
        cut_off = self._faults.dropped("answer")
        if cut_off is not None:
            raise Dead(cut_off)

    def _answered(self, wanted: str, request: dict[str, Any]) -> dict[str, Any]:
        if wanted == "state":
            loaded, mat = self._load.name if self._load else None, [load.name for load in self._mat]
            return {"loaded": loaded, "mat": mat, "board": camera.about()}
        if wanted == "unit":
            self.unit_mm = float(request["mm"])
            return {}
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
            return self._lay_mat([(str(name), end) for name in request["names"]], rolled=True)
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
        if wanted == "point":
            return self._point(load, float(request["x"]), float(request["y"]), float(request.get("noise_mm", HAND_MM)))
        if wanted == "judge":
            return self._judge(load, request.get("lines"), request.get("hpgl"))
        if wanted == "picture":
            return self._picture(load)
        raise Refused(f"The cutter does not know “{wanted}”.")

    def look(self, place: Place) -> tuple[bytes, str, tuple[float, float], float]:
        """What the eye on the head sees where that stands."""
        with self.lock:
            if self._load is None:
                raise Refused("No sheet is loaded on the cutter.")
            x, y = self.plotter.position_mm
            moved = self._faults.fed_out(y)
            if moved is not None:
                self._load.shift = self._load.shift + moved
            return png(self._window(self._at(self._load, x, y), x, y)), "image/png", (x, y), WINDOW_MM_PER_PX

    def photo(self, place: Place) -> tuple[bytes, str, tuple[float, float], float]:
        """What the camera over the table sees with its arm near a place."""
        with self.lock:
            if self._load is None:
                raise Refused("No sheet is loaded on the cutter.")
            x, y = place or (0.0, 0.0)
            picture = camera.photo(self._mat or [self._load], y, self._load.random)
            return picture, "image/jpeg", (x, y), camera.SEEN_MM[0] / camera.PHOTO_PX[0]

    def reset(self) -> None:
        """It sets its blade with a scratch beside the sheet, so that it points along x."""
        self._heading = 0.0

    def begin(self) -> None:
        """A tool goes down."""
        time.sleep(self._faults.slow_seconds())
        if self._load is None:
            return
        moved = self._faults.slip()
        if moved is not None:
            self._load.shift = self._load.shift + moved
        if self._faults.out_of_media():
            raise Halted
        if self._faults.power():
            self._keep()
            self._load, self._mat, self._heading = None, [], 0.0
            self.plotter.forget()
            raise PowerGone

    def stroke(self, pen: int, points: np.ndarray, force: float) -> None:
        """A tool has gone along `points`: what lies there is cut."""
        if self._load is None:
            return
        pen, tip, depth = self._made_by(Stroke(pen, points, force))
        under = self._at(self._load, *tip.mean(axis=0))
        under.cuts.add(pen, under.to_sheet(tip), depth)
        self._unkept.add(under)

    def _keep(self) -> None:
        """What was cut since it was asked last is kept with its sheets."""
        for load in self._unkept:
            load.keep()
        self._unkept.clear()

    def _lay(self, name: str, end: str, seed: int | None) -> dict[str, Any]:
        if end not in ("head", "tail"):
            raise Refused("A sheet is loaded head or tail first.")
        self._load, self._mat = Load(self._room, name, end, seed, self._faults.skew_deg()), []
        self.plotter.mend()
        return {"loaded": name}

    def _lay_mat(self, sheets: list[tuple[str, str]], rolled: bool = False) -> dict[str, Any]:
        """Sheets one behind the other: on a carrier mat each as hands lay it, on a roll as they hang together."""
        behind = 0.0
        laid = []
        for number, (name, end) in enumerate(sheets):
            load = Load(self._room, name, end, None, 0.0)
            load.random = np.random.default_rng(load.random.integers(1 << 30) + number)
            load.shift = load.shift + (0.0 if rolled else load.random.uniform(0, 30), behind)
            behind = float(load.corners()[:, 1].max()) + BETWEEN_SHEETS_MM
            laid.append(load)
        self._mat, self._load = laid, laid[0]
        self.plotter.mend()
        return {"loaded": laid[0].name}

    def _blank(self, width_mm: float, length_mm: float) -> dict[str, Any]:
        """A piece of stock that nobody has printed on, square under the knife."""
        size = (round(length_mm / BLANK_MM_PER_PX), round(width_mm / BLANK_MM_PER_PX), 3)
        self._room.folder(BLANK).mkdir(exist_ok=True)
        self._room.write_pixels(BLANK, np.full(size, 238, dtype=np.uint8))
        note = {"width_mm": width_mm, "length_mm": length_mm, "mm_per_px": [BLANK_MM_PER_PX] * 2, "state": "blank"}
        self._room.write_note(BLANK, note)
        self._room.folder(BLANK).joinpath("cuts.json").unlink(missing_ok=True)
        self._load, self._mat = Load.square(self._room, BLANK), []
        self.plotter.mend()
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

    def _window(self, load: Load, x: float, y: float) -> np.ndarray:
        side = int(WINDOW_MM / WINDOW_MM_PER_PX)
        real = self._real(np.array([x, y])) + self._sensor
        grey = load.window(real, side, WINDOW_MM_PER_PX)
        grey = self._faults.on_window(grey, load.random)
        return noisy(grey, self._faults.noise(SENSOR_NOISE), load.random)

    def _made_by(self, stroke: Stroke) -> tuple[int, np.ndarray, str]:
        """Pen, where the tip of the tool goes, and how deep."""
        tip = self._real(stroke.points)
        if stroke.pen in KNIVES:
            tip, self._heading = tip_path(tip, self._offset, self._heading)
        return stroke.pen, tip, depth_of(stroke.force, self._blunt)

    def _point(self, load: Load, x: float, y: float, noise_mm: float) -> dict[str, Any]:
        """Hands lead the head to where (x, y) of the plan lies now, as well as they can see it."""
        there = load.to_cutter(load.film.moved(np.array([[x, y]])))[0] + load.random.normal(0, noise_mm, 2)
        told = there / (1.0, self._feed) / self.unit_mm
        self.plotter.at = (float(round(told[0])), float(round(told[1])))
        return {}

    def _judge(self, load: Load, lines: str | None, hpgl: str | None) -> dict[str, Any]:
        wanted = load.wanted(planned_lines(lines)) if lines else []
        if hpgl is None:
            made = load.on_table()
            total = sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in made)
            return {"report": report(made, wanted) if made and wanted else None, "cut_mm": round(total, 1)}
        heading, self._heading = self._heading, 0.0
        tips = [self._made_by(stroke)[1] for stroke in strokes(hpgl, self.unit_mm)]
        self._heading = heading
        return {"report": report(tips, wanted) if wanted else None}

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
        return {"png": base64.b64encode(png(picture, level=1)).decode(), "box": [*map(float, low), *map(float, high)]}


def main() -> None:
    room, first = Path(sys.argv[1]), int(sys.argv[2])
    cutter = Cutter(Room(room))
    plotted = serve_plotter(cutter.plotter, cutter.lock, kept_port(room / "cutter.hpgl", first))
    keep_port(room / "cutter.hpgl", plotted)
    eyes = serve_eyes({"/head": cutter.look, "/table": cutter.photo}, kept_port(room / "cutter.eyes", first))
    keep_port(room / "cutter.eyes", eyes)
    serve(first, room / "cutter.port", cutter.answer)


if __name__ == "__main__":
    main()
