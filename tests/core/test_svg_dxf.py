"""SVG and DXF in their particulars, each value worked by hand."""

from io import BytesIO, StringIO

import ezdxf
import numpy as np
import pikepdf
import pytest
import shapely

from etiquette.core.artwork.dxf_reader import drawing_pdf, read_dxf
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import Ink, PaintedPath, VectorPage, painted_area, path_area
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path, path_length


def svg(body: str, size: str = 'width="100mm" height="100mm" viewBox="0 0 100 100"') -> SvgArt:
    return SvgArt(
        '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
        f"{size}>{body}</svg>".encode(),
        "a.svg",
    )


def bounds(path: PaintedPath) -> tuple[float, ...]:
    points = np.vstack([one.flatten(0.01) for one in path.paths])
    return tuple(float(v) for v in (*points.min(axis=0), *points.max(axis=0)))


@pytest.mark.parametrize(
    ("transform", "expected"),
    [
        ("translate(10 20)", (10, 70, 20, 80)),
        ("scale(2)", (0, 80, 20, 100)),
        ("rotate(90)", (-10, 90, 0, 100)),
        ("matrix(1 0 0 -1 0 30)", (0, 70, 10, 80)),
        ("translate(50 50) scale(3 1) translate(-5 -5)", (35, 45, 65, 55)),
        ("skewX(45)", (0, 90, 20, 100)),
    ],
)
def test_transforms_are_applied_in_their_order(transform: str, expected: tuple[float, ...]) -> None:
    """A square of 10 mm at the upper left of 100 mm; y points up in the result."""
    (path,) = svg(f'<g transform="{transform}"><rect width="10" height="10"/></g>').page().paths
    assert bounds(path) == pytest.approx(expected, abs=0.01)


def test_shapes_of_every_kind_have_their_size() -> None:
    body = (
        '<circle cx="20" cy="20" r="10"/><ellipse cx="50" cy="20" rx="10" ry="5"/><line x1="0" y1="50" x2="30" '
        'y2="50" stroke="red"/>'
        '<polyline points="0,60 10,60 10,70" fill="none" stroke="red"/><polygon points="0,80 10,80 10,90"/><rect '
        'x="40" y="60" width="20" height="10" rx="2"/>'
    )
    circle, ellipse, line, polyline, polygon, rounded = svg(body).page().paths
    assert bounds(circle) == pytest.approx((10, 70, 30, 90), abs=0.01)
    assert path_length(circle.paths[0]) == pytest.approx(2 * np.pi * 10, rel=1e-3)
    assert bounds(ellipse) == pytest.approx((40, 75, 60, 85), abs=0.01)
    assert not line.paths[0].closed and path_length(line.paths[0]) == pytest.approx(30)
    assert not polyline.paths[0].closed and path_length(polyline.paths[0]) == pytest.approx(20)
    assert polygon.paths[0].closed
    assert shapely.Polygon(rounded.paths[0].flatten(0.001)).area == pytest.approx(200 - (4 - np.pi) * 4, rel=1e-3)


def test_arcs_and_quadratic_curves_are_followed() -> None:
    (arc,) = svg('<path d="M10 50A20 20 0 0 1 50 50Z"/>').page().paths
    assert shapely.Polygon(arc.paths[0].flatten(0.001)).area == pytest.approx(np.pi * 200, rel=2e-3)
    (quadratic,) = svg('<path d="M0 0Q50 100 100 0" fill="none" stroke="red"/>').page().paths
    # the parabola's vertex lies half way to the control point
    assert quadratic.paths[0].flatten(0.001)[:, 1].min() == pytest.approx(50, abs=0.05)


@pytest.mark.parametrize(
    "shape",
    [
        '<circle cx="60" cy="40" r="80"/>',
        '<path d="M60 40m-80 0a80 80 0 1 1 160 0a80 80 0 1 1 -160 0z"/>',
        '<ellipse cx="15" cy="40" rx="20" ry="80" transform="translate(60) scale(4 1) translate(-15)"/>',
    ],
)
def test_a_circle_that_is_skewed_is_the_ellipse_it_becomes(shape: str) -> None:
    """Each point, taken back, lies on the circle: SVG 1.1, 7.5, a point (x, y) becomes (ax + cy + e, bx + dy + f)."""
    (path,) = svg(f'<g transform="matrix(.21 -.04 .047 .18 40 30)">{shape}</g>').page().paths
    there = path.paths[0].flatten(0.001) * (1, -1) + (0, 100) - (40, 30)
    back = there @ np.linalg.inv([[0.21, -0.04], [0.047, 0.18]])
    assert np.hypot(*(back - (60, 40)).T) == pytest.approx(80, rel=1e-3)


