"""Codes of rows: patterns by the tables of their standards, and read from rendered pages by zxing-cpp and dmtxread."""

import subprocess
from datetime import date
from io import BytesIO
from pathlib import Path
from random import Random
from typing import Any

import numpy as np
import pypdfium2 as pdfium
import pytest
import zxingcpp
from PIL import Image, ImageFilter
from shapely import box

from etiquette.core.artwork.raster import Picture
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path as Line
from etiquette.core.printing.art_forms import PictureArt
from etiquette.core.production.filled_pages import FilledPages
from etiquette.core.production.frames import FrameDesign, frame_design
from etiquette.core.variable.codes import QUIET, CodeKind, symbol
from etiquette.core.variable.fields import Box, CodeField, FieldSet
from etiquette.core.variable.filling import Filling
from etiquette.core.variable.fonts import FontShelf

L_SET = ["0001101", "0011001", "0010011", "0111101", "0100011", "0110001", "0101111", "0111011", "0110111", "0001011"]
PARITY = ["LLLLLL", "LLGLGG", "LLGGLG", "LLGGGL", "LGLLGG", "LGGLLG", "LGGGLL", "LGLGLG", "LGLGGL", "LGGLGL"]


def ean_13(digits: str) -> str:
    """The modules by the tables of ISO/IEC 15420 (number sets A, B and C; from memory)."""

    def r(digit: str) -> str:
        return "".join("1" if one == "0" else "0" for one in L_SET[int(digit)])

    left = "".join(
        L_SET[int(digit)] if way == "L" else r(digit)[::-1]
        for digit, way in zip(digits[1:7], PARITY[int(digits[0])], strict=True)
    )
    return "101" + left + "01010" + "".join(r(digit) for digit in digits[7:]) + "101"


@pytest.mark.parametrize("digits", ["2112345678900", "6291041500213", "9501101530003", "5901234123457"])
def test_ean_13_by_the_tables_of_its_standard(digits: str) -> None:
    (row,) = symbol("ean-13", digits).modules
    assert "".join("1" if one else "0" for one in row) == ean_13(digits)
    assert symbol("ean-13", digits[:12]).text == digits  # its check digit is put behind twelve


def test_code_128_sums_to_103_by_its_own_table() -> None:
    """ISO/IEC 15417: the check symbol of start B, “A” (33) and “B” (34) is (104 + 33 + 2·34) mod 103 = 102; its
    pattern, as those of start, A and B, from memory."""
    (row,) = symbol("code 128", "AB").modules
    bars = "".join("1" if one else "0" for one in row)
    start_b, a, b, sum_102, stop = "11010010000", "10100011000", "10001011000", "11110101110", "1100011101011"
    assert bars == start_b + a + b + sum_102 + stop


CASES: list[tuple[CodeKind, list[str]]] = [
    ("code 128", ["Kite-0042", "12345678", "aB9 /x"]),
    ("gs1-128", ["(01)09501101530003(17)261231(10)AB-12", "(00)095011015300000010"]),
    ("ean-13", ["2112345678900"]),
    ("ean-8", ["96385074"]),
    ("upc-a", ["036000291452"]),
    ("itf-14", ["15400141288763"]),
    ("code 39", ["KITE-42"]),
    ("data matrix", ["E00000013", "Grüße, 東京"]),
    ("gs1 data matrix", ["(01)09501101530003(21)K7(10)L"]),
    ("qr", ["https://label.example/7?x=Ä"]),
    ("pdf417", ["Lot 7, row 12"]),
    ("aztec", ["Lot 7, row 12"]),
]
SIZE = (120.0, 60.0)


def design() -> FrameDesign:
    art = Picture(np.full((60, 120, 4), (238, 232, 214, 255), dtype=np.uint8), None)
    outline = box(0, 0, *SIZE)
    line = FinishLine("through", Line.from_points(np.asarray(outline.exterior.coords)[:-1]))
    return frame_design(PictureArt(art, *SIZE, outline), [line], outline, {}, 0.0)


def pages_of(field: CodeField, contents: list[str], dpi: float = 300) -> bytes:
    filling = Filling(FieldSet((field,), dpi=dpi), ["C"], FontShelf(), date(2026, 11, 29))
    pages = FilledPages(design())
    for number, content in enumerate(contents, 1):
        copy = filling.filled(number, {"C": content})
        assert not copy.troubles, copy.troubles
        pages.add(copy)
    return pages.written("Codes")


def seen(pdf: bytes, dpi: float = 300) -> list[Image.Image]:
    document = pdfium.PdfDocument(pdf)
    try:
        return [page.render(scale=dpi / 72).to_pil().convert("L") for page in document]
    finally:
        document.close()


def worn(page: Image.Image, random: Random) -> Image.Image:
    """As printed and laminated: stretched by 0.3 % along one side, blurred by σ 0.7 dot, with some noise."""
    wide, high = page.size
    along = (round(wide * 1.003), high) if random.random() < 0.5 else (wide, round(high * 1.003))
    held = np.asarray(page.resize(along, Image.Resampling.BICUBIC).filter(ImageFilter.GaussianBlur(0.7)), dtype=float)
    noise = np.random.default_rng(random.randrange(1 << 30)).normal(0, 4, held.shape)
    return Image.fromarray(np.clip(held + noise, 0, 255).astype(np.uint8))


