"""Shapes in groups that are turned, stretched and skewed, against the areas that librsvg paints (source: librsvg 2, as
Debian packages it)."""

from pathlib import Path

import numpy as np
import pytest

from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import path_area
from tests.pages import by_librsvg

SHAPES = (
    '<circle r="14"/>',
    '<ellipse cx="3" rx="16" ry="7" transform="rotate(30)"/>',
    '<rect x="-12" y="-8" width="24" height="16" rx="5"/>',
    '<path d="M-12 0A9 14 25 1 0 8 -6A5 5 0 0 1 10 3Z"/>',
    '<path d="M-14 -4Q0 16 14 -4L3 9z"/>',
    '<path d="M-12 -9L12 9" fill="none" stroke="#000" stroke-width="4"/>',
    '<path d="M-12 6C-4 -14 4 14 12 -6" fill="none" stroke="#000" stroke-width="3" stroke-linecap="round"/>',
)


@pytest.mark.parametrize("seed", range(4))
def test_each_shape_covers_what_it_is_painted_on(seed: int, tmp_path: Path) -> None:
    random = np.random.default_rng(seed)
    groups = []
    for number, shape in enumerate(SHAPES):
        a, d = random.uniform(0.5, 1.2, 2)
        b, c = random.uniform(-0.5, 0.5, 2)
        x, y = 30 + 50 * (number % 4), 35 + 60 * (number // 4)
        groups.append(f'<g transform="translate({x} {y}) matrix({a} {b} {c} {d} 0 0)">{shape}</g>')
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="210mm" height="130mm" viewBox="0 0 210 130">'
    svg = f"{head}{''.join(groups)}</svg>".encode()
    drawn = read_page(open_pdf(by_librsvg(svg, "pdf", tmp_path, 96, ground="none"), "a"), 0, "a").paths
    read = SvgArt(svg, "a").page().paths
    assert len(drawn) == len(read) == len(SHAPES)
    for ours, theirs in zip(map(path_area, read), map(path_area, drawn), strict=True):
        assert ours.symmetric_difference(theirs).area < 0.005 * theirs.area
