"""Vector art read and sorted: places, sizes, layers, spots, and pages again without their lines."""

from io import BytesIO, StringIO

import ezdxf
import numpy as np
import pikepdf
import pytest
import shapely

from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.line_rules import DEFAULT_RULES, LineRule, sort_paths
from etiquette.core.artwork.pdf_reader import open_pdf, read_page, single_page, without
from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.artwork.vectors import Ink, PaintedPath, VectorPage, filled, painted_area, path_area
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import EdgeSettings, FinishLine, line_from_areas
from etiquette.core.finishing.more_lines import MoreLine, joined, with_more
from etiquette.core.geometry.paths import Path, path_length
from etiquette.files.vectors import read_areas, read_vectors, write_areas, write_vectors
from tests.vector_art import MM, SLEEVE_SVG, add_page, box_dxf, label_pdf, rect, saved, steps_pdf


def page_of(content: bytes) -> VectorPage:
    return read_page(open_pdf(single_page(open_pdf(content, "a.pdf"), 0), "a.pdf"), 0, "a.pdf")


def bounds(path: PaintedPath) -> tuple[float, ...]:
    points = np.vstack([one.flatten(0.01) for one in path.paths])
    return (*points.min(axis=0), *points.max(axis=0))


def test_a_page_is_read_with_forms_spots_layers_and_pictures() -> None:
    page = page_of(label_pdf())
    assert (page.width_mm, page.height_mm) == pytest.approx((60, 40))
    disc, kiss, blue, die = page.paths
    assert bounds(disc) == pytest.approx((15, 5, 45, 35), abs=0.01)
    assert disc.fill == Ink("#ff0000") and disc.stroke is None
    assert kiss.spots == ("Kiss cut",) and bounds(kiss) == pytest.approx((13, 3, 47, 37), abs=0.01)
    assert blue.fill == Ink("#0000ff") and bounds(blue) == pytest.approx((28, 18, 32, 22), abs=0.01)
    assert die.layers == ("Die cut",) and die.stroke_mm == pytest.approx(0.5 / MM)
    # the layer that is switched off is named and its box is no art
    assert page.hidden == ("Old prices",)
    (photo,) = page.images
    assert photo.bounds == pytest.approx((4, 30, 14, 35), abs=0.01)


def test_the_default_rules_sort_names_of_layers_and_spots() -> None:
    found = sort_paths(page_of(label_pdf()).paths)
    assert [(one.kind, one.removal) for one in found.caught] == [("kiss", "all"), ("through", "all")]
    assert found.suspects == ()


def test_processing_steps_in_the_file_come_before_any_rule() -> None:
    found = sort_paths(page_of(steps_pdf()).paths, rules=())
    assert [one.kind for one in found.caught] == ["through", "crease", "crease", "kiss"]
    assert all("processing step" in one.why for one in found.caught)


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("KissCut", "kiss"),
        ("kiss-cut 2", "kiss"),
        ("CUT", "through"),
        ("Stanzlinie", "through"),
        ("DÉCOUPE", "through"),
        ("Perforación", "perforation"),
        ("rillen_vorn", "crease"),
        ("Fold lines", "crease"),
        ("ritzen", "score"),
        ("Pen", "pen"),
        ("PartialCutting", "kiss"),
        ("dieline", "kiss"),
        ("Die Lines", "kiss"),
        ("cut_contour", "kiss"),
        ("contour cuts", "kiss"),
        ("Linea di taglio", "through"),
        ("cutlines", "through"),
        ("Cut Line", "through"),
        ("die cuts", "through"),
        ("Creases", "crease"),
        ("kiss-cut contour", "kiss"),
        ("through cut contour", "through"),
        ("Shortcuts", None),
        ("Penguin", None),
        ("Scored goals", None),
        ("Audience", None),
        ("Artwork", None),
    ],
)
def test_words_of_the_trade_are_whole_words(name: str, kind: str | None) -> None:
    line = Path.from_points([(0, 0), (5, 0)], closed=False)
    found = sort_paths([PaintedPath(0, (line,), None, Ink("#000000"), 2.0, layers=(name,))])
    assert [one.kind for one in found.caught] == ([kind] if kind else [])


