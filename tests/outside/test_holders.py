"""The drawing of a holder for blanks, read by ezdxf, PDFium and svgelements, and taken in as art here."""

from io import StringIO

import ezdxf
import pypdfium2 as pdfium
import pytest
from ezdxf import bbox
from svgelements import SVG
from svgelements import Path as SvgPath

from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.cutting.holders import Holder, holder_drawing
from etiquette.core.planning.bed_plans import Place

HOLDER = Holder(300.0, 200.0, (Place(20, 30, 90, 60), Place(150, 30, 80, 80, shape="ellipse")), play_mm=0.5)
THROUGH = sorted([(0, 0, 300, 200), (19.5, 29.5, 110.5, 90.5), (149.5, 29.5, 230.5, 110.5)])
"""The edge, and the openings half a millimetre wider on every side; y up from the near edge."""


def boxes(found: list[tuple[float, ...]]) -> list[object]:
    return [pytest.approx(one, abs=0.02) for one in sorted(found)]


def test_the_dxf_has_openings_and_edge_on_one_layer_and_numbers_on_another() -> None:
    drawing = ezdxf.read(StringIO(holder_drawing(HOLDER, "dxf").decode()))  # type: ignore[attr-defined]
    layers: dict[str, list[tuple[float, ...]]] = {}
    for shape in drawing.modelspace():
        extent = bbox.extents([shape])  # arcs as they bulge
        layers.setdefault(shape.dxf.layer, []).append((*extent.extmin.vec2, *extent.extmax.vec2))
    through = next(found for name, found in layers.items() if "through" in name.lower())
    assert boxes(through) == THROUGH
    (numbers,) = [found for found in layers.values() if found is not through]
    # each number stands in its own opening
    homes = [next(n for n, (x0, _, x1, _) in enumerate(THROUGH[1:]) if x0 < a and c < x1) for a, _, c, _ in numbers]
    assert set(homes) == {0, 1}


def test_the_pdf_is_as_large_as_the_holder() -> None:
    (page,) = pdfium.PdfDocument(holder_drawing(HOLDER, "pdf"))
    assert [size / 72 * 25.4 for size in page.get_size()] == pytest.approx([300, 200], abs=0.01)


def test_the_svg_is_in_true_size_and_its_lines_are_found_when_it_is_taken_in() -> None:
    content = holder_drawing(HOLDER, "svg")
    # svgelements counts 96 pixels an inch
    read = SVG.parse(StringIO(content.decode()), ppi=96)
    found = []
    for one in read.elements():
        if isinstance(one, SvgPath) and one.values.get("data-kind") == "through":
            x0, y0, x1, y1 = (value / 96 * 25.4 for value in one.bbox())
            found.append((x0, 200 - y1, x1, 200 - y0))
    assert boxes(found) == THROUGH
    page = SvgArt(content, "holder.svg").page()
    caught = sort_paths(page.paths, DEFAULT_RULES).caught
    assert sum(one.kind == "through" for one in caught) == 3
    assert {one.kind for one in caught} == {"through", "pen"}
