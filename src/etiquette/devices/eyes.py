"""Eyes of a cutter: the one on its head, which the machine has to lead, and the camera over its table."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.boards import Board, camera_over
from etiquette.core.aligning.photos import Camera, find_codes
from etiquette.core.aligning.windows import SeenCode, Window
from etiquette.core.errors import JobError
from etiquette.devices.contracts import Cutter, Eye

PHOTO_WINDOW_MM, PHOTO_MM_PER_PX = 36.0, 0.2
"""What is cut out of a photo at a time, as wide as an optical head sees, somewhat finer than the photo itself."""
SAME_CODE_MM = 8.0
"""A code that two photos show lies in both within so much."""
Place = tuple[float, float]


class OpticalHead:
    """Looks where the cutter's head is led. `on_machine`: from our axes to the machine's own."""

    def __init__(self, cutter: Cutter, eye: Eye, on_machine: Callable[[float, float], Place]) -> None:
        self._cutter, self._eye, self._on_machine = cutter, eye, on_machine
        self.looks = 0

    def __call__(self, x: float, y: float) -> Window:
        self._cutter.lead(*self._on_machine(x, y))
        seen = self._eye.look()
        self.looks += 1
        return Window(seen.pixels, x, y, seen.mm_per_px)


class TableCamera:
    """Looks at the table through photos instead of with a head that travels: one for each stretch of `photo_mm`, taken
    when something in it is first asked for. Places are those of the mat."""

    def __init__(self, eye: Eye, board: Board, photo_mm: float) -> None:
        self._eye, self._board, self._photo_mm = eye, board, photo_mm
        self._photos: dict[int, tuple[NDArray[np.uint8], Camera]] = {}

    @property
    def looks(self) -> int:
        return len(self._photos)

    def _photo(self, number: int) -> tuple[NDArray[np.uint8], Camera]:
        if number not in self._photos:
            pixels = self._eye.look((0.0, (number + 0.5) * self._photo_mm)).pixels
            self._photos[number] = pixels, camera_over(pixels, self._board)
        return self._photos[number]

    def codes(self, length_mm: float) -> list[SeenCode]:
        """Every frame code on the table, up to `length_mm` along it; where two photos overlap it counts once."""
        found: list[SeenCode] = []
        for number in range(int(np.ceil(length_mm / self._photo_mm))):
            pixels, camera = self._photo(number)
            for one in find_codes(pixels):
                upper_left, upper_right, lower_right, lower_left = camera.to_plane(one.corners)
                x, y = (upper_left + upper_right + lower_right + lower_left) / 4
                across, up = upper_right - upper_left + lower_right - lower_left
                if not any(
                    known.code == one.code and np.hypot(known.x - x, known.y - y) < SAME_CODE_MM for known in found
                ):
                    found.append(SeenCode(one.code, float(x), float(y), float(np.degrees(np.arctan2(up, across)))))
        return found

    def __call__(self, x: float, y: float) -> Window:
        pixels, camera = self._photo(max(0, int(y / self._photo_mm)))
        return camera.window(pixels, x, y, PHOTO_WINDOW_MM, PHOTO_MM_PER_PX)


def table_camera(eye: Eye, board: Mapping[str, Any] | None, name: str) -> TableCamera:
    """The camera over a table whose mat is printed as the Shelf says. Raises JobError when it does not say so."""
    try:
        told = dict(board or {})
        x, y = told["first_mm"]
        made = Board(
            str(told["markers"]),
            float(told["side_mm"]),
            float(told["step_mm"]),
            int(told["across"]),
            (float(x), float(y)),
        )
        photo_mm = float(told["photo_mm"])
    except (KeyError, TypeError, ValueError):
        raise _no_board(name) from None
    if not (made.step_mm > 0 and made.across > 0 and photo_mm > 0):
        raise _no_board(name)
    return TableCamera(eye, made, photo_mm)


def _no_board(name: str) -> JobError:
    return JobError(
        f"It is not known how the mat of {name} is printed.",
        name,
        "Read the marks with the head.",
    )