def test_a_stroke_in_a_stretched_group_is_as_wide_as_its_direction_has_it() -> None:
    body = '<path d="M5 20h10"/><path d="M10 40v20"/>'
    across, up = svg(f'<g transform="scale(4 1)" stroke="red" stroke-width="2">{body}</g>').page().paths
    assert path_area(across).area == pytest.approx(10 * 4 * 2, rel=1e-4)
    assert path_area(up).area == pytest.approx(20 * 2 * 4, rel=1e-4)


def test_paint_comes_from_attributes_styles_classes_and_ancestors() -> None:
    body = (
        "<style>.a { fill: #00ff00 } .b { fill: none; stroke: #0000ff; stroke-width: 3 }</style>"
        '<rect class="a" width="9" height="9"/><rect class="b" width="9" height="9"/>'
        '<g fill="#ff00ff" stroke="#112233" stroke-width="0.5"><rect width="9" height="9"/><rect width="9" '
        'height="9" style="fill:none"/></g>'
        '<rect width="9" height="9" fill="none"/><rect width="9" height="9" display="none"/>'
    )
    a, b, both, stroked = svg(body).page().paths
    assert a.fill == Ink("#00ff00") and a.stroke is None
    assert b.fill is None and b.stroke == Ink("#0000ff") and b.stroke_mm == pytest.approx(3, rel=1e-3)
    assert (
        both.fill == Ink("#ff00ff") and both.stroke == Ink("#112233") and both.stroke_mm == pytest.approx(0.5, rel=1e-3)
    )
    assert stroked.fill is None and stroked.stroke == Ink("#112233")


def test_each_use_is_a_shape_of_its_own_in_its_own_group() -> None:
    body = (
        '<defs><path id="tick" d="M0 0H10V10H0Z"/></defs><g id="Art"><use xlink:href="#tick" x="10" y="10"/></g>'
        '<g id="Cut"><use href="#tick" transform="translate(50 50)"/></g>'
    )
    art = svg(body)
    page = art.page()
    shown = {path.layers[0]: path for path in page.paths}
    assert bounds(shown["Art"]) == pytest.approx((10, 80, 20, 90), abs=0.01)
    assert bounds(shown["Cut"]) == pytest.approx((50, 40, 60, 50), abs=0.01)
    left = SvgArt(art.without({shown["Cut"].number: "all"}), "a.svg").page()
    assert [path.layers[0] for path in left.paths] == ["Art"]


def test_a_fill_rule_of_even_odd_leaves_the_hole() -> None:
    rings = '<path d="M0 0H40V40H0Z M10 10H30V30H10Z" fill-rule="{rule}"/>'
    for rule, area in (("evenodd", 1600 - 400), ("nonzero", 1600)):
        page = svg(rings.format(rule=rule)).page()
        assert sum(one.area for one in painted_area(page)) == pytest.approx(area, rel=1e-3)


def drawing(build: object, version: str = "R2010") -> bytes:
    document = ezdxf.new(version)
    document.units = 4
    build(document, document.modelspace())  # type: ignore[operator]
    out = StringIO()
    document.write(out)
    return out.getvalue().encode()


def test_entities_of_every_kind_have_their_length() -> None:
    def build(document: object, space: object) -> None:
        space.add_line((0, 0), (30, 40))  # type: ignore[attr-defined]
        space.add_circle((50, 50), 10)  # type: ignore[attr-defined]
        space.add_arc((100, 50), 10, 0, 90)  # type: ignore[attr-defined]
        space.add_ellipse((150, 50), (20, 0), 0.5)  # type: ignore[attr-defined]
        space.add_lwpolyline([(0, 100), (30, 100), (30, 130)])  # type: ignore[attr-defined]

    line, circle, arc, ellipse, polyline = read_dxf(drawing(build), "a.dxf").paths
    assert path_length(line.paths[0]) == pytest.approx(50)
    assert path_length(circle.paths[0]) == pytest.approx(2 * np.pi * 10, rel=1e-3) and circle.paths[0].closed
    assert path_length(arc.paths[0]) == pytest.approx(np.pi * 5, rel=1e-3) and not arc.paths[0].closed
    # Ramanujan's first approximation for the half axes 20 and 10
    assert path_length(ellipse.paths[0]) == pytest.approx(
        np.pi * (3 * 30 - np.sqrt((3 * 20 + 10) * (20 + 3 * 10))), rel=2e-3
    )
    assert path_length(polyline.paths[0]) == pytest.approx(60)


