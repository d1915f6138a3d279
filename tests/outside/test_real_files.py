"""Art as programs really write it: line ends, code pages, binary DXF, missing headers, packed SVG (“Firm ground”, 24
and 26).

Sources: DXF reference (group codes, $INSUNITS, $DWGCODEPAGE) by files that ezdxf writes; RFC 1952 (gzip); SVG 1.1, 8.3
(a path without d is not drawn)."""

import gzip
from io import BytesIO, StringIO
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from ezdxf.document import Drawing
from PIL import Image

from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import VectorPage
from etiquette.files.lines_svg import read_lines
from etiquette.stations import designs, line_finding
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.shop import Shop
from tests.server.test_contracts import run
from tests.stations.shop_floor import do
from tests.vector_art import SLEEVE_SVG, box_dxf, label_pdf


def drawn(version: str = "R2000", layer: str = "Cut", units: int | None = 4) -> Drawing:
    document = ezdxf.new(version)
    if units is not None:
        document.header["$INSUNITS"] = units
    document.layers.add(layer)
    space = document.modelspace()
    space.add_lwpolyline(
        [(0, 0), (50, 0), (50, 30), (0, 30)], close=True, dxfattribs={"layer": layer}
    ) if version != "R12" else space.add_polyline2d(
        [(0, 0), (50, 0), (50, 30), (0, 30)], close=True, dxfattribs={"layer": layer}
    )
    space.add_circle((25, 15), 5, dxfattribs={"layer": layer})
    return document


def text_of(document: Drawing) -> str:
    out = StringIO()
    document.write(out)
    return out.getvalue()


def summary(page: VectorPage) -> tuple[int, float, float, bool, set[str]]:
    return (
        len(page.paths),
        round(page.width_mm, 3),
        round(page.height_mm, 3),
        page.size_known,
        {name for path in page.paths for name in path.layers},
    )


@pytest.mark.parametrize("version", ["R12", "R2000", "R2007", "R2018"])
@pytest.mark.parametrize("ends", ["\n", "\r\n", "\r\r\n"])
def test_line_ends_change_nothing(version: str, ends: str) -> None:
    text = text_of(drawn(version))
    plain = summary(read_dxf(text.encode(), "a.dxf"))
    if ends == "\r\r\n":  # twice through a program that adds them: ezdxf's repair reads it
        text = text.replace("\n", "\r\n")
        ends = "\n"
    assert summary(read_dxf(text.replace("\n", ends).encode(), "a.dxf")) == plain
    assert plain[:3] == (2, 50.0, 30.0) and plain[4] == {"Cut"}


def test_a_binary_dxf_is_read_like_its_text() -> None:
    document, out = drawn(), BytesIO()
    document.write(out, fmt="bin")  # type: ignore[arg-type]
    assert form_of(out.getvalue()) == "dxf"
    assert summary(read_dxf(out.getvalue(), "a.dxf")) == summary(read_dxf(text_of(document).encode(), "a.dxf"))


@pytest.mark.parametrize(
    ("page", "name"), [("cp1252", "Découpe"), ("cp1251", "Нож"), ("cp932", "切る"), ("cp1253", "Κοπή")]
)
def test_layer_names_in_old_code_pages(page: str, name: str) -> None:
    document = drawn("R2000", name)
    document.encoding = page
    content = text_of(document).encode(page, errors="strict")
    assert {layer for path in read_dxf(content, "a.dxf").paths for layer in path.layers} == {name}


def test_a_size_is_known_only_when_the_file_says_it() -> None:
    without_header = "0\nSECTION\n2\nENTITIES\n0\nLINE\n8\nCut\n10\n0\n20\n0\n11\n50\n21\n30\n0\nENDSEC\n0\nEOF\n"
    page = read_dxf(without_header.encode(), "a.dxf")
    assert not page.size_known and (page.width_mm, page.height_mm) == pytest.approx((50, 30))
    for units, factor, known in ((4, 1.0, True), (5, 10.0, True), (1, 25.4, True), (0, 1.0, False)):
        page = read_dxf(text_of(drawn(units=units)).encode(), "a.dxf")
        assert page.size_known is known and page.width_mm == pytest.approx(50 * factor)


