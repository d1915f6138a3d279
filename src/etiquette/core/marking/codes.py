"""Frame codes: a short payload that names a frame and the end it stands at, drawn as squares or bars."""

import math
import secrets
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.units import MM_PER_INCH

End = Literal["head", "tail"]

# ISO/IEC 7064, MOD 37-2: digits, letters, and an asterisk that may stand as the check character.
_ALPHABET = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ*"
PLAIN = "23456789ABCDEFGHJKMNPQRSTVWXYZ"
"""Letters and digits nobody mistakes for one another."""
CODE_LENGTH = 6
CodeKind = Literal["data matrix", "qr", "code 128"]
FORMATS: dict[CodeKind, zxingcpp.BarcodeFormat] = {
    "data matrix": zxingcpp.BarcodeFormat.DataMatrix,
    "qr": zxingcpp.BarcodeFormat.QRCode,
    "code 128": zxingcpp.BarcodeFormat.Code128,
}
QUIET: dict[str, tuple[int, int]] = {"data matrix": (2, 2), "qr": (4, 4), "code 128": (10, 0)}
"""Light modules beside, and above and below: at least what ISO/IEC 16022 (1), 18004 (4) and 15417 (10) ask."""
LEAST_MODULE_MM: dict[str, float] = {"data matrix": 0.8, "qr": 0.8, "code 128": 0.33}
"""Eight pixels of an optical head at 0.1 mm a pixel; of a bar, which is read along its whole height, three."""
COARSEST_DPI = 150.0
LEAST_CONTRAST = 0.4
"""Least difference of reflectance between code and ground: symbol contrast of grade 2 by ISO/IEC 15415."""


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
    return "".join(draw(PLAIN) for _ in range(CODE_LENGTH))


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


def module_mm(kind: CodeKind, dpi: float = COARSEST_DPI) -> float:
    """The side of one module: the least that is read, rounded up to whole dots of the printer, so that all are
    alike."""
    dot = MM_PER_INCH / dpi
    return math.ceil(LEAST_MODULE_MM[kind] / dot - 1e-9) * dot


@cache
def code_modules(kind: CodeKind, payload: str) -> NDArray[np.bool_]:
    """The modules (rows, columns) of a code, top row first, True = dark, without a quiet zone: Data Matrix (ISO/IEC
    16022), QR (ISO/IEC 18004), or one row of bars, Code 128 (ISO/IEC 15417)."""
    barcode = zxingcpp.create_barcode(payload, FORMATS[kind])
    image = np.array(zxingcpp.write_barcode_to_image(barcode, scale=1, add_quiet_zones=False))
    modules = np.asarray(image < 128)
    return modules[:1] if kind == "code 128" else modules


def quiet_modules(kind: CodeKind) -> tuple[int, int]:
    """Light modules beside the code, and above and below it."""
    return QUIET[kind]


def contrast(ink: float, ground: float) -> float:
    """Difference of reflectance between a dark module and its ground, each 0 to 1."""
    return ground - ink
