"""Barcodes and matrix codes of rows: the modules of each kind as zxing-cpp writes them, with the quiet zones of their
standards, and as large as a box allows in whole dots of the printer."""

import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.units import MM_PER_INCH
from etiquette.core.variable.expressions import CannotSay
from etiquette.core.variable.gs1 import refuse_wrong
from etiquette.core.variable.serials import mod_10

CodeKind = Literal["code 128", "gs1-128", "ean-13", "ean-8", "upc-a", "upc-e", "itf-14", "code 39", "data matrix",
                   "gs1 data matrix", "qr", "pdf417", "aztec"]  # fmt: skip
_F = zxingcpp.BarcodeFormat
FORMATS: dict[CodeKind, zxingcpp.BarcodeFormat] = {
    "code 128": _F.Code128, "gs1-128": _F.Code128, "ean-13": _F.EAN13, "ean-8": _F.EAN8, "upc-a": _F.UPCA,
    "upc-e": _F.UPCE, "itf-14": _F.ITF, "code 39": _F.Code39, "data matrix": _F.DataMatrix,
    "gs1 data matrix": _F.DataMatrix, "qr": _F.QRCode, "pdf417": _F.PDF417, "aztec": _F.Aztec,
}  # fmt: skip
QUIET: dict[CodeKind, tuple[int, int, int]] = {
    "code 128": (10, 10, 0), "gs1-128": (10, 10, 0), "ean-13": (11, 7, 0), "ean-8": (7, 7, 0), "upc-a": (9, 9, 0),
    "upc-e": (9, 7, 0), "itf-14": (10, 10, 0), "code 39": (10, 10, 0), "data matrix": (1, 1, 1),
    "gs1 data matrix": (1, 1, 1), "qr": (4, 4, 4), "pdf417": (2, 2, 2), "aztec": (0, 0, 0),
}  # fmt: skip
"""Light modules left, right, and above and below, of ISO/IEC 15417, 15420, 16390, 16388, 16022, 18004, 15438 and
24778; numbers from memory."""
BARS = frozenset(("code 128", "gs1-128", "ean-13", "ean-8", "upc-a", "upc-e", "itf-14", "code 39"))
GS1 = frozenset(("gs1-128", "gs1 data matrix"))
_DIGITS = {"ean-13": 13, "ean-8": 8, "upc-a": 12, "upc-e": 8, "itf-14": 14}
_CODE_39 = re.compile(r"[0-9A-Z\-. $/+%]+")
MOST_CHARACTERS = 4_000


@dataclass(frozen=True, eq=False)
class Symbol:
    """Modules, top row first, True = dark, without the quiet zone; one row for bars. `text`: what a reader says."""

    kind: CodeKind
    modules: NDArray[np.bool_]
    text: str

    @property
    def size(self) -> tuple[int, int]:
        """Across and up, quiet zones counted; bars are as high as they are made."""
        left, right, above = QUIET[self.kind]
        rows, columns = self.modules.shape
        return columns + left + right, rows + 2 * above


@dataclass(frozen=True)
class SymbolPlace:
    """A code in its box: the side of a module, and the height of bars, mm; `dots`, how many of the printer a module
    has."""

    module_mm: float
    height_mm: float
    dots: int


@lru_cache(maxsize=2048)
def symbol(kind: CodeKind, content: str, level: str = "") -> Symbol:
    """The code of `content`; `level`: how much of it may be lost and is read all the same (L, M, Q, H of QR; shares of
    Aztec and PDF417). GS1 codes are written with their identifiers in brackets. Raises CannotSay."""
    if not content:
        raise CannotSay("there is nothing to put into the code")
    if len(content) > MOST_CHARACTERS:
        raise CannotSay(f"{len(content)} characters are too many for a code")
    if kind in GS1:
        refuse_wrong(content)
    _refuse(kind, content)
    more = {"gs1": True} if kind in GS1 else {}
    if level and kind in ("qr", "aztec", "pdf417"):
        more["ec_level"] = level  # type: ignore[assignment]
    try:
        made = zxingcpp.create_barcode(content.upper() if kind == "upc-e" else content, FORMATS[kind], **more)
        image = np.array(made.to_image(scale=1, add_quiet_zones=False))
    except (ValueError, RuntimeError) as error:
        raise CannotSay(f"“{content[:60]}” cannot be {named(kind)}: {_reason(error)}") from None
    modules = np.asarray(image < 128)
    return Symbol(kind, modules[:1] if kind in BARS else modules, made.text)


def named(kind: CodeKind) -> str:
    """The kind as people write it."""
    whole = {"qr": "QR code", "pdf417": "PDF417", "itf-14": "ITF-14", "code 39": "Code 39", "code 128": "Code 128",
             "data matrix": "Data Matrix", "gs1 data matrix": "GS1 Data Matrix", "aztec": "Aztec code"}  # fmt: skip
    return whole.get(kind, kind.upper())


def _refuse(kind: CodeKind, content: str) -> None:
    """What the writer would quietly change."""
    if kind == "code 39" and not _CODE_39.fullmatch(content):
        raise CannotSay(f"“{content[:60]}” cannot be Code 39, which knows capital letters, digits and - . $ / + %")
    if kind in _DIGITS:
        most = _DIGITS[kind]
        if not content.isascii() or not content.isdigit():
            raise CannotSay(f"“{content[:60]}” cannot be {named(kind)}, which is made of digits")
        if len(content) not in (most, most - 1) and not (kind == "upc-e" and len(content) == 6):
            raise CannotSay(f"“{content[:60]}” has {len(content)} digits; {named(kind)} has {most}, the last a check")
    if kind in ("code 128", "gs1-128") and not all(ord(one) < 256 for one in content):
        raise CannotSay(f"“{content[:60]}” has characters that {named(kind)} does not know")
    if kind == "itf-14" and len(content) == 14 and mod_10(content[:13]) != content[13]:
        raise CannotSay(f"“{content}” has the check digit {content[13]} where {mod_10(content[:13])} belongs")


def _reason(error: Exception) -> str:
    text = re.sub(r"^Error \d+: |\s*\(retval: \d+\)$", "", str(error)).strip()
    return text[:160] or "its content does not fit"


def content_of(kind: CodeKind, content: str) -> str:
    """What is encoded: ITF-14 gets its check digit where it has none."""
    if kind == "itf-14" and len(content) == 13 and content.isdigit():
        return content + mod_10(content)
    return content


def placed(made: Symbol, width_mm: float, height_mm: float, dpi: float) -> SymbolPlace:
    """As large as a box allows, modules in whole dots of a printer of `dpi`. Raises CannotSay when a module would be no
    dot wide."""
    across, up = made.size
    dot = MM_PER_INCH / dpi
    room = width_mm / across if made.kind in BARS else min(width_mm / across, height_mm / up)
    dots = math.floor(room / dot + 1e-6)
    if dots < 1:
        raise CannotSay(f"the code has {across} modules, too many for {width_mm:.1f} mm at {dpi:.0f} dots an inch")
    module = dots * dot
    return SymbolPlace(module, height_mm if made.kind in BARS else made.modules.shape[0] * module, dots)
