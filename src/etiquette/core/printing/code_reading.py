"""Codes that rows put on a print, read back from the very PDF that is sent."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import cos, radians, sin
from pathlib import Path

import numpy as np
import pypdfium2
import zxingcpp
from numpy.typing import NDArray

from etiquette.core.planning.problem import Placement
from etiquette.core.units import MM_PER_INCH
from etiquette.core.variable.codes import FORMATS, QUIET, CodeKind
from etiquette.core.variable.fields import Box
from etiquette.core.variable.filling import DrawnCode, FilledCopy

PIXELS_A_MODULE = 4.0
MOST_DPI = 1200.0
RETAIL = frozenset(("ean-13", "ean-8", "upc-a", "upc-e"))
BESIDE_MM = 0.5


@dataclass(frozen=True)
class CodeOnPage:
    """A code where it lies on its page: x, y, width and height in mm from the lower left; what it has to say."""

    row: int
    place: tuple[float, float, float, float]
    module_mm: float
    kind: CodeKind
    text: str
    page: int = 0


def codes_on_page(
    copies: Mapping[tuple[str, int], FilledCopy],
    placements: Sequence[Placement],
    turned_about: tuple[float, float] | None = None,
    page: int = 0,
) -> list[CodeOnPage]:
    """Every code on a page; `turned_about`: its size, where it is printed by half a turn."""
    found = []
    for one in placements:
        copy = copies.get((one.id, one.copy))
        if copy is None:
            continue
        for code in copy.drawn:
            if isinstance(code, DrawnCode):
                x0, y0, x1, y1 = _bounds(code, one)
                if turned_about:
                    wide, high = turned_about
                    x0, y0, x1, y1 = wide - x1, high - y1, wide - x0, high - y0
                place = (x0 - BESIDE_MM, y0 - BESIDE_MM, x1 - x0 + 2 * BESIDE_MM, y1 - y0 + 2 * BESIDE_MM)
                made = code.symbol
                found.append(CodeOnPage(copy.row, place, code.place.module_mm, made.kind, made.text, page))
    return found


def _bounds(code: DrawnCode, placement: Placement) -> tuple[float, float, float, float]:
    """Of the code with its quiet zone, as placed."""
    left, right, above = QUIET[code.symbol.kind]
    module = code.place.module_mm
    wide = (code.symbol.modules.shape[1] + left + right) * module
    high = code.place.height_mm + 2 * above * module
    box: Box = code.box
    own, turn = radians(box.turn_deg), radians(placement.rotation_deg)
    corners = []
    for dx, dy in ((-wide, -high), (wide, -high), (wide, high), (-wide, high)):
        x = box.x_mm + box.width_mm / 2 + (dx * cos(own) - dy * sin(own)) / 2
        y = box.y_mm + box.height_mm / 2 + (dx * sin(own) + dy * cos(own)) / 2
        corners.append((placement.x_mm + x * cos(turn) - y * sin(turn), placement.y_mm + x * sin(turn) + y * cos(turn)))
    xs, ys = zip(*corners, strict=True)
    return min(xs), min(ys), max(xs), max(ys)


def unread(pdf: Path, codes: Sequence[CodeOnPage]) -> list[int]:
    """Places in `codes` of those that are not read from their page of `pdf`, or say something else."""
    document = pypdfium2.PdfDocument(pdf)
    wrong = []
    try:
        for number, one in enumerate(codes):
            page = document[one.page]
            wide, high = page.get_size()
            dpi = min(MOST_DPI, PIXELS_A_MODULE * MM_PER_INCH / one.module_mm)
            x, y, width, height = (value * 72 / MM_PER_INCH for value in one.place)
            crop = tuple(max(0.0, value) for value in (x, y, wide - x - width, high - y - height))
            seen = page.render(scale=dpi / 72, crop=crop).to_pil().convert("L")
            found = zxingcpp.read_barcodes(np.asarray(seen), formats=FORMATS[one.kind], text_mode=zxingcpp.TextMode.HRI)
            if not any(same_code(one.kind, said.text, one.text) for said in found):
                wrong.append(number)
    finally:
        document.close()
    return wrong


def texts_in(pixels: NDArray[np.uint8]) -> list[str]:
    """What every code in a picture (rows, columns, RGBA) says, each text once."""
    found = zxingcpp.read_barcodes(np.ascontiguousarray(pixels[..., :3]), text_mode=zxingcpp.TextMode.HRI)
    return list(dict.fromkeys(one.text for one in found))


def same_code(kind: CodeKind, text: str, other: str) -> bool:
    """Whether two texts are what one code of the kind says."""
    return _said(kind, text) == _said(kind, other)


def _said(kind: CodeKind, text: str) -> str:
    """A UPC is an EAN that begins with noughts."""
    return text.lstrip("0") if kind in RETAIL else text
