"""The label of a roll: a code to scan when the roll is put on a printer, and beside it in words which roll it is."""

from collections.abc import Sequence
from io import BytesIO

import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import PdfPen
from etiquette.core.marking.codes import CODE_LENGTH, check_character, code_modules, quiet_modules
from etiquette.core.marking.slugs import slug_outlines, slug_width_mm
from etiquette.core.units import MM_PER_POINT

LABEL_MM = (80.0, 30.0)
"""Wide and high: it goes on the core or the box, and is cut from any sheet of an office printer."""
MARGIN_MM = 3.0
HEIGHTS_MM = (3.4, 2.4)
"""Capitals of the name, and of the other lines."""
STEP_MM = 4.6
_SIGN = "ROLL"


def label_payload(code: str) -> str:
    """What the label of the roll with `code` says to a scanner; longer than any frame code, so that neither is taken
    for the other."""
    return f"{_SIGN}{code}{check_character(_SIGN + code)}"


def roll_code(scanned: str) -> str | None:
    """The code of a roll in what was scanned, or typed from the label with or without its sign; None when it is no
    label of a roll, or its check character (ISO/IEC 7064, MOD 37-2) is wrong."""
    text = "".join(scanned.split()).replace("-", "").upper()
    if len(text) == CODE_LENGTH and text.isalnum() and text.isascii():
        return text
    if len(text) != len(_SIGN) + CODE_LENGTH + 1 or not text.startswith(_SIGN) or not text[:-1].isalnum():
        return None
    return text[len(_SIGN) : -1] if text.isascii() and check_character(text[:-1]) == text[-1] else None


def label_page(code: str, name: str, lines: Sequence[str]) -> bytes:
    """A PDF page of LABEL_MM at its real size: the code as QR (ISO/IEC 18004), `name`, up to three `lines`, and the
    code in letters. What is too long for the label is cut off."""
    width, height = LABEL_MM
    pen = PdfPen()
    side, modules = height - 2 * MARGIN_MM, code_modules("qr", label_payload(code))
    quiet = quiet_modules("qr")[0]
    module = side / (len(modules) + 2 * quiet)
    for row, column in zip(*modules.nonzero(), strict=True):
        x, y = MARGIN_MM + (quiet + column) * module, height - MARGIN_MM - (quiet + row + 1) * module
        Path.from_points([(x, y), (x + module, y), (x + module, y + module), (x, y + module)]).draw(pen)
    left, top = MARGIN_MM + side + 2.0, height - MARGIN_MM
    baseline = top - HEIGHTS_MM[0]
    for text, tall in zip((name, *lines[:3], code), (HEIGHTS_MM[0], *[HEIGHTS_MM[1]] * 4), strict=False):
        for path in slug_outlines(_fitted(text, width - MARGIN_MM - left, tall), left, baseline, tall):
            path.draw(pen)
        baseline -= STEP_MM
    with pikepdf.new() as pdf:
        size = [round(value / MM_PER_POINT, 4) for value in LABEL_MM]
        content = pdf.make_stream(f"0 0 0 1 k\n{pen.data}\nf*".encode())
        page = Dictionary(Type=Name.Page, MediaBox=Array([0, 0, *size]), Resources=Dictionary(), Contents=content)
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
        pdf.docinfo["/Title"] = f"Label of {name}"
        out = BytesIO()
        pdf.save(out, min_version="1.7", deterministic_id=True)
        return out.getvalue()


def _fitted(text: str, room_mm: float, height_mm: float) -> str:
    while text and slug_width_mm(text, height_mm) > room_mm:
        text = text[:-1]
    return text
