"""Drawings that say nothing of their size, or give it as a share of a window, against the page that librsvg makes of
them by itself (source: librsvg 2, as Debian packages it)."""

from pathlib import Path

import pytest
import shapely

from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import painted_area
from etiquette.files.vectors import read_areas
from etiquette.sandbox.art import separate
from tests.pages import by_librsvg

RECT = b'<rect x="-10" y="30" width="200" height="80" fill="#08f"'


@pytest.mark.parametrize("size", [b"", b'width="100%" height="100%"', b'width="50%" height="300"'])
@pytest.mark.parametrize("shape", [RECT + b"/>", RECT + b' stroke="#f00" stroke-width="12"/>'])
def test_a_drawing_without_a_size_is_as_large_as_what_it_paints(size: bytes, shape: bytes, tmp_path: Path) -> None:
    """librsvg makes the page so large and cuts off what lies beside it; here all of it is shown, in paths and page."""
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" ' + size + b">" + shape + b"</svg>"
    drawn = read_page(open_pdf(by_librsvg(svg, "pdf", tmp_path, 96, ground="none"), "a"), 0, "a")
    width, height, known = SvgArt(svg, "a").size()
    assert not known and (width, height) == pytest.approx((drawn.width_mm, drawn.height_mm), abs=0.3)
    for areas in (painted_area(SvgArt(svg, "a").page()), read_areas(separate(svg, "a.svg", {}).areas)):
        assert shapely.union_all(areas).area == pytest.approx(width * height, rel=1e-4)


def test_what_only_drawing_tells_gets_a_page_that_both_agree_on(tmp_path: Path) -> None:
    """Words have no size before they are set."""
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="100%"><text x="10" y="50">Hi</text></svg>'
    art = SvgArt(svg, "a")
    drawn = read_page(open_pdf(by_librsvg(art.content(), "pdf", tmp_path, 96), "a"), 0, "a")
    assert art.size()[:2] == pytest.approx((drawn.width_mm, drawn.height_mm), abs=0.1)


def test_lengths_in_em_are_drawn_where_they_are_read(tmp_path: Path) -> None:
    """Nobody said how large type is: 16 pixels, as browsers have it (CSS Fonts 4, 2.5), in the print as in the line; a
    size that the drawing says stays."""
    for head, em in ((b"", 16.0), (b' font-size="10px"', 10.0), (b' style="font-size:20px"', 20.0)):
        svg = (
            b'<svg xmlns="http://www.w3.org/2000/svg" width="200px" height="100px" viewBox="0 0 200 100"' + head + b">"
            b'<rect x="1em" y="10" width="3em" height="20"/></svg>'
        )
        wanted = [em, 4 * em]
        for areas in (painted_area(SvgArt(svg, "a").page()), read_areas(separate(svg, "a.svg", {}).areas)):
            left, _, right, _ = shapely.union_all(areas).bounds
            assert [left * 96 / 25.4, right * 96 / 25.4] == pytest.approx(wanted, abs=0.05)
