"""What has been cut of a sheet: it stays with the sheet, and whoever looks sees it."""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np

THROUGH_GF, LINER_GF = 55.0, 105.0
"""Least force that cuts through the face, and that marks the liner, with a blade as it should be."""
SHADOW = {"shallow": 150, "through": 60, "liner": 20}
"""Grey of the line that a cut leaves: the deeper, the darker."""
SHIFT = 4


def depth_of(force: float, blunt: float) -> str:
    """How deep a blade goes with `force` in gf when it needs `blunt` times what a sharp one does; a machine that is not
    told a force is set right by hand."""
    if force and force < THROUGH_GF * blunt:
        return "shallow"
    return "through" if not force or force < LINER_GF * blunt else "liner"


@dataclass
class Cuts:
    """Lines in the sheet's own laminated millimetres with the pen and how deep they went."""

    made: list[tuple[int, np.ndarray, str]] = field(default_factory=list)
    _boxes: list[np.ndarray] = field(default_factory=list)
    _kept: int = 0

    @classmethod
    def kept_in(cls, file: Path) -> "Cuts":
        cuts = cls()
        for entry in file.read_text().splitlines() if file.exists() else []:
            pen, line, depth = json.loads(entry)
            cuts.add(pen, np.array(line), depth)
        cuts._kept = len(cuts.made)
        return cuts

    def keep_in(self, file: Path) -> None:
        """Append what was cut since this was done last, a line of JSON each."""
        new = [[pen, np.round(line, 4).tolist(), depth] for pen, line, depth in self.made[self._kept :]]
        with open(file, "a") as kept:
            kept.writelines(json.dumps(entry) + "\n" for entry in new)
        self._kept = len(self.made)

    def add(self, pen: int, line: np.ndarray, depth: str) -> None:
        self.made.append((pen, line, depth))
        self._boxes.append(np.concatenate([line.min(axis=0), line.max(axis=0)]))

    def shadow(
        self,
        grey: np.ndarray,
        to_pixels: Callable[[np.ndarray], np.ndarray],
        low: Sequence[float] | np.ndarray = (-np.inf, -np.inf),
        high: Sequence[float] | np.ndarray = (np.inf, np.inf),
    ) -> None:
        """Draw into `grey` the lines that come into the box from `low` to `high` (sheet mm); `to_pixels` leads from the
        sheet to columns and rows, the middle of the first pixel at 0."""
        boxes = np.array(self._boxes).reshape(-1, 4)
        near = (boxes[:, :2] <= high).all(axis=1) & (boxes[:, 2:] >= low).all(axis=1)
        for number in np.flatnonzero(near):
            _, line, depth = self.made[number]
            pixels = np.round(to_pixels(line) * 2**SHIFT).astype(np.int32)
            cv2.polylines(grey, [pixels], False, SHADOW[depth], 1, cv2.LINE_AA, SHIFT)
