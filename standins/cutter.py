"""A simulated cutter with an optical head, over TCP.

load     a sheet from the shelf goes on, head or tail first, a little askew, as hands put it
look     a window of pixels at a place, with the position and nothing else
plot     HP-GL: what it cut is drawn over the sheet, and judged against the print
judge    the same without cutting
picture  the sheet as it lies there, with the cuts on it

python -m standins.cutter ROOM PORT
"""

import base64
import json
import sys
import threading
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from standins.film import Film
from standins.judge import planned_lines, report
from standins.plotter_language import strokes
from standins.room import Room, chance
from standins.wire import Refused, serve

WINDOW_MM = 36.0
WINDOW_MM_PER_PX = 0.1
SENSOR_NOISE = 3.0
"""Standard deviation of the head's grey values."""
HAND_TURN_DEG, HAND_SHIFT_MM = 0.4, 4.0
"""How exactly a hand lays a sheet: standard deviations."""
PICTURE_PIXELS = 2400
TABLE_MARGIN_MM = 15.0


class Load:
    """A sheet on the table: its pixels, and where each of them lies."""

    def __init__(self, room: Room, name: str, end: str, seed: int | None) -> None:
        note = room.note(name)
        folder = room.folder(name)
        self.name, self.end = name, end
        self.random = chance(seed)
        self.pixels = room.pixels(name)
        self.scale = np.array(note["mm_per_px"])
        truth = json.loads((folder / "truth.json").read_text()) if (folder / "truth.json").exists() else None
        self.film = Film(**truth["film"]) if truth else Film.none(note["width_mm"], note["length_mm"])
        self.corner = np.array(truth["corner"] if truth else [0.0, 0.0])
        self.lines = planned_lines(folder / "lines.svg") if (folder / "lines.svg").exists() else []
        turn = np.radians(self.random.normal(0, HAND_TURN_DEG) + (180 if end == "tail" else 0))
        self.turn = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        height, width = self.pixels.shape[:2]
        corners = np.array([[0, 0], [width, 0], [width, height], [0, height]]) * self.scale + self.corner
        placed = corners @ self.turn.T
        self.shift = -placed.min(axis=0) + TABLE_MARGIN_MM + self.random.normal(0, HAND_SHIFT_MM, 2)
        self.cuts: list[tuple[int, np.ndarray]] = []

    def to_cutter(self, laminated: np.ndarray) -> np.ndarray:
        return laminated @ self.turn.T + self.shift

    def to_pixels(self, cutter: np.ndarray) -> np.ndarray:
        """Columns and rows (n, 2) of places on the table, edges of the first pixel at 0."""
        sheet = (cutter - self.shift) @ self.turn - self.corner
        return np.stack([sheet[:, 0] / self.scale[0], self.pixels.shape[0] - sheet[:, 1] / self.scale[1]], axis=1)

    def wanted(self) -> list[np.ndarray]:
        """Where the cut ought to be, on the table."""
        return [self.to_cutter(self.film.moved(line)) for line in self.lines]


class Cutter:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._load: Load | None = None
        self._lock = threading.Lock()

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        with self._lock:
            wanted = request.get("ask")
            if wanted == "state":
                return {"loaded": self._load.name if self._load else None, "window_mm": WINDOW_MM}
            if wanted == "load":
                end = str(request.get("end", "head"))
                if end not in ("head", "tail"):
                    raise Refused("A sheet is loaded head or tail first.")
                self._load = Load(self._room, str(request["name"]), end, request.get("seed"))
                return {"loaded": self._load.name}
            if wanted == "unload":
                self._load = None
                return {"loaded": None}
            if self._load is None:
                raise Refused("No sheet is loaded on the cutter.")
            if wanted == "look":
                return self._look(self._load, float(request["x"]), float(request["y"]))
            if wanted in ("plot", "judge"):
                return self._plot(self._load, str(request["hpgl"]), keep=wanted == "plot")
            if wanted == "picture":
                return self._picture(self._load)
            raise Refused(f"The cutter does not know “{wanted}”.")

    def _look(self, load: Load, x: float, y: float) -> dict[str, Any]:
        side = int(WINDOW_MM / WINDOW_MM_PER_PX)
        at = (np.arange(side) + 0.5 - side / 2) * WINDOW_MM_PER_PX
        grid_x, grid_y = np.meshgrid(x + at, y - at)
        places = load.to_pixels(np.column_stack([grid_x.ravel(), grid_y.ravel()])) - 0.5
        low = np.maximum(0, np.floor(places.min(axis=0)).astype(int) - 2)
        high = np.minimum(load.pixels.shape[1::-1], np.ceil(places.max(axis=0)).astype(int) + 3)
        if (high <= low).any():
            grey = np.full((side, side), 90.0)
        else:
            part = cv2.cvtColor(
                np.ascontiguousarray(load.pixels[low[1] : high[1], low[0] : high[0]]), cv2.COLOR_RGB2GRAY
            )
            maps = (places - low).astype(np.float32).reshape(side, side, 2)
            grey = cv2.remap(
                part, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=90
            ).astype(float)
        grey += load.random.normal(0, SENSOR_NOISE, grey.shape)
        return {"x": x, "y": y, "mm_per_px": WINDOW_MM_PER_PX, "png": _png(np.clip(grey, 0, 255).astype(np.uint8))}

    @staticmethod
    def _plot(load: Load, hpgl: str, keep: bool) -> dict[str, Any]:
        made = strokes(hpgl)
        if keep:
            load.cuts.extend(made)
        return {
            "strokes": len(made),
            "report": report([line for _, line in made], load.wanted()) if load.lines else None,
        }

    @staticmethod
    def _picture(load: Load) -> dict[str, Any]:
        """The table from above, y up, with the cuts drawn; `box` says what part of the table it shows."""
        height, width = load.pixels.shape[:2]
        corners = load.to_cutter(
            np.array([[0, 0], [width, 0], [width, height], [0, height]]) * load.scale + load.corner
        )
        low, high = corners.min(axis=0) - 5, corners.max(axis=0) + 5
        scale = float((high - low).max()) / PICTURE_PIXELS
        columns, rows = (int(size / scale) for size in high - low)
        x, y = np.meshgrid(low[0] + (np.arange(columns) + 0.5) * scale, high[1] - (np.arange(rows) + 0.5) * scale)
        maps = (load.to_pixels(np.column_stack([x.ravel(), y.ravel()])) - 0.5).reshape(rows, columns, 2)
        step = max(1, int(scale / load.scale[0]))
        small = np.ascontiguousarray(load.pixels[::step, ::step])
        maps = (maps / step).astype(np.float32)
        picture = cv2.remap(
            small,
            maps[..., 0],
            maps[..., 1],
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=(205, 205, 205),
        )
        for _, line in load.cuts:
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
