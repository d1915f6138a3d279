"""Words of rows: shaped as `hb-shape` (Debian's libharfbuzz-bin) shapes them, ordered as the package python-bidi (the
Rust crate unicode-bidi) orders them, and found again in a PDF by poppler."""

import json
import subprocess
from datetime import date
from pathlib import Path
from typing import Any

import pytest
from bidi import get_display
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.errors import JobError
from etiquette.core.production.filled_pages import fields_alone
from etiquette.core.variable.bidi import levels_of, visual_order
from etiquette.core.variable.fields import Box, FieldSet, TextField
from etiquette.core.variable.filling import Filling
from etiquette.core.variable.fonts import FOLDER, FontShelf, checked_font
from etiquette.core.variable.shaping import shaped
from etiquette.sandbox.fonts import font_of

SAMPLES = [
    ("NotoSansArabic-Regular", "Arab", "السلام"),
    ("NotoSansArabic-Regular", "Arab", "مُحَمَّد"),
    ("NotoSansDevanagari-Regular", "Deva", "क्षत्रिय"),
    ("NotoSansDevanagari-Regular", "Deva", "हिन्दी"),
    ("NotoSansThai-Regular", "Thai", "ที่นี่"),
    ("NotoSansThai-Regular", "Thai", "น้ำ"),
    ("NotoSansTamil-Regular", "Taml", "தமிழ்"),
    ("NotoSans-Regular", "Latn", "Office AVATAR"),
    ("NotoSans-Regular", "Latn", "e\u0301ra\u0308"),
]


@pytest.mark.parametrize(("file", "script", "text"), SAMPLES)
def test_glyphs_and_advances_are_those_of_hb_shape(file: str, script: str, text: str) -> None:
    line = shaped(text, FontShelf(), "Noto Sans Regular")
    (run,) = line.runs
    assert run.font.name == file
    found = [(glyph.number, round(glyph.advance * run.font.em)) for glyph in run.glyphs]
    said = subprocess.run(
        ["hb-shape", "--no-glyph-names", "--output-format=json", f"--script={script}", FOLDER / f"{file}.ttf", text],
        capture_output=True, check=True, text=True,
    )  # fmt: skip
    assert found == [(one["g"], one["ax"]) for one in json.loads(said.stdout)]
    assert not line.missing


LETTERS = "abcאבגسلام123 .,-+$%()[]"


@given(st.text(LETTERS, min_size=1, max_size=24), st.sampled_from("LR"))
def test_the_order_of_letters_is_that_of_another_implementation(text: str, base: Any) -> None:
    """UAX 9 with brackets; that package leaves mirrored characters as they are."""
    levels, _ = levels_of(text, "left to right" if base == "L" else "right to left")
    assert "".join(text[place] for place in visual_order(levels)) == get_display(text, base_dir=base)


def test_a_line_of_two_directions_by_the_words_of_the_standard() -> None:
    """UAX 9: numbers keep their order inside words from right to left; from memory."""
    levels, base = levels_of("אבג 123 דהו")
    assert base == 1
    assert "".join("אבג 123 דהו"[place] for place in visual_order(levels)) == "והד 123 גבא"


def run_fill(fields: Path, rows: Path, out: Path, *more: str, catch: bool = True) -> Any:
    return CliRunner().invoke(app, ["fill", str(fields), str(rows), "-o", str(out), *more], catch_exceptions=catch)