def test_layers_give_colours_and_those_switched_off_are_left_out() -> None:
    def build(document: object, space: object) -> None:
        for name, colour in (("Red", 1), ("Paper", 7), ("Frozen", 3), ("Off", 4)):
            document.layers.add(name, color=colour)  # type: ignore[attr-defined]
        document.layers.get("Frozen").freeze()  # type: ignore[attr-defined]
        document.layers.get("Off").off()  # type: ignore[attr-defined]
        for number, name in enumerate(("Red", "Paper", "Frozen", "Off")):
            space.add_line((0, number), (9, number), dxfattribs={"layer": name})  # type: ignore[attr-defined]
        space.add_line((0, 9), (9, 9), dxfattribs={"layer": "Red", "color": 5, "lineweight": 70})  # type: ignore[attr-defined]
        space.add_line((0, 12), (9, 12), dxfattribs={"true_color": 0x336699})  # type: ignore[attr-defined]

    paths = read_dxf(drawing(build), "a.dxf").paths
    assert [path.stroke.colour for path in paths if path.stroke] == ["#ff0000", "#000000", "#0000ff", "#336699"]
    assert [path.layers[-1] for path in paths] == ["Red", "Paper", "Red", "0"]
    assert paths[2].stroke_mm == pytest.approx(0.7)


def test_what_a_drawing_holds_and_nobody_draws_is_named() -> None:
    """Text without its font, dimensions, pictures; layers that are off, by their names."""

    def build(document: object, space: object) -> None:
        document.layers.add("Off").off()  # type: ignore[attr-defined]
        space.add_circle((10, 10), 10)  # type: ignore[attr-defined]
        space.add_line((0, 0), (9, 0), dxfattribs={"layer": "Off"})  # type: ignore[attr-defined]
        space.add_text("CUT")  # type: ignore[attr-defined]
        space.add_mtext("two\\Plines")  # type: ignore[attr-defined]
        space.add_linear_dim((0, -5), (0, 0), (20, 0)).render()  # type: ignore[attr-defined]
        space.add_point((3, 3))  # type: ignore[attr-defined]
        document.blocks.new("TAG").add_circle((0, 0), 1)  # type: ignore[attr-defined]
        tag = space.add_blockref("TAG", (10, 10))  # type: ignore[attr-defined]
        tag.add_attrib("NUMBER", "12", (0, 0))

    page = read_dxf(drawing(build), "a.dxf")
    assert page.undrawn == ("1 dimension", "3 texts") and page.hidden == ("Off",)
    assert len(page.paths) == 2  # the circle and the tag's


def test_a_drawing_of_nothing_but_text_says_what_to_ask_for() -> None:
    def build(document: object, space: object) -> None:
        space.add_text("CUT")  # type: ignore[attr-defined]

    with pytest.raises(JobError, match="holds only 1 text, which cannot be drawn") as told:
        read_dxf(drawing(build), "a.dxf")
    assert "outlines" in told.value.do


def test_blocks_within_blocks_are_placed_scaled_and_turned() -> None:
    def build(document: object, space: object) -> None:
        inner = document.blocks.new("INNER")  # type: ignore[attr-defined]
        inner.add_line((0, 0), (10, 0))
        outer = document.blocks.new("OUTER")  # type: ignore[attr-defined]
        outer.add_blockref("INNER", (5, 0))
        space.add_line((0, 0), (1, 0))  # type: ignore[attr-defined]
        space.add_blockref("OUTER", (100, 50), dxfattribs={"xscale": 2, "yscale": 2, "rotation": 90})  # type: ignore[attr-defined]

    _, placed = read_dxf(drawing(build), "a.dxf").paths
    assert bounds(placed) == pytest.approx((100, 60, 100, 80), abs=0.01)
    assert {"OUTER", "INNER"} <= set(placed.layers)


