"""How art is turned, mirrored and cropped: the arithmetic alone, light to import."""

from dataclasses import dataclass, replace
from typing import Literal

from etiquette.core.geometry.matrices import Matrix, times

Box = tuple[float, float, float, float]
Turn = Literal[0, 90, 180, 270]
WHOLE: Box = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True)
class Arrangement:
    """How art is shown: first cropped to `crop` (x, y, width, height as shares of the file's art, from its top left),
    then mirrored left to right, then turned by `turn` degrees counter-clockwise."""

    crop: Box = WHOLE
    mirror: bool = False
    turn: Turn = 0

    def turned(self, degrees: int) -> "Arrangement":
        """Turned on by `degrees` counter-clockwise, a multiple of 90, as it is shown."""
        return replace(self, turn=(self.turn + degrees) % 360)  # type: ignore[arg-type]

    def mirrored(self) -> "Arrangement":
        """Mirrored left to right as it is shown: a turn before a mirror is the opposite turn after it."""
        return replace(self, mirror=not self.mirror, turn=-self.turn % 360)  # type: ignore[arg-type]

    def cropped(self, box: Box) -> "Arrangement":
        """Cropped to `box`, given in shares of the art as it is shown, from its top left."""
        corners = [self._in_crop(box[0], box[1]), self._in_crop(box[0] + box[2], box[1] + box[3])]
        left, right = sorted(corner[0] for corner in corners)
        top, low = sorted(corner[1] for corner in corners)
        x, y, width, height = self.crop
        return replace(self, crop=(x + left * width, y + top * height, (right - left) * width, (low - top) * height))

    def _in_crop(self, x: float, y: float) -> tuple[float, float]:
        """A place of the art as it is shown, in shares of the cropped art before it was mirrored and turned."""
        x, y = min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)
        x, y = {0: (x, y), 90: (1 - y, x), 180: (1 - x, 1 - y), 270: (y, 1 - x)}[self.turn]
        return (1 - x if self.mirror else x), y

    def size(self, width: float, height: float) -> tuple[float, float]:
        """The size of the art as it is shown, from the size of the file's."""
        wide, high = width * self.crop[2], height * self.crop[3]
        return (high, wide) if self.turn in (90, 270) else (wide, high)

    def matrix(self, width: float, height: float) -> Matrix:
        """From the file's art (origin at its lower left, y up) to the art as it is shown, in the units of the size."""
        x, y, wide, high = self.crop
        wide, high = wide * width, high * height
        made: Matrix = (1, 0, 0, 1, -x * width, -(height - y * height - high))
        if self.mirror:
            made = times(made, (-1, 0, 0, 1, wide, 0))
        turns: dict[int, Matrix] = {
            0: (1, 0, 0, 1, 0, 0),
            90: (0, 1, -1, 0, high, 0),
            180: (-1, 0, 0, -1, wide, high),
            270: (0, -1, 1, 0, 0, wide),
        }
        return times(made, turns[self.turn])
