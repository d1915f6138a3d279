"""Frame codes: a short payload that names a frame and the end it stands at, drawn as a Data Matrix of squares."""

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
import zxingcpp
from numpy.typing import NDArray

End = Literal["head", "tail"]

# ISO/IEC 7064, MOD 37-2: digits, letters, and an asterisk that may stand as the check character.
_ALPHABET = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ*"
_PLAIN = "23456789ABCDEFGHJKMNPQRSTVWXYZ"
"""Letters and digits nobody mistakes for one another."""
CODE_LENGTH = 6
MODULE_MM = 0.8
"""Side of one module: five dots of a printer at 150 dots an inch, and eight of an optical head at 0.1 mm a pixel."""


@dataclass(frozen=True)
class FrameCode:
    """`frame` is the shop-wide code of a frame, `end` the end at which it stands."""

    frame: str
    end: End

    @property
    def payload(self) -> str:
        body = self.frame + ("H" if self.end == "head" else "T")
        return body + check_character(body)


def new_code(draw: Callable[[str], str] = secrets.choice) -> str:
    """A code for a new frame; whoever stores it makes sure that it is the first of its kind."""
    return "".join(draw(_PLAIN) for _ in range(CODE_LENGTH))


def check_character(body: str) -> str:
    """ISO/IEC 7064, MOD 37-2."""
    total = 0
    for character in body:
        total = (total + _ALPHABET.index(character)) * 2 % 37
    return _ALPHABET[(38 - total) % 37]


def parse_payload(text: str) -> FrameCode | None:
    """The frame code in `text`, or None when it is not one of ours or its check character is wrong."""
    if len(text) != CODE_LENGTH + 2 or any(character not in _ALPHABET for character in text):
        return None
    if text[-2] not in "HT" or check_character(text[:-1]) != text[-1]:
        return None
    return FrameCode(text[:CODE_LENGTH], "head" if text[-2] == "H" else "tail")


def data_matrix(payload: str) -> NDArray[np.bool_]:
    """The modules (n, n) of a Data Matrix (ISO/IEC 16022), top row first, True = dark, without a quiet zone."""
    barcode = zxingcpp.create_barcode(payload, zxingcpp.BarcodeFormat.DataMatrix)
    image = np.array(zxingcpp.write_barcode_to_image(barcode, scale=1, add_quiet_zones=False))
    return image < 128


def code_side_mm(payload: str) -> float:
    return float(data_matrix(payload).shape[0] * MODULE_MM)