ROWS = [("Ann Hale", "Tern"), ("Öz Gürsel", "Knot"), ("हिन्दी", "Dunlin"), ("Zoë, the 3rd", "Ruff")]


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, Any]]:
    folder = tmp_path_factory.mktemp("fill")
    Image.new("RGB", (600, 300), (240, 236, 220)).save(folder / "tag.png", dpi=(254, 254))
    Image.new("RGB", (80, 40), (200, 30, 60)).save(folder / "red.png")
    (folder / "birds").mkdir()
    (folder / "red.png").rename(folder / "birds" / "Tern.png")
    fields = [
        {"what": "text", "name": "Name", "says": "{Name}", "x_mm": 3, "y_mm": 18, "width_mm": 40, "height_mm": 8,
         "colour": "#204060"},
        {"what": "text", "name": "No", "says": "No. {Serial}", "x_mm": 3, "y_mm": 4, "width_mm": 40, "height_mm": 6},
        {"what": "picture", "name": "Bird", "says": "{Bird}.png", "x_mm": 45, "y_mm": 5, "width_mm": 10,
         "height_mm": 10, "shown_if": "Bird == 'Tern'"},
    ]  # fmt: skip
    serial = {"name": "Serial", "start": 7, "width": 4, "check": "mod 11,10"}
    held = {"name": "Tags", "art": "tag.png", "fields": fields, "serials": [serial], "pictures": "birds"}
    (folder / "FIELDS.json").write_text(json.dumps(held))
    text = "Name\tBird\n" + "".join(f"{one}\t{two}\n" for one, two in ROWS)
    (folder / "rows.txt").write_text(text, encoding="utf-16")
    out = CliRunner().invoke(
        app, ["fill", str(folder / "FIELDS.json"), str(folder / "rows.txt"), "-o", str(folder / "out")]
    )
    assert out.exit_code == 0, out.output
    return folder, json.loads(out.output)


def test_poppler_finds_every_word_on_its_page(made: tuple[Path, dict[str, Any]]) -> None:
    folder, said = made
    assert (said["pages"], said["table"]["encoding"], said["table"]["delimiter"]) == (4, "utf-16", "\t")
    text = subprocess.run(
        ["pdftotext", str(folder / "out" / "colour.pdf"), "-"], capture_output=True, check=True, text=True
    ).stdout
    pages = text.split("\f")
    # ISO/IEC 7064 MOD 11,10 by hand of 0007: 10→10·2=20≡9 | 9+0=9→18≡7 | 7→14≡3 | 3+7=10→20≡9 | 9+x≡1 → 2
    assert "No. 00072" in pages[0]
    for (name, _), page in zip(ROWS, pages, strict=False):
        assert name in page or name == "हिन्दी"  # poppler orders vowels that stand before their letter as they are seen


def test_pages_are_whole_and_hold_what_they_show(made: tuple[Path, dict[str, Any]]) -> None:
    folder, _ = made
    pdf = folder / "out" / "colour.pdf"
    checked = subprocess.run(["qpdf", "--check", str(pdf)], capture_output=True, text=True)
    assert checked.returncode == 0, checked.stdout + checked.stderr
    fonts = subprocess.run(["pdffonts", str(pdf)], capture_output=True, check=True, text=True).stdout.splitlines()[2:]
    assert fonts
    assert all(line.split()[-5:-2] == ["yes", "yes", "yes"] for line in fonts)  # embedded, subset, with its words
    subprocess.run(["pdftoppm", "-r", "127", "-png", str(pdf), str(folder / "page")], check=True)
    first, second = (Image.open(folder / f"page-{number}.png").convert("RGB") for number in (1, 2))
    at = (round(50 / 25.4 * 127), round((30 - 10) / 25.4 * 127))  # the middle of the picture, 50 and 10 mm
    assert first.getpixel(at) == pytest.approx((200, 30, 60), abs=3)
    assert second.getpixel(at) == pytest.approx((240, 236, 220), abs=3)