@pytest.mark.parametrize(
    ("name", "word"),
    [
        ("Cut contour", "contour"),
        ("dielines", "contour"),
        ("Score", "score"),
        ("Kiss contour", None),
        ("Cut", None),
        ("Crease", None),
    ],
)
def test_words_that_could_mean_two_kinds_are_told_and_go_by_the_customer(name: str, word: str | None) -> None:
    line = Path.from_points([(0, 0), (5, 0)], closed=False)
    paths = [PaintedPath(0, (line,), None, Ink("#000000"), 2.0, layers=(name,))]
    (plain,), (asked,) = (
        sort_paths(paths).caught,
        sort_paths(paths, meanings={"score": "crease", "contour": "through"}).caught,
    )
    assert plain.word == asked.word == word
    assert asked.kind == {"score": "crease", "contour": "through", None: plain.kind}[word]


def test_rules_by_name_colour_and_width_in_their_order() -> None:
    box = (Path.from_points([(0, 0), (9, 0), (9, 9), (0, 9)]),)
    red_hairline = PaintedPath(0, box, Ink("#ffffff"), Ink("#fe0001"), 0.1)
    thick_red = PaintedPath(1, box, None, Ink("#ff0000"), 1.0)
    exact = PaintedPath(2, box, None, Ink("#00ff00"), 1.0, layers=("Schnitt A",))
    near_name = PaintedPath(3, box, None, Ink("#00ff00"), 1.0, layers=("Schnitt AB",))
    thin = PaintedPath(4, box, None, Ink("#00ff00"), 0.2)
    rules = (
        LineRule("pen", "name", ("Schnitt A",)),
        LineRule("kiss", "colour", ("#ff0000",)),
        LineRule("score", "width", ("0,15",)),
    )
    found = sort_paths([red_hairline, thick_red, exact, near_name, thin], rules)
    assert [(one.path.number, one.kind) for one in found.caught] == [(0, "kiss"), (1, "kiss"), (2, "pen")]
    # the filled box caught by its stroke keeps its fill; the thin green one looks like a line and is told
    assert found.caught[0].removal == "stroke" and [path.number for path in found.suspects] == [4]
    turned = sort_paths([red_hairline], tuple(reversed(rules)))
    assert turned.caught[0].kind == "score"


def test_lines_go_from_the_page_and_nothing_else_does() -> None:
    pdf = open_pdf(single_page(open_pdf(label_pdf(), "a.pdf"), 0), "a.pdf")
    caught = {one.path.number: one.removal for one in sort_paths(read_page(pdf, 0, "a.pdf").paths).caught}
    left = without(pdf, 0, "a.pdf", lambda path: caught.get(path.number, "keep"))
    assert [path.fill for path in left.paths] == [Ink("#ff0000"), Ink("#0000ff")]
    again = open_pdf(saved(pdf), "a.pdf")
    page = read_page(again, 0, "a.pdf")
    assert len(page.paths) == 2 and len(page.images) == 1 and page.hidden == ()
    text = b"".join(
        stream.read_bytes()
        for stream in again.objects
        if isinstance(stream, pikepdf.Stream) and stream.get("/Subtype") != "/Image"
    )
    assert b"0 1 0 rg" in text  # what sets a state stays, what paints in a hidden layer is gone
    again.remove_unreferenced_resources()


def test_a_form_placed_twice_loses_its_line_only_where_it_was_caught() -> None:
    pdf = pikepdf.new()
    from tests.vector_art import form, layer

    die = layer(pdf, "Cut")
    box = form(pdf, f"0.2 w {rect(0, 0, 10, 10)} S", pikepdf.Dictionary(), (-1, -1, 11, 11))
    content = f"/Box Do /OC /P BDC q 1 0 0 1 {20 * MM:.4f} 0 cm /Box Do Q EMC"
    add_page(
        pdf,
        (40, 20),
        content,
        pikepdf.Dictionary(XObject=pikepdf.Dictionary(Box=box), Properties=pikepdf.Dictionary(P=die)),
    )
    pdf.Root.OCProperties = pikepdf.Dictionary(OCGs=[die], D=pikepdf.Dictionary())
    document = open_pdf(saved(pdf), "a.pdf")
    caught = {one.path.number for one in sort_paths(read_page(document, 0, "a.pdf").paths).caught}
    assert caught == {1}
    without(document, 0, "a.pdf", lambda path: "all" if path.number in caught else "keep")
    (stays,) = read_page(open_pdf(saved(document), "a.pdf"), 0, "a.pdf").paths
    assert bounds(stays) == pytest.approx((0, 0, 10, 10), abs=0.01)


