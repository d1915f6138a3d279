"""Which family the text of an SVG asks for, beside what Chromium computes of it; and which it gets, beside what poppler
reads in the PDF that librsvg draws (sources: Chromium, poppler and librsvg 2, as Debian packages them)."""

import re
import subprocess
from pathlib import Path

import pytest
from lxml import etree
from playwright.sync_api import Browser

from etiquette.core.artwork.svg_fonts import GENERIC, families_asked
from etiquette.sandbox.art import separate

UNTOLD = "times new roman"
"""What Chromium takes where nothing is asked."""
DRAWINGS = {
    "an attribute": '<text font-family="Quill, Thorn">a</text>',
    "what it stands in": '<g font-family="Quill"><g fill="red"><text>a</text></g></g>',
    "a part in another": '<text font-family="Quill">a<tspan style="font-family: Thorn">b</tspan>c</text>',
    "only the part has words": '<text font-family="Thorn"><tspan font-family="Quill">b</tspan></text>',
    "words after a part": '<text font-family="Thorn"><tspan font-family="serif">b</tspan> c</text>',
    "two words, in marks and not": "<text font-family=\"'Quill  F'\">a</text><text font-family='Thorn  B'>b</text>",
    "a class over an attribute": '<style>.q { font-family: Quill }</style><text class="p q" font-family="No">a</text>',
    "an id over a class": "<style>#q{font-family:Quill} .q{font-family:No}</style><text id='q' class='q'>a</text>",
    "the later of two": "<style>text{font-family:No} text{font-family:Quill}</style><text>a</text>",
    "its own style over a rule": '<style>text{font-family:No}</style><text style="font-family:Quill">a</text>',
    "important over all": "<style>text{font-family:Quill !important}</style><text style='font-family:No'>a</text>",
    "a child of a child": "<style>g > text, rect + text { font-family: Quill }</style><g><rect/><text>a</text></g>",
    "the shorthand": '<text style="font: italic bold 12px/30px Quill, serif">a</text>',
    "the shorthand in words": "<style>text { font: small-caps x-large 'Quill F' }</style><text>a</text>",
    "the shorthand, then more": '<text style="font: 12px No; font-family: Quill">a</text>',
    "a shorthand that is none": '<text font-family="Quill" style="font: bold">a</text>',
    "any will do": '<text font-family="sans-serif">a</text><text font-family="Monospace, No">b</text><text>c</text>',
    "taken back": '<g font-family="No"><text font-family="initial">a</text></g>',
    "as above": '<g font-family="Quill"><text font-family="inherit">a</text></g>',
    "as above, over a rule": "<style>a{font:9px Quill}text{font:9px No}b,text{font:unset}</style><a><text>a</text></a>",
    "switched off": '<g style="display:none"><text font-family="No">a</text></g>',
    "switched off itself": '<text font-family="No" display="none">b</text>',
    "a part switched off": '<text font-family="Quill">a<tspan display="none" font-family="No">b</tspan></text>',
    "nothing in it": '<text font-family="No"> </text><text font-family="No"/>',
    "a title in it": '<text font-family="Quill">a<title font-family="No">b</title></text>',
    "a rule that cannot be read": "<style>text::: {font-family:No} text {font-family:Quill}</style><text>a</text>",
    "rules that end early": "<style>| {} :lang() {} text {font-family:Quill}</style><text>a</text>",
    "the first letter": "<style>text::first-letter { font-family: No }</style><text font-family='Quill'>a</text>",
}
COMPUTED = """() => [...document.querySelectorAll('svg text, svg text *')].filter((one) => {
  if (['title', 'desc'].includes(one.localName)) return false;
  for (let above = one; above; above = above.parentElement)
    if (getComputedStyle(above).display === 'none') return false;
  return [...one.childNodes].some((part) => part.nodeType === 3 && part.data.trim());
}).map((one) => getComputedStyle(one).fontFamily)"""


def drawing(inside: str) -> str:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">{inside}</svg>'


def in_particular(families: str) -> str:
    """The first of what a browser computes; empty: any will do."""
    first = re.match(r'\s*("(.*?)"|[^,]*)', families)
    assert first
    plain = (first[2] or first[1]).strip().lower()
    return "" if plain == UNTOLD or (not first[2] and plain in GENERIC) else plain


def test_the_family_asked_for_first_is_the_one_that_a_browser_computes(browser: Browser) -> None:
    page = browser.new_page()
    try:
        for name, inside in DRAWINGS.items():
            page.set_content(drawing(inside))
            computed = {in_particular(families) for families in page.evaluate(COMPUTED)} - {""}
            assert {family.lower() for family in families_asked(etree.fromstring(drawing(inside)))} == computed, name
            assert computed <= {"quill", "thorn", "quill f", "quill  f", "thorn b"}, name
    finally:
        page.close()


def test_what_no_use_shows_asks_for_nothing() -> None:
    """SVG 2, 5.4: what stands in `defs` is drawn where it is used, or as a pattern, mask or clip of another thing."""
    held = '<defs><text font-family="No">a</text><mask><text font-family="Quillfeather">b</text></mask></defs>'
    assert families_asked(etree.fromstring(drawing(held))) == {"Quillfeather"}


@pytest.mark.parametrize(
    ("family", "drawn", "lacking"),
    [
        ("DejaVu Sans", "DejaVuSans", ()),
        ("dejavusans", "DejaVuSans", ()),  # names are alike whatever their case and blanks
        ("'Noto Sans', Quillfeather", "NotoSans", ()),
        ("sans-serif", "", ()),
        ("Quillfeather, 'DejaVu Sans'", "DejaVuSans", ("Quillfeather",)),
        ("'Quillfeather Bold'", "", ("Quillfeather Bold",)),
        # no name without marks: librsvg passes the whole list over
        ("Thornback 55, 'Noto Sans'", "", ("Thornback 55",)),
    ],
)
def test_text_that_is_drawn_in_another_font_is_told(
    family: str, drawn: str, lacking: tuple[str, ...], tmp_path: Path
) -> None:
    words = f'<rect width="5" height="5"/><text x="10" y="20" font-size="8" font-family="{family}">words</text>'
    apart = separate(drawing(words).encode(), "words.svg", {})
    assert apart.fonts_lacking == lacking
    (tmp_path / "words.pdf").write_bytes(apart.pdf)
    listed = subprocess.run(["pdffonts", tmp_path / "words.pdf"], capture_output=True, text=True, check=True).stdout
    (font,) = listed.splitlines()[2:]
    assert drawn in font and "Quillfeather" not in font and "Thornback" not in font
    assert separate(apart.pdf, "words.pdf", {}).fonts_lacking == lacking  # what is printed says it too