def test_what_is_wrong_is_told_and_nothing_is_written(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    folder, _ = made
    bad = folder / "bad.csv"
    bad.write_text("Name,Bird\nAnn,Tern\nBo\nA name that is much too long to stand on a tag of this size at all,x\n")
    held = json.loads((folder / "FIELDS.json").read_text())
    held["fields"][2]["shown_if"] = ""
    (folder / "F2.json").write_text(json.dumps(held))
    out = run_fill(folder / "F2.json", bad, tmp_path / "o", "--check")
    told = {(one["row"], one["field"]): one["why"] for one in json.loads(out.output)["troubles"]}
    assert told[2, ""] == "It has 1 cells where the table has 2 columns."
    assert "does not fit" in told[3, "Name"]
    assert told[3, "Bird"] == "There is no picture “x.png”."
    with pytest.raises(JobError, match=r"4 rows or fields are wrong. Row 2: It has 1 cells"):
        CliRunner().invoke(
            app, ["fill", str(folder / "F2.json"), str(bad), "-o", str(tmp_path / "o")], catch_exceptions=False
        )
    assert not (tmp_path / "o").exists()
    held["leave_out"] = [2, 3]
    (folder / "F2.json").write_text(json.dumps(held))
    done = run_fill(folder / "F2.json", bad, tmp_path / "o")
    assert json.loads(done.output)["pages"] == 1


def a_font(bits: int) -> bytes:
    """A font of one letter with these licence bits (OS/2 fsType), built by fontTools."""
    builder, pen = FontBuilder(1000, isTTF=True), TTGlyphPen(None)
    pen.moveTo((0, 0))
    pen.lineTo((500, 0))
    pen.lineTo((250, 700))
    pen.closePath()
    builder.setupGlyphOrder([".notdef", "A"])
    builder.setupCharacterMap({65: "A"})
    builder.setupGlyf({".notdef": TTGlyphPen(None).glyph(), "A": pen.glyph()})
    builder.setupHorizontalMetrics({".notdef": (500, 0), "A": (600, 0)})
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": "Kite", "styleName": "Regular", "fullName": "Kite Regular"})
    builder.setupOS2(fsType=bits)
    builder.setupPost()
    from io import BytesIO

    out = BytesIO()
    builder.save(out)
    return out.getvalue()


@pytest.mark.parametrize(
    ("bits", "why"),
    [(0, ""), (4, ""), (8, ""), (2, "forbid"), (6, ""), (0x100, ""), (0x200, "bitmaps")],
)
def test_licence_bits_are_kept_to(bits: int, why: str) -> None:
    """ISO/IEC 14496-22, OS/2 fsType: 2 forbids, 4 and 8 allow printing, of several the freest holds; 0x100 no subset,
    0x200 bitmaps alone."""
    if why:
        with pytest.raises(JobError, match=why):
            checked_font(a_font(bits), "kite.ttf")
        return
    font = checked_font(a_font(bits), "kite.ttf")
    assert (font.name, font.allows_subset) == ("Kite Regular", bits != 0x100)
    line = shaped("AA", FontShelf({"Kite Regular": font}), "Kite Regular")
    assert line.width == pytest.approx(1.2)


@pytest.mark.parametrize("content", [b"", b"\0" * 900, b"ttcf" + bytes(60), b"OTTO" + b"\xff" * 400])
def test_what_is_no_font_is_a_sentence(content: bytes) -> None:
    with pytest.raises(JobError) as refused:
        font_of(content, "kite.ttf")
    assert refused.value.do


def test_a_font_cut_short_anywhere_is_refused_or_read() -> None:
    whole = a_font(0)
    for end in range(12, len(whole), 97):
        try:
            checked_font(whole[:end], "kite.ttf")
        except JobError as error:
            assert error.what.endswith(".")


@pytest.mark.parametrize(
    ("file", "kind"),
    [("opentype/urw-base35/NimbusSans-Italic.otf", "CID Type 0C"), ("truetype/dejavu/DejaVuSans.ttf", "CID TrueType")],
)
def test_strangers_fonts_of_both_kinds_are_embedded_and_read_by_poppler(file: str, kind: str, tmp_path: Path) -> None:
    """A font with PostScript outlines (Ghostscript's) and one with TrueType outlines."""
    font = font_of((Path("/usr/share/fonts") / file).read_bytes(), Path(file).name)
    field = TextField("T", Box(2, 2, 80, 12), "{A}", font=font.name, size_pt=18)
    filling = Filling(FieldSet((field,)), ["A"], FontShelf({font.name: font}), date(2026, 11, 29))
    pdf = tmp_path / "line.pdf"
    pdf.write_bytes(fields_alone((84, 16), filling.filled(1, {"A": "Office AVA ½ fj"})))
    said = subprocess.run(["pdftotext", str(pdf), "-"], capture_output=True, check=True, text=True).stdout
    assert said.strip() == "Office AVA ½ fj"
    (fonts,) = subprocess.run(["pdffonts", str(pdf)], capture_output=True, check=True, text=True).stdout.splitlines()[
        2:
    ]
    assert kind in fonts
    assert fonts.split()[-5:-2] == ["yes", "yes", "yes"]
    gs = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=nullpage", str(pdf)]
    assert subprocess.run(gs, capture_output=True, check=True, text=True).stdout == ""