@pytest.mark.parametrize(
    ("turn", "size", "box"),
    [
        (0, (30, 20), (2, 3, 12, 8)),
        (90, (20, 30), (3, 18, 8, 28)),
        (180, (30, 20), (18, 12, 28, 17)),
        (270, (20, 30), (12, 2, 17, 12)),
    ],
)
def test_turned_pages_and_crop_boxes_are_read_as_they_are_seen(
    turn: int, size: tuple[float, float], box: tuple[float, ...]
) -> None:
    """A box 10 × 5 mm at (2, 3) of a page 30 × 20 mm cropped out of a larger one, turned clockwise as viewers do."""
    pdf = pikepdf.new()
    page = add_page(pdf, (100, 100), f"0 g {rect(52, 43, 10, 5)} f", pikepdf.Dictionary(), Rotate=turn)
    page.CropBox = [50 * MM, 40 * MM, 80 * MM, 60 * MM]
    read = page_of(saved(pdf))
    assert (read.width_mm, read.height_mm) == pytest.approx(size)
    assert bounds(read.paths[0]) == pytest.approx(box, abs=0.01)


def test_an_svg_is_read_with_transforms_styles_and_symbols() -> None:
    art = SvgArt(SLEEVE_SVG, "a.svg")
    page = art.page()
    assert (page.width_mm, page.height_mm, page.size_known) == (60, 40, True)
    by_layer = {path.layers[0] if path.layers else "": path for path in page.paths}
    assert bounds(by_layer["Kiss_cut"]) == pytest.approx((9, 9, 51, 31), abs=0.01)
    assert by_layer["Kiss_cut"].stroke == Ink("#ff00ff")
    assert by_layer["Kiss_cut"].stroke_mm == pytest.approx(0.2, abs=1e-3)
    leaf = next(path for path in page.paths if path.fill == Ink("#22aa66"))
    assert bounds(leaf) == pytest.approx((26, 16, 34, 24), abs=0.02)
    found = sort_paths(page.paths)
    assert sorted(one.kind for one in found.caught) == ["crease", "kiss"]
    assert [path.stroke for path in found.suspects] == [Ink("#ff00ff")]  # the frame without a name
    assert page.texts == 1


@pytest.mark.parametrize(
    ("size", "expected"),
    [
        ('width="60mm" height="4cm"', (60, 40, True)),
        ('width="2in" viewBox="0 0 20 10"', (50.8, 25.4, True)),
        ('width="144pt" height="72pt"', (50.8, 25.4, True)),
        ('width="96" height="48"', (25.4, 12.7, False)),
        ('width="96px" height="48px"', (25.4, 12.7, False)),
        ('viewBox="0 0 96 48"', (25.4, 12.7, False)),
        ('width="100%" height="100%" viewBox="0 0 96 48"', (25.4, 12.7, False)),
    ],
)
def test_the_size_of_an_svg_is_known_only_in_real_units(size: str, expected: tuple[float, float, bool]) -> None:
    art = SvgArt(f'<svg xmlns="http://www.w3.org/2000/svg" {size}><rect width="9" height="9"/></svg>'.encode(), "a.svg")
    assert art.size() == pytest.approx(expected)


@pytest.mark.parametrize("version", ["R12", "R2000", "R2007", "R2018"])
def test_a_dxf_is_read_in_every_version(version: str) -> None:
    page = read_dxf(box_dxf(version), "a.dxf")
    assert (page.width_mm, page.height_mm) == pytest.approx((50, 30), abs=0.01)
    outline = next(path for path in page.paths if path.layers == ("CUT",))
    # straight sides 40 and 20 mm and four quarter arcs of 5 mm
    assert path_length(outline.paths[0]) == pytest.approx(2 * 40 + 2 * 20 + 2 * np.pi * 5, abs=0.02)
    hole = next(path for path in page.paths if "Cut holes" in path.layers)
    assert bounds(hole) == pytest.approx((21, 11, 29, 19), abs=0.01)
    kinds = sorted(one.kind for one in sort_paths(page.paths).caught)
    assert kinds == (["through", "through"] if version == "R12" else ["crease", "through", "through"])


