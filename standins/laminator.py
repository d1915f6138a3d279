"""A simulated laminator: bends the pixels of a printed sheet by a model it keeps to itself.

python -m standins.laminator ROOM FIRST_PORT"""

import json
import sys
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from standins.film import Film
from standins.room import Room, chance, write_whole
from standins.smooth import over_pixels
from standins.wire import Refused, serve

TILE = 1024
MM_PER_PX = 25.4 / 150
MARGIN_MM = 12.0
"""White round the sheet, so that a sheet that grew and moved still fits in its picture."""
HAZE = 0.94
"""Film takes a little of the contrast."""


class Laminator:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._share: dict[str, float] = {}

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        name = str(request.get("name"))
        if request.get("ask") == "share":
            return {"share": self._share.get(name, 0.0)}
        if request.get("ask") != "laminate":
            raise Refused("The laminator only laminates.")
        note = self._room.note(name)
        if note["state"] != "printed":
            raise Refused(f"Sheet {name} has film on it already.")
        seed = request.get("seed")
        film = Film.drawn(note["width_mm"], note["length_mm"], chance(seed))
        warped, corner = self._warp(name, film, note)
        write_whole(
            self._room.folder(name) / "truth.json", json.dumps({"film": film.note(), "corner": corner}).encode()
        )
        self._room.write_pixels(name, warped)
        self._room.write_note(name, {**note, "state": "laminated", "mm_per_px": [MM_PER_PX, MM_PER_PX]})
        return {"state": "laminated"}

    def _warp(self, name: str, film: Film, note: dict[str, Any]) -> tuple[np.ndarray, list[float]]:
        """The bent picture in tiles (OpenCV's remap takes no side over 32 767), and where its lower left pixel lies."""
        pixels = self._room.pixels(name)
        edge = np.linspace(0, 1, 21)
        rim = np.concatenate(
            [np.stack([edge, edge * 0 + side], 1) for side in (0, 1)]
            + [np.stack([edge * 0 + side, edge], 1) for side in (0, 1)]
        )
        placed = film.moved(rim * (film.width, film.length))
        low, high = placed.min(axis=0) - MARGIN_MM, placed.max(axis=0) + MARGIN_MM
        width, height = (int(np.ceil(size / MM_PER_PX)) for size in high - low)
        result = np.full((height, width, 3), 222, dtype=np.uint8)
        done, tiles = 0, -(-height // TILE) * -(-width // TILE)
        for top in range(0, height, TILE):
            for left in range(0, width, TILE):
                rows, columns = np.arange(top, min(top + TILE, height)), np.arange(left, min(left + TILE, width))
                result[top : top + len(rows), left : left + len(columns)] = self._tile(
                    pixels, note["mm_per_px"], film, rows, columns, low, height
                )
                done += 1
                self._share[name] = done / tiles
        return result, [float(low[0]), float(low[1])]

    @staticmethod
    def _tile(
        pixels: np.ndarray,
        printed: list[float],
        film: Film,
        rows: np.ndarray,
        columns: np.ndarray,
        low: np.ndarray,
        height: int,
    ) -> np.ndarray:
        def source(column: np.ndarray, row: np.ndarray) -> np.ndarray:
            """Where on the print a pixel of this tile comes from."""
            x, y = low[0] + (columns[0] + column + 0.5) * MM_PER_PX, low[1] + (height - rows[0] - row - 0.5) * MM_PER_PX
            at = film.unmoved(np.column_stack([x.ravel(), y.ravel()]))
            return np.stack([at[:, 0] / printed[0] - 0.5, pixels.shape[0] - at[:, 1] / printed[1] - 0.5], 1).reshape(
                *x.shape, 2
            )

        shape = (len(rows), len(columns))
        map_x, map_y = np.moveaxis(over_pixels(source, shape), 2, 0)
        x0, x1 = int(max(0, np.floor(map_x.min()) - 2)), int(min(pixels.shape[1], np.ceil(map_x.max()) + 3))
        y0, y1 = int(max(0, np.floor(map_y.min()) - 2)), int(min(pixels.shape[0], np.ceil(map_y.max()) + 3))
        bench = np.full((*shape, 3), 205, dtype=np.uint8)
        if x1 <= x0 or y1 <= y0:
            return bench
        part = np.ascontiguousarray(pixels[y0:y1, x0:x1])
        bent = cv2.remap(
            part,
            (map_x - x0).astype(np.float32),
            (map_y - y0).astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=(205, 205, 205),
        )
        return np.asarray((bent * HAZE + 255 * (1 - HAZE) * 0.8).astype(np.uint8))


def main() -> None:
    serve(int(sys.argv[2]), Path(sys.argv[1]) / "laminator.port", Laminator(Room(Path(sys.argv[1]))).answer)


if __name__ == "__main__":
    main()
