"""The link to a device that speaks one JSON object a line over TCP."""

import base64
import json
import socket
from collections.abc import Callable
from io import BytesIO
from time import monotonic
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.aligning.boards import Board, camera_over
from etiquette.core.aligning.photos import Camera, find_codes
from etiquette.core.aligning.windows import SeenCode, Window
from etiquette.core.errors import JobError

CONNECT_SECONDS = 2.0
ANSWER_SECONDS = 120.0
"""From the question to the last byte of the answer: a machine that drips has no more time than one that is silent."""
MOST_ANSWER_BYTES = 64 << 20
"""A photo of a table takes a few million; a line without end must not fill the memory."""
PIECE_BYTES = 1 << 16
MOVING = frozenset(
    ("load", "load roll", "mat", "blank", "roll", "advance", "unload", "look", "photo", "begin", "plot", "laminate")
)
"""What moves something: a head that looks travels there first."""
PHOTO_WINDOW_MM, PHOTO_MM_PER_PX = 36.0, 0.2
"""What is cut out of a photo at a time, as wide as an optical head sees, somewhat finer than the photo itself."""
SAME_CODE_MM = 8.0
"""A code that two photos show lies in both within so much."""


class LineBroken(JobError):
    """The device closed the line or went silent: what it did last is not known."""


class DeviceLine:
    """A connection to the device called `name` at `port` of this machine. Use it as a context manager. `before_moving`
    is called before whatever moves something, and may raise."""

    def __init__(
        self,
        name: str,
        port: int,
        answer_seconds: float = ANSWER_SECONDS,
        before_moving: Callable[[], None] = lambda: None,
    ) -> None:
        self.name, self._port, self._patience = name, port, answer_seconds
        self._before_moving = before_moving
        self._socket: socket.socket | None = None
        self._held = bytearray()

    def __enter__(self) -> "DeviceLine":
        try:
            self._socket = socket.create_connection(("127.0.0.1", self._port), timeout=CONNECT_SECONDS)
        except OSError:
            raise JobError(
                f"{self.name} is not listening.", self.name, "Switch it on, check its cable, and try again."
            ) from None
        return self

    def __exit__(self, *_: object) -> None:
        if self._socket:
            self._socket.close()

    def ask(self, wanted: str, **more: Any) -> dict[str, Any]:
        """Send a request and return the answer. Raises JobError when the device refuses, LineBroken when the
        line ends before the answer does."""
        if wanted in MOVING:
            self._before_moving()
        line = self._answered(json.dumps({"ask": wanted, **more}).encode() + b"\n")
        try:
            answer = json.loads(line)
        except ValueError:
            answer = None
        if not isinstance(answer, dict):
            raise self._unclear()
        if "error" in answer:
            raise JobError(f"{self.name}: {answer['error']}", self.name, "Put that right and try again.")
        return answer

    def _answered(self, request: bytes) -> bytes:
        """One line back within the deadline. Raises LineBroken."""
        assert self._socket is not None
        deadline = monotonic() + self._patience
        try:
            self._socket.settimeout(self._patience)
            self._socket.sendall(request)
            while (end := self._held.find(b"\n", max(0, len(self._held) - PIECE_BYTES))) < 0:
                self._socket.settimeout(max(deadline - monotonic(), 0.001))
                piece = self._socket.recv(PIECE_BYTES)
                if not piece:
                    raise LineBroken(f"{self.name} closed the line.", self.name, "Look at the machine, then try again.")
                self._held += piece
                if len(self._held) > MOST_ANSWER_BYTES or monotonic() > deadline:
                    raise LineBroken(
                        f"{self.name} does not come to the end of its answer.",
                        self.name,
                        "Look at the machine, then try again.",
                    )
        except OSError:
            raise LineBroken(
                f"{self.name} stopped answering.", self.name, "Look at the machine, then try again."
            ) from None
        line, self._held = bytes(self._held[: end + 1]), self._held[end + 1 :]
        return line

    def _unclear(self) -> JobError:
        return JobError(
            f"{self.name} answered something that cannot be understood.",
            self.name,
            "Check that the right machine answers at its address.",
        )

    def look(self, x: float, y: float) -> Window:
        """The window that an optical head sees at (x, y) of its machine. Raises JobError."""
        answer = self.ask("look", x=x, y=y)
        try:
            window = Window(picture_of(answer), float(answer["x"]), float(answer["y"]), float(answer["mm_per_px"]))
        except (KeyError, TypeError, ValueError, OSError):  # Pillow's own errors are OSErrors
            raise self._unclear() from None
        if window.pixels.ndim != 2 or not window.mm_per_px > 0:
            raise self._unclear()
        return window

    def photo(self, along: float) -> NDArray[np.uint8]:
        """Grey pixels (h, w) of the table, its camera at `along` mm. Raises JobError."""
        try:
            data = base64.b64decode(self.ask("photo", along=along)["jpeg"])
            return np.asarray(Image.open(BytesIO(data)).convert("L"), dtype=np.uint8)
        except (KeyError, TypeError, ValueError, OSError):
            raise self._unclear() from None

    def table_camera(self) -> "TableCamera":
        """The camera over the table and what is printed on its mat. Raises JobError when there is none."""
        told = self.ask("state").get("camera")
        if told is None:
            raise JobError(f"{self.name} has no camera over its table.", self.name, "Read the marks with the head.")
        try:
            mat, (x, y) = told["board"], told["board"]["first_mm"]
            board = Board(
                str(mat["markers"]),
                float(mat["side_mm"]),
                float(mat["step_mm"]),
                int(mat["across"]),
                (float(x), float(y)),
            )
            step = float(told["step_mm"])
        except (KeyError, TypeError, ValueError):
            raise self._unclear() from None
        if not (board.step_mm > 0 and board.across > 0 and step > 0):
            raise self._unclear()
        return TableCamera(self, board, step)


class TableCamera:
    """Looks at the table through photos instead of with a head that travels: one for each stretch of `step_mm`, taken
    when something in it is first asked for. Places are those of the mat."""

    def __init__(self, line: DeviceLine, board: Board, step_mm: float) -> None:
        self._line, self._board, self._step_mm = line, board, step_mm
        self._photos: dict[int, tuple[NDArray[np.uint8], Camera]] = {}

    @property
    def looks(self) -> int:
        return len(self._photos)

    def _photo(self, number: int) -> tuple[NDArray[np.uint8], Camera]:
        if number not in self._photos:
            pixels = self._line.photo((number + 0.5) * self._step_mm)
            self._photos[number] = pixels, camera_over(pixels, self._board)
        return self._photos[number]

    def codes(self, length_mm: float) -> list[SeenCode]:
        """Every frame code on the table, up to `length_mm` along it; where two photos overlap it counts once."""
        found: list[SeenCode] = []
        for number in range(int(np.ceil(length_mm / self._step_mm))):
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
        pixels, camera = self._photo(max(0, int(y / self._step_mm)))
        return camera.window(pixels, x, y, PHOTO_WINDOW_MM, PHOTO_MM_PER_PX)


class OpticalHead:
    """The cutter's camera: where it looks and what it sees, nothing else."""

    def __init__(self, line: DeviceLine) -> None:
        self._line = line
        self.looks = 0

    def __call__(self, x: float, y: float) -> Window:
        window = self._line.look(x, y)
        self.looks += 1
        return window


def picture_of(answer: dict[str, Any]) -> NDArray[np.uint8]:
    return np.asarray(Image.open(BytesIO(base64.b64decode(answer["png"]))), dtype=np.uint8)