def test_a_drawing_as_a_page_is_as_large_and_drawn_in_its_colours() -> None:
    def build(document: object, space: object) -> None:
        space.add_circle((10, 10), 10, dxfattribs={"color": 1})  # type: ignore[attr-defined]
        space.add_line((0, 0), (40, 30), dxfattribs={"color": 5})  # type: ignore[attr-defined]

    page = read_dxf(drawing(build), "a.dxf")
    back = read_page(open_pdf(drawing_pdf(page), "a.pdf"), 0, "a.pdf")
    assert (back.width_mm, back.height_mm) == pytest.approx((40, 30), abs=0.01)
    assert [path.stroke for path in back.paths] == [Ink("#ff0000"), Ink("#0000ff")]
    assert bounds(back.paths[0]) == pytest.approx((0, 0, 20, 20), abs=0.01)
    with pikepdf.open(BytesIO(drawing_pdf(page))) as pdf:
        assert not any(isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image" for one in pdf.objects)


ENTITIES = (
    '<?xml version="1.0" encoding="iso-8859-1"?>\n<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.0//EN" "svg10.dtd" [\n'
    '  <!ENTITY look "fill:#CC0000;font-family:\'Sans\';">\n  <!ENTITY ns "http://www.w3.org/2000/svg">\n{more}]>\n'
    '<svg xmlns="&ns;" width="40mm" height="20mm" viewBox="0 0 40 20">'
    '<g id="&quot;a&quot; &amp; b"><rect x="5" y="5" width="10" height="10" style="&look;"/></g></svg>'
)


def test_entities_that_are_plain_words_are_written_out() -> None:
    """XML 1.0, 4.2.1 and 4.4: as drawing programs of former years keep styles and name spaces."""
    (path,) = SvgArt(ENTITIES.format(more="").encode("latin-1"), "old.svg").page().paths
    assert path.fill is not None and path.fill.colour == "#cc0000" and path.layers == ('"a" & b',)
    (plain,) = SvgArt(ENTITIES.format(more="<!ENTITY unused 'x'>").encode("latin-1"), "old.svg").page().paths
    assert plain.fill == path.fill


@pytest.mark.parametrize(
    "more",
    [
        '<!ENTITY big "&look;&look;">',  # names another
        '<!ENTITY tag "<rect/>">',
        '<!ENTITY file SYSTEM "file:///etc/hostname">',
        '<!ENTITY % part "x">',
    ],
)
def test_other_entities_are_refused_as_before(more: str) -> None:
    with pytest.raises(JobError, match="entities"):
        SvgArt(ENTITIES.format(more=more).encode("latin-1"), "old.svg")


def test_what_hangs_off_the_page_is_no_art() -> None:
    """A disc of 20 mm about the lower left corner of a page: a quarter of it is printed."""
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50">'
    svg += b'<circle cx="0" cy="50" r="20"/></svg>'
    (area,) = painted_area(SvgArt(svg, "corner.svg").page())
    assert area.area == pytest.approx(np.pi * 400 / 4, rel=1e-3) and area.bounds == pytest.approx((0, 0, 20, 20))


@pytest.mark.parametrize(("told", "pixels"), [("2em", 32), ("2rem", 32), ("3ex", 24), ("4ch", 32), ("10px", 10)])
def test_lengths_in_letters_are_pixels(told: str, pixels: float) -> None:
    """CSS Values 3, 5.1.1, with letters of 16 pixels; and of 20 where the drawing says so."""
    for size, share in (("", 1.0), ('font-size="20"', 20 / 16), ('style="font-size: 20px"', 20 / 16)):
        sheet = f'<svg xmlns="http://www.w3.org/2000/svg" width="96" height="96" {size}>'
        (path,) = SvgArt(f'{sheet}<rect width="{told}" height="9"/></svg>'.encode(), "a.svg").page().paths
        wide = np.ptp(path.paths[0].flatten()[:, 0]) * 96 / 25.4
        assert wide == pytest.approx(pixels if told.endswith("px") else pixels * share, rel=1e-3)


def test_a_clip_that_crosses_itself_is_put_right() -> None:
    """A bow tie of two triangles of 10 × 10 / 2 each, and a page of pictures that are turned inside out."""
    tie = shapely.Polygon([(0, 0), (20, 20), (20, 0), (0, 20)])
    whole = Path.from_points([(0, 0), (40, 0), (40, 40), (0, 40)])
    page = VectorPage(40, 40, True, (PaintedPath(0, (whole,), Ink("#00f"), None, clip=tie),), (tie,))
    assert sum(area.area for area in painted_area(page)) == pytest.approx(2 * 20 * 10 / 2, rel=1e-6)