def test_a_path_without_d_is_not_drawn_and_nothing_else_is_lost() -> None:
    plain = SvgArt(SLEEVE_SVG, "a.svg").page()
    for more in (
        b"<path/>",
        b'<path d=""/>',
        b'<path d="  " fill="red"/>',
        b'<g><path id="space" horiz-adv-x="300"/></g>',
    ):
        page = SvgArt(SLEEVE_SVG.replace(b"</svg>", more + b"</svg>"), "a.svg").page()
        assert [path.paths[0].start.tolist() for path in page.paths] == [
            path.paths[0].start.tolist() for path in plain.paths
        ]


def test_a_packed_svg_is_an_svg(shop: Shop) -> None:
    packed = gzip.compress(SLEEVE_SVG)
    assert form_of(packed) == "svg" and form_of(gzip.compress(b"a letter")) == "picture"
    (design,) = taking_in.take_in(shop, packed, "sleeve.svgz", None)
    assert shop.database.within(lambda session: designs.state_of(session, design)).art.form == "svg"


@pytest.mark.parametrize(
    ("name", "content", "size"),
    [("a.pdf", label_pdf(), (60, 40)), ("a.svg", SLEEVE_SVG, (60, 40)), ("a.dxf", box_dxf(), (50, 30))],
)
def test_contour_takes_vector_art_too(tmp_path: Path, name: str, content: bytes, size: tuple[float, float]) -> None:
    """What `lines` cannot find it sends to `contour`, and that goes round what is painted, with the same options."""
    (tmp_path / name).write_bytes(content)
    found = {}
    for offset in (0.0, 2.0):
        code, said = run(
            "contour", tmp_path / name, "-o", tmp_path / "l.svg", "--offset-mm", offset, "--kind", "through"
        )
        assert code == 0 and (said["width_mm"], said["height_mm"]) == pytest.approx(size, abs=0.01)
        made = read_lines((tmp_path / "l.svg").read_bytes(), "l.svg").lines
        found[offset] = np.vstack([line.path.flatten(0.05) for line in made])
    grown = np.ptp(found[2.0], axis=0) - np.ptp(found[0.0], axis=0)
    assert grown == pytest.approx([4, 4], abs=0.1)  # two millimetres on either side


def photograph() -> bytes:
    """A picture that fills its frame: no rim of one colour, no gradient."""
    small = np.random.default_rng(7).integers(0, 255, (9, 12, 3), dtype=np.uint8)
    out = BytesIO()
    Image.fromarray(small).resize((480, 360), Image.Resampling.NEAREST).save(out, "PNG", dpi=(254, 254))
    return out.getvalue()


def test_26_a_photograph_has_a_rectangle_at_once_and_any_art_can(shop: Shop, tmp_path: Path) -> None:
    (design,) = taking_in.take_in(shop, photograph(), "photo.png", None)
    do(shop, line_finding.find_lines, design_id=design)
    state = shop.database.within(lambda session: designs.state_of(session, design))
    file = designs.lines_of(shop, state)
    assert file is not None and len(file.lines) == 1
    assert file.lines[0].path.flatten(0.1).min(axis=0).tolist() == pytest.approx([0, 0], abs=1e-6)
    assert file.lines[0].path.flatten(0.1).max(axis=0).tolist() == pytest.approx([48, 36], abs=1e-6)
    (tmp_path / "p.png").write_bytes(photograph())
    code, said = run("contour", tmp_path / "p.png", "-o", tmp_path / "l.svg")
    assert code == 1 and "rectangle round the whole picture" in said["error"]["do"]
    assert run("contour", tmp_path / "p.png", "-o", tmp_path / "l.svg", "--follow", "page")[0] == 0
    (vector,) = taking_in.take_in(shop, SLEEVE_SVG, "sleeve.svg", None)
    shop.database.within(
        lambda session: editing.change(session, vector, None, "page", {"follow": "page", "offset_mm": 0.0})
    )
    do(shop, line_finding.find_lines, design_id=vector)
    found = designs.lines_of(shop, shop.database.within(lambda session: designs.state_of(session, vector)))
    assert found is not None
    sizes = [np.ptp(line.path.flatten(0.1), axis=0).round(3).tolist() for line in found.lines]
    assert [60.0, 40.0] in sizes