@pytest.mark.parametrize(("kind", "contents"), CASES)
def test_every_kind_is_read_from_its_page_at_300_dots_an_inch(kind: CodeKind, contents: list[str]) -> None:
    """With modules of 4 dots at least, after stretch and blur, turned and on a light ground."""
    random = Random(kind)
    turns = {"gs1-128": [0.0, 180.0], "pdf417": [0.0, 90.0]}  # it is too long; that reader finds none upside down
    turn = random.choice(turns.get(kind, [0.0, 90.0, 180.0]))
    place = Box(35, 5, 50, 50, turn) if turn == 90 else Box(2, 5, 116, 50, turn)
    field = CodeField("Code", place, "{C}", kind=kind, least_module_mm=0.25)
    for content, page in zip(contents, seen(pages_of(field, contents)), strict=True):
        found = zxingcpp.read_barcode(worn(page, random), text_mode=zxingcpp.TextMode.HRI)
        assert found is not None, content
        assert (
            found.text.removeprefix("0" if kind == "upc-a" else "") == content
        )  # UPC-A is an EAN-13 that begins with 0


def test_dmtxread_says_the_same_of_data_matrix(tmp_path: Path) -> None:
    contents = ["E00000013", "E00000021", "K-77"]
    field = CodeField("Code", Box(20, 5, 20, 20), "{C}")
    for number, page in enumerate(seen(pages_of(field, contents))):
        worn(page, Random(number)).save(tmp_path / "page.png")
        said = subprocess.run(
            ["dmtxread", "-N1", "-m8000", str(tmp_path / "page.png")], capture_output=True, text=True
        ).stdout
        assert said == contents[number]


def test_what_ink_spreads_is_taken_off_and_the_code_is_read_after_it_spread() -> None:
    """Dark modules are 0.1 mm narrower on every side; ink that spreads by as much makes them whole again."""
    plain, narrow = (CodeField("Code", Box(20, 5, 20, 20), "{C}", kind="qr", spread_mm=spread) for spread in (0.0, 0.1))
    (a,), (b,) = seen(pages_of(plain, ["Lot 7"]), 1270), seen(pages_of(narrow, ["Lot 7"]), 1270)
    dark = [np.asarray(page) < 90 for page in (a, b)]
    from scipy.ndimage import binary_dilation

    spread = binary_dilation(dark[1], np.ones((11, 11)))  # 5 dots of 0.02 mm on each side
    assert dark[1].sum() < 0.9 * dark[0].sum()
    assert (spread ^ dark[0]).mean() < 0.003
    assert zxingcpp.read_barcode(Image.fromarray(np.where(spread, 20, 230).astype(np.uint8))).text == "Lot 7"


def test_a_white_ground_reaches_past_the_quiet_zone_of_a_code_on_dark_art() -> None:
    dark = Picture(np.full((60, 120, 4), (20, 24, 60, 255), dtype=np.uint8), None)
    outline = box(0, 0, *SIZE)
    line = FinishLine("through", Line.from_points(np.asarray(outline.exterior.coords)[:-1]))
    on_dark = frame_design(PictureArt(dark, *SIZE, outline), [line], outline, {}, 0.0)
    for ground, read in ((False, None), (True, "E00000013")):
        field = CodeField("Code", Box(20, 5, 20, 20), "{C}", ground=ground)
        pages = FilledPages(on_dark)
        pages.add(Filling(FieldSet((field,)), ["C"], FontShelf(), date(2026, 1, 1)).filled(1, {"C": "E00000013"}))
        (page,) = seen(pages.written("Dark"))
        found = zxingcpp.read_barcode(page, try_invert=False)
        assert (found.text if found else None) == read


@pytest.mark.parametrize("kind", [kind for kind, _ in CASES])
def test_quiet_zones_are_left_inside_the_box(kind: Any) -> None:
    content = next(contents[0] for one, contents in CASES if one == kind)
    field = CodeField("Code", Box(2, 3, 56, 24), "{C}", kind=kind, least_module_mm=0.05)
    (page,) = seen(pages_of(field, [content], dpi=600), 600)
    dark = np.asarray(page) < 90
    columns = np.flatnonzero(dark.any(axis=0))
    made = symbol(kind, content)
    left, right, _ = QUIET[kind]
    module = (columns[-1] - columns[0] + 1) / made.modules.shape[1]
    inside = [round(value / 25.4 * 600) for value in (2, 58)]
    assert columns[0] - inside[0] >= left * module - 2
    assert inside[1] - columns[-1] >= right * module - 2


def test_a_page_a_row_is_a_file_that_readers_take_whole() -> None:
    pdf = pages_of(CodeField("Code", Box(20, 5, 20, 20), "{C}"), [f"E{number:05}" for number in range(450)])
    document = pdfium.PdfDocument(BytesIO(pdf))
    try:
        assert len(document) == 450
        page = document[449].render(scale=300 / 72).to_pil()
    finally:
        document.close()
    assert zxingcpp.read_barcode(page).text == "E00449"