@pytest.mark.parametrize(("units", "factor"), [(1, 25.4), (4, 1), (5, 10), (6, 1000)])
def test_units_of_a_dxf_are_followed(units: int, factor: float) -> None:
    page = read_dxf(box_dxf(units=units), "a.dxf")
    assert page.size_known and page.width_mm == pytest.approx(50 * factor, rel=1e-4)


def test_a_dxf_without_units_does_not_know_its_size() -> None:
    assert not read_dxf(box_dxf(units=0), "a.dxf").size_known


def drawing_of(at: tuple[float, float], size: tuple[float, float], units: int) -> bytes:
    """A rectangle with a disc in its middle, a quarter as high, as ezdxf writes it."""
    document = ezdxf.new("R2010", units=units)
    (x, y), (wide, high) = at, size
    document.modelspace().add_lwpolyline([(x, y), (x + wide, y), (x + wide, y + high), (x, y + high)], close=True)
    document.modelspace().add_circle((x + wide / 2, y + high / 2), high / 8)
    held = StringIO()
    document.write(held)
    return held.getvalue().encode()


@pytest.mark.parametrize(("size", "units"), [((320.0, 160.0), 6), ((0.0004, 0.0002), 4), ((9e6, 4.5e6), 0)])
def test_units_that_nobody_can_have_meant_are_not_believed(size: tuple[float, float], units: int) -> None:
    """320 m, as programs write that put metres where nobody chose; 0.4 µm; 9 km without units."""
    page = read_dxf(drawing_of((7.0, 9.0), size, units), "a.dxf")
    assert not page.size_known
    assert (page.width_mm, page.height_mm) == pytest.approx((100, 50))
    disc = next(
        path for path in page.paths if len(path.paths[0].segments) > 3 and path.paths[0].segments[0].shape[0] == 3
    )
    assert bounds(disc) == pytest.approx((50 - 6.25, 25 - 6.25, 50 + 6.25, 25 + 6.25), abs=0.02)


def test_a_drawing_far_from_its_origin_keeps_its_size() -> None:
    """As surveyors count: 4 500 km north of the equator, a sign of 600 × 300 mm."""
    page = read_dxf(drawing_of((465_000.0, 4_500_000.0), (0.6, 0.3), 6), "a.dxf")
    assert page.size_known and (page.width_mm, page.height_mm) == pytest.approx((600, 300), abs=0.01)
    assert min(min(bounds(path)) for path in page.paths) > -0.01


def test_many_strokes_together_cover_what_each_covers_by_itself() -> None:
    random = np.random.default_rng(4)
    kinds = [(0.4, "butt", "mitre"), (0.4, "round", "round"), (1.5, "butt", "mitre"), (0.015, "square", "bevel")]
    black, clip = Ink("#000000"), shapely.box(0, 0, 50, 50)
    paths, alone = [], []
    for number in range(60):
        width, cap, join = kinds[number % 4]
        points = random.uniform(5, 95, (random.integers(2, 5), 2))
        clipped = clip if number % 7 == 0 else None
        path = Path.from_points(points, closed=False)
        paths.append(PaintedPath(number, (path,), None, black, width, cap=cap, join=join, clip=clipped))  # type: ignore[arg-type]
        ends = {"butt": "flat"}.get(cap, cap)
        area = shapely.LineString(points).buffer(width / 2, quad_segs=16, cap_style=ends, join_style=join)
        alone.append(area if clipped is None else area.intersection(clip))
    paths.append(PaintedPath(60, (Path.from_points([(70, 70), (90, 70), (90, 90)]),), black, None))
    alone.append(shapely.Polygon([(70, 70), (90, 70), (90, 90)]))
    paths.append(PaintedPath(61, (Path.from_points([(1, 1), (2, 2)], closed=False),), None, black, 0.0))
    ours, theirs = shapely.union_all(painted_area(VectorPage(100, 100, True, tuple(paths)))), shapely.union_all(alone)
    assert ours.symmetric_difference(theirs).area < 1e-3 * theirs.area


