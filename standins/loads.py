"""A sheet on the cutter's table: its pixels, where each of them lies, and what has been cut of it."""

import json

import cv2
import numpy as np

from standins.cuts import Cuts
from standins.film import Film
from standins.room import Room, chance

HAND_TURN_DEG, HAND_SHIFT_MM = 0.4, 4.0
"""How exactly a hand lays a sheet: standard deviations."""
TABLE_MARGIN_MM = 15.0
TABLE_GREY = 90.0


class Load:
    """Cuts belong to the sheet: they are kept in its own laminated millimetres, in its folder, so that a sheet that is
    taken off and laid again shows them."""

    def __init__(self, room: Room, name: str, end: str, seed: int | None, skew_deg: float = 0.0) -> None:
        note = room.note(name)
        self._folder = room.folder(name)
        self.name, self.end = name, end
        self.random = chance(seed)
        self.pixels = room.pixels(name)
        self.scale = np.array(note["mm_per_px"])
        file = self._folder / "truth.json"
        truth = json.loads(file.read_text()) if file.exists() else None
        self.film = Film.from_note(truth["film"]) if truth else Film.none(note["width_mm"], note["length_mm"])
        self.corner = np.array(truth["corner"] if truth else [0.0, 0.0])
        turn = np.radians(self.random.normal(0, HAND_TURN_DEG) + skew_deg + (180 if end == "tail" else 0))
        self.turn = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        self.shift = np.zeros(2)
        self.shift = -self.corners().min(axis=0) + TABLE_MARGIN_MM + self.random.normal(0, HAND_SHIFT_MM, 2)
        self.cuts = Cuts.kept_in(self._folder / "cuts.json")
        self._seen: tuple[tuple[int, float], np.ndarray] | None = None

    @classmethod
    def square(cls, room: Room, name: str) -> "Load":
        """Laid against the stop: its lower left corner where the machine counts from."""
        load = cls(room, name, "head", 0)
        load.turn, load.shift = np.eye(2), np.zeros(2)
        return load

    def corners(self) -> np.ndarray:
        height, width = self.pixels.shape[:2]
        return self.to_cutter(np.array([[0, 0], [width, 0], [width, height], [0, height]]) * self.scale + self.corner)

    def away(self, x: float, y: float) -> float:
        """How far a place on the table lies from the sheet, 0 on it."""
        corners = self.corners()
        return float(np.hypot(*np.maximum(np.maximum(corners.min(axis=0) - (x, y), (x, y) - corners.max(axis=0)), 0)))

    def to_cutter(self, laminated: np.ndarray) -> np.ndarray:
        return np.asarray(laminated @ self.turn.T + self.shift)

    def to_sheet(self, cutter: np.ndarray) -> np.ndarray:
        return np.asarray((cutter - self.shift) @ self.turn)

    def to_pixels(self, cutter: np.ndarray) -> np.ndarray:
        """Columns and rows (n, 2) of places on the table, edges of the first pixel at 0."""
        sheet = self.to_sheet(cutter) - self.corner
        return np.stack([sheet[:, 0] / self.scale[0], self.pixels.shape[0] - sheet[:, 1] / self.scale[1]], axis=1)

    def wanted(self, lines: list[np.ndarray]) -> list[np.ndarray]:
        """Where the cut of planned `lines` ought to be, on the table."""
        return [self.to_cutter(self.film.moved(line)) for line in lines]

    def keep(self) -> None:
        """Keep the cuts with the sheet."""
        self.cuts.keep_in(self._folder / "cuts.json")

    def on_table(self) -> list[np.ndarray]:
        return [self.to_cutter(line) for _, line, _ in self.cuts.made]

    def window(self, middle: np.ndarray, side: int, step: float) -> np.ndarray:
        """Grey values of a window of `side` × `side` pixels of `step` mm about `middle`, top row first."""
        reach = (side - 1) / 2 * step
        first, last_column, last_row = (
            self.to_pixels(middle + np.array([[-reach, reach], [reach, reach], [-reach, -reach]])) - 0.5
        )
        corners = np.stack([first, last_column, last_row, last_column + last_row - first])
        low = np.maximum(0, np.floor(corners.min(axis=0)).astype(int) - 2)
        high = np.minimum(self.pixels.shape[1::-1], np.ceil(corners.max(axis=0)).astype(int) + 3)
        if (high <= low).any():
            return np.full((side, side), TABLE_GREY, dtype=np.float32)
        part = cv2.cvtColor(np.ascontiguousarray(self.pixels[low[1] : high[1], low[0] : high[0]]), cv2.COLOR_RGB2GRAY)
        onto = np.column_stack([last_column - first, last_row - first]) / (side - 1)
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        seen = cv2.warpAffine(
            part,
            np.column_stack([onto, first - low]),
            (side, side),
            flags=flags,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=TABLE_GREY,
        )
        about, far = self.to_sheet(middle), side * step
        self.cuts.shadow(
            seen,
            lambda line: (self.to_cutter(line) - middle) * (1 / step, -1 / step) + (side - 1) / 2,
            about - far,
            about + far,
        )
        return np.asarray(seen, dtype=np.float32)

    def grey_seen(self, fine: float) -> np.ndarray:
        """The whole sheet as a sensor sees it that has `fine` of its pixels in one of its own: it sees all that it
        covers. Kept until something is cut, because every photo of a long sheet needs it."""
        known = (len(self.cuts.made), fine)
        if self._seen is None or self._seen[0] != known:
            grey = self.grey()
            self._seen = (known, cv2.GaussianBlur(grey, (0, 0), 0.4 * fine) if fine > 1 else grey)
        return self._seen[1]

    def grey(self) -> np.ndarray:
        """The pixels of the whole sheet, with its cuts, in grey."""
        grey = cv2.cvtColor(np.ascontiguousarray(self.pixels), cv2.COLOR_RGB2GRAY)
        self.cuts.shadow(grey, lambda line: self.to_pixels(self.to_cutter(line)) - 0.5)
        return np.asarray(grey)

    def from_above(self, low: np.ndarray, high: np.ndarray, scale: float) -> np.ndarray:
        """The stretch of the table from `low` to `high` in pixels of `scale` mm, the sheet on it, top row first."""
        columns, rows = (int(size / scale) for size in high - low)
        step = max(1, int(scale / self.scale[0]))
        small = np.ascontiguousarray(self.pixels[::step, ::step])
        start = np.array([low[0], high[1]]) + np.array([0.5, -0.5]) * scale
        first, right, below = (self.to_pixels(start + scale * np.array([[0, 0], [1, 0], [0, -1]])) - 0.5) / step
        onto = np.column_stack([right - first, below - first, first])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return np.asarray(
            cv2.warpAffine(
                small, onto, (columns, rows), flags=flags, borderMode=cv2.BORDER_CONSTANT, borderValue=(205, 205, 205)
            )
        )