def test_the_painted_area_is_fills_strokes_and_pictures() -> None:
    ring = Path.from_points([(0, 0), (10, 0), (10, 10), (0, 10)])
    inner = Path.from_points([(3, 3), (7, 3), (7, 7), (3, 7)])
    line = Path.from_points([(20, 0), (30, 0)], closed=False)
    black = Ink("#000000")
    assert path_area(PaintedPath(0, (ring, inner), black, None, even_odd=True)).area == pytest.approx(100 - 16)
    assert path_area(PaintedPath(0, (ring, inner), black, None)).area == pytest.approx(100)
    for cap, area in (("butt", 20.0), ("square", 24.0), ("round", 20 + np.pi)):
        assert path_area(PaintedPath(0, (line,), None, black, 2.0, cap=cap)).area == pytest.approx(area, rel=0.01)  # type: ignore[arg-type]
    page = VectorPage(
        60,
        40,
        True,
        (PaintedPath(0, (ring,), black, None), PaintedPath(1, (line,), None, black, 2.0)),
        (shapely.box(40, 0, 50, 5),),
    )
    # half of the stroke hangs off the page
    assert sum(area.area for area in painted_area(page)) == pytest.approx(100 + 10 + 50)


def test_the_winding_rule_counts_directions() -> None:
    outer = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])
    inner = np.array([[3, 3], [7, 3], [7, 7], [3, 7.0]])
    assert filled([outer, inner], even_odd=False).area == pytest.approx(100)
    assert filled([outer, inner[::-1]], even_odd=False).area == pytest.approx(84)
    assert filled([outer, inner], even_odd=True).area == pytest.approx(84)


def test_a_white_ground_over_the_whole_page_is_no_art() -> None:
    ground = PaintedPath(0, (Path.from_points([(0, 0), (60, 0), (60, 40), (0, 40)]),), Ink("#ffffff"), None)
    patch = PaintedPath(1, (Path.from_points([(5, 5), (15, 5), (15, 15), (5, 15)]),), Ink("#ffffff"), None)
    page = VectorPage(60, 40, True, (ground, patch))
    assert sum(area.area for area in painted_area(page)) == pytest.approx(100)


def test_a_line_from_vectors_follows_what_is_painted_without_tracing() -> None:
    areas = painted_area(page_of(label_pdf()))
    lines, report, *_ = line_from_areas(areas, EdgeSettings(offset_mm=0, holes="fill", tolerance_mm=0.02))
    whole = shapely.union_all([shapely.Polygon(line.path.flatten(0.005)) for line in lines])
    assert whole.symmetric_difference(shapely.union_all([shapely.Polygon(a.exterior) for a in areas])).area < 0.5
    assert report.max_deviation_mm <= 0.02


def test_vectors_are_kept_and_read_again_as_they_were() -> None:
    for page in (page_of(label_pdf()), page_of(steps_pdf()), SvgArt(SLEEVE_SVG, "a").page(), read_dxf(box_dxf(), "a")):
        back = read_vectors(write_vectors(page))
        assert (back.width_mm, back.height_mm, back.size_known, back.texts, back.hidden) == (
            page.width_mm,
            page.height_mm,
            page.size_known,
            page.texts,
            page.hidden,
        )
        for one, two in zip(page.paths, back.paths, strict=True):
            assert (one.number, one.fill, one.stroke, one.layers, one.step) == (
                two.number,
                two.fill,
                two.stroke,
                two.layers,
                two.step,
            )
            assert bounds(one) == pytest.approx(bounds(two), abs=1e-3)
        found, again = sort_paths(page.paths), sort_paths(back.paths)
        assert [(c.path.number, c.kind) for c in found.caught] == [(c.path.number, c.kind) for c in again.caught]
    ring = shapely.box(0, 0, 9, 9).difference(shapely.box(3, 3, 6, 6))
    (area,) = read_areas(write_areas([ring]))
    assert area.equals(ring)


def test_loose_strokes_are_joined_end_to_end_and_closed() -> None:
    corners = [(0, 0), (30, 0), (30, 20), (0, 20)]
    strokes = [Path.from_points([a, b], closed=False) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]
    strokes[1] = Path.from_points([corners[2], corners[1]], closed=False)  # drawn the other way
    alone = Path.from_points([(50, 0), (60, 0)], closed=False)
    order = [strokes[2], alone, strokes[0], strokes[3], strokes[1]]
    done = joined([FinishLine("through", path) for path in order])
    closed = [line.path for line in done if line.path.closed]
    assert len(done) == 2 and len(closed) == 1
    assert shapely.Polygon(closed[0].flatten()).area == pytest.approx(600)
    # of another kind they are other lines
    mixed = joined([FinishLine("kiss", strokes[0]), FinishLine("through", strokes[1])])
    assert len(mixed) == 2


def test_joining_keeps_curves_as_they_are() -> None:
    arc = Path(np.array([0.0, 0.0]), (np.array([[0, 5], [5, 10], [10, 10.0]]),), False)
    back = Path(np.array([0.0, 0.0]), (np.array([[10, 0]]), np.array([[10, 10.0]])), False)
    (line,) = joined([FinishLine("kiss", arc), FinishLine("kiss", back)])
    assert line.path.closed
    area = shapely.Polygon(line.path.flatten(0.001)).area
    # the cubic's area against its chord by hand: 100/2 + the bulge 3/20 · |…| (Green's theorem, worked in closed form)
    curve = arc.flatten(0.0005)
    assert area == pytest.approx(50 + shapely.Polygon(curve).area, rel=1e-3)


def test_more_lines_lie_where_they_are_asked() -> None:
    box = FinishLine("kiss", Path.from_points([(0, 0), (40, 0), (40, 20), (0, 20)]))
    done = with_more(
        [box],
        [
            MoreLine("through", "box", offset_mm=3),
            MoreLine("perforation", "across", offset_mm=0, place_mm=13),
            MoreLine("score", "along", offset_mm=2, place_mm=5),
        ],
        0.05,
    )
    assert [line.kind for line in done] == ["kiss", "through", "perforation", "score"]
    # three millimetres round a 40 × 20 box with round corners (Steiner)
    through = shapely.Polygon(done[1].path.flatten(0.001))
    assert through.area == pytest.approx(800 + 3 * 120 + np.pi * 9, rel=2e-3)
    assert done[2].path.flatten() == pytest.approx(np.array([[10, -3], [10, 23]]), abs=0.05)
    level = done[3].path.flatten()
    assert level[:, 1] == pytest.approx([2, 2], abs=0.05) and level[:, 0] == pytest.approx([-5, 45], abs=0.1)
    with pytest.raises(JobError, match="Line 2, a straight one, misses the piece"):
        with_more([box], [MoreLine("crease", "across", place_mm=99)], 0.05)
    with pytest.raises(JobError, match="Nothing is left of line 3 that far inside"):
        with_more([box], [MoreLine("pen", "hull", offset_mm=-2), MoreLine("through", "edge", offset_mm=-11)], 0.05)


def test_files_are_told_apart_by_what_is_in_them() -> None:
    assert form_of(label_pdf()) == "pdf"
    assert form_of(b"\xef\xbb\xbf<?xml version='1.0'?>\n<!-- x --><svg xmlns='http://www.w3.org/2000/svg'/>") == "svg"
    assert form_of(box_dxf()) == "dxf" and form_of(box_dxf("R12")) == "dxf"
    assert form_of(b"\x89PNG\r\n\x1a\n") == "picture" and form_of(b"") == "picture"
    assert form_of(b"<html><body>") == "picture"


def test_the_rules_that_ship_are_ordered_from_the_particular_to_the_plain() -> None:
    kinds = [rule.kind for rule in DEFAULT_RULES]
    assert kinds.index("kiss") < kinds.index("through") and kinds[-1] == "through"


def test_a_pdf_that_cannot_be_read_is_a_sentence() -> None:
    locked = BytesIO()
    open_pdf(label_pdf(), "a.pdf").save(locked, encryption=pikepdf.Encryption(owner="o", user="u"))
    with pytest.raises(JobError, match="locked with a password"):
        open_pdf(locked.getvalue(), "a.pdf")
    with pytest.raises(JobError, match=r"damaged|no pages"):
        open_pdf(b"%PDF-1.7 nothing", "a.pdf")
