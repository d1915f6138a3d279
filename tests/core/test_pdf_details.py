"""PDF pages operator by operator: colours, layers, clips, widths, and what stays when paths go."""

from io import BytesIO

import numpy as np
import pikepdf
import pypdfium2
import pytest
import shapely
from pikepdf import Array, Dictionary, Name

from etiquette.core.artwork.pdf_reader import open_pdf, read_page, single_page, without
from etiquette.core.artwork.vectors import VectorPage, painted_area
from etiquette.sandbox.art import read_art
from etiquette.sandbox.reading import PAGES_AT_ONCE
from tests.vector_art import MM, add_page, circle, layer, picture, rect, saved


def made(content: str, resources: Dictionary | None = None, pdf: pikepdf.Pdf | None = None, **more: object) -> bytes:
    pdf = pdf or pikepdf.new()
    add_page(pdf, (60, 40), content, resources or Dictionary(), **more)
    return saved(pdf)


def read(content: bytes) -> VectorPage:
    return read_page(open_pdf(single_page(open_pdf(content, "a"), 0), "a"), 0, "a")


@pytest.mark.parametrize(
    ("operators", "colour"),
    [
        ("0.5 g", "#808080"),
        ("1 0.5 0 rg", "#ff8000"),
        ("0 1 1 0 k", "#ff0000"),
        ("0 0 0 1 k", "#000000"),
        ("/DeviceRGB cs 0 0 1 sc", "#0000ff"),
        ("/DeviceCMYK cs", "#000000"),
        ("/Profile cs 0 1 0 scn", "#00ff00"),
        ("/Grey cs 1 sc", "#ffffff"),
        ("", "#000000"),
        ("q 1 0 0 rg Q", "#000000"),
        ("2 -1 0.5 rg", "#ff0080"),
    ],
)
def test_fill_colours_are_told_as_a_screen_shows_them(operators: str, colour: str) -> None:
    pdf = pikepdf.new()
    profile = pdf.make_stream(b"profile")
    profile.stream_dict.N = 3
    spaces = Dictionary(
        Profile=Array([Name.ICCBased, profile]), Grey=Array([Name.CalGray, Dictionary(WhitePoint=[1, 1, 1])])
    )
    (path,) = read(made(f"{operators} {rect(5, 5, 9, 9)} f", Dictionary(ColorSpace=spaces), pdf)).paths
    assert path.fill is not None and path.fill.colour == colour and path.fill.spots == ()


def test_spots_of_separation_and_device_n_are_named() -> None:
    pdf = pikepdf.new()
    tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=[0, 1, 0, 0], N=1)
    spaces = Dictionary(
        One=Array([Name.Separation, Name("/Cut#20line"), Name.DeviceCMYK, tint]),
        Two=Array([Name.DeviceN, Array([Name("/Gold"), Name("/White")]), Name.DeviceCMYK, tint]),
    )
    content = f"/One CS 1 SCN {rect(5, 5, 9, 9)} S /Two cs 1 1 scn {rect(20, 5, 9, 9)} f"
    one, two = read(made(content, Dictionary(ColorSpace=spaces), pdf)).paths
    assert one.stroke is not None and one.stroke.spots in (("Cut line",), ("Cut#20line",))
    assert two.fill is not None and two.fill.spots == ("Gold", "White")


def test_strokes_are_as_wide_as_the_matrix_makes_them() -> None:
    content = f"2 w q 3 0 0 3 0 0 cm 0 0 m 1 1 l S Q 0 0 m 9 9 l S /Thin gs 0 0 m 9 9 l S 1 J 1 j {rect(5, 5, 9, 9)} S"
    thrice, plain, thin, joined = read(made(content, Dictionary(ExtGState=Dictionary(Thin=Dictionary(LW=0.5))))).paths
    assert [round(path.stroke_mm * MM, 4) for path in (thrice, plain, thin)] == [6, 2, 0.5]
    assert (plain.cap, plain.join) == ("butt", "mitre") and (joined.cap, joined.join) == ("round", "round")


def test_all_ways_of_drawing_a_curve_and_closing_a_path() -> None:
    content = "0 0 m 10 20 30 0 v S 0 0 m 10 20 30 0 y S 0 0 m 30 0 l 30 30 l s 0 0 m 30 0 l 30 30 l S"
    v, y, closed, open_ = read(made(content)).paths
    assert v.paths[0].segments[0][0] == pytest.approx([0, 0])  # the current point is the first control
    assert y.paths[0].segments[0][1] == pytest.approx(y.paths[0].segments[0][2])  # the end is the second control
    assert closed.paths[0].closed and not open_.paths[0].closed
    two = read(made("0 0 m 9 9 l h 20 20 m 29 29 l S")).paths[0]
    assert len(two.paths) == 2


def test_clips_bound_what_is_painted_and_end_with_their_state() -> None:
    content = f"q {rect(10, 10, 10, 10)} W n 0 g {rect(0, 0, 60, 40)} f Q 1 0 0 rg {rect(40, 10, 5, 5)} f"
    area = shapely.union_all(painted_area(read(made(content))))
    assert area.area == pytest.approx(100 + 25, rel=1e-3) and area.bounds == pytest.approx((10, 10, 45, 20), abs=0.01)
    both = f"q {rect(10, 10, 10, 10)} W n {circle(20, 20, 5)} W n 0 g {rect(0, 0, 60, 40)} f Q"
    assert shapely.union_all(painted_area(read(made(both)))).area == pytest.approx(np.pi * 25 / 4, rel=0.01)


def test_shadings_and_inline_pictures_paint_too() -> None:
    shading = Dictionary(
        ShadingType=2,
        ColorSpace=Name.DeviceGray,
        Coords=[0, 0, 9, 9],
        Function=Dictionary(FunctionType=2, Domain=[0, 1], N=1),
    )
    content = (
        f"q {rect(10, 10, 10, 10)} W n /Fade sh Q q {5 * MM} 0 0 {4 * MM} {30 * MM} {20 * MM} cm BI /W 1 /H 1 /CS "
        "/G /BPC 8 ID x EI Q"
    )
    page = read(made(content, Dictionary(Shading=Dictionary(Fade=shading))))
    assert sorted(round(area.area, 1) for area in page.images) == [20, 100]


@pytest.mark.parametrize(
    ("policy", "off", "shown"),
    [
        (None, [], True), (None, [0], True), (None, [0, 1], False),
        ("AllOn", [0], False), ("AllOn", [], True),
        ("AnyOff", [0], True), ("AnyOff", [], False),
        ("AllOff", [0], False), ("AllOff", [0, 1], True),
    ],
)  # fmt: skip
def test_membership_of_several_layers(policy: str | None, off: list[int], shown: bool) -> None:
    """ISO 32000-1, table 99: AnyOn is the rule when none is given."""
    pdf = pikepdf.new()
    groups = [layer(pdf, "First"), layer(pdf, "Second")]
    member = Dictionary(Type=Name.OCMD, OCGs=Array(groups))
    if policy:
        member.P = Name("/" + policy)
    pdf.Root.OCProperties = Dictionary(OCGs=Array(groups), D=Dictionary(OFF=Array([groups[n] for n in off])))
    content = made(
        f"/OC /M BDC 0 g {rect(5, 5, 9, 9)} f EMC", Dictionary(Properties=Dictionary(M=pdf.make_indirect(member))), pdf
    )
    page = read(content)
    assert (len(page.paths) == 1) is shown
    assert (page.hidden == ()) is shown


def test_layers_that_are_off_unless_told_otherwise() -> None:
    pdf = pikepdf.new()
    on, off = layer(pdf, "Shown"), layer(pdf, "Draft")
    pdf.Root.OCProperties = Dictionary(OCGs=[on, off], D=Dictionary(BaseState=Name.OFF, ON=[on]))
    content = f"/OC /A BDC {rect(5, 5, 9, 9)} f EMC /OC /B BDC {rect(20, 5, 9, 9)} f EMC"
    page = read(made(content, Dictionary(Properties=Dictionary(A=on, B=off)), pdf))
    assert [path.layers for path in page.paths] == [("Shown",)] and page.hidden == ("Draft",)


def test_a_hidden_layer_takes_its_text_pictures_and_forms_with_it() -> None:
    pdf = pikepdf.new()
    off = layer(pdf, "Old")
    pdf.Root.OCProperties = Dictionary(OCGs=[off], D=Dictionary(OFF=[off]))
    form = pdf.make_stream(f"{rect(5, 5, 9, 9)} f".encode())
    form.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=[0, 0, 200, 200], OC=off))
    font = Dictionary(F=Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica))
    resources = Dictionary(Properties=Dictionary(P=off), Font=font, XObject=Dictionary(Form=form, Photo=picture(pdf)))
    content = "/Form Do /OC /P BDC BT /F 12 Tf 20 20 Td (old) Tj ET /Photo Do EMC BT /F 12 Tf 90 60 Td (new) Tj ET"
    document = open_pdf(single_page(open_pdf(made(content, resources, pdf), "a"), 0), "a")
    before = read_page(document, 0, "a")
    assert (before.texts, len(before.images), len(before.paths)) == (1, 0, 0)
    without(document, 0, "a", lambda path: "keep")
    pixels = pypdfium2.PdfDocument(saved(document))[0].render(scale=2).to_numpy()[..., :3]
    dark = np.argwhere(pixels.min(axis=2) < 128)
    assert len(dark) and dark[:, 1].min() > 170  # nothing of the old text at x = 20, all of the new one at x = 90


@pytest.mark.parametrize(
    ("paint", "left"), [("B", "f"), ("B*", "f*"), ("b", "f"), ("b*", "f*"), ("S", "n"), ("s", "n")]
)
def test_taking_a_stroke_leaves_the_fill_of_the_same_path(paint: str, left: str) -> None:
    document = open_pdf(made(f"1 0 0 RG 0 0 1 rg {rect(5, 5, 9, 9)} {paint}"), "a")
    page = without(document, 0, "a", lambda path: "stroke")
    again = open_pdf(saved(document), "a")
    operators = [str(one.operator) for one in pikepdf.parse_content_stream(again.pages[0])]
    assert operators == ["RG", "rg", "re", left]
    assert len(page.paths) == (1 if left != "n" else 0)


def test_a_clip_made_by_a_path_that_goes_still_clips() -> None:
    document = open_pdf(made(f"q {rect(10, 10, 10, 10)} W S 0 g {rect(0, 0, 60, 40)} f Q"), "a")
    without(document, 0, "a", lambda path: "all" if path.stroke else "keep")
    area = shapely.union_all(painted_area(read(saved(document))))
    assert area.area == pytest.approx(100, rel=1e-3)


def test_user_units_and_inherited_boxes_are_followed() -> None:
    page = read(made(f"{rect(5, 5, 9, 9)} f", UserUnit=2.0))
    assert (page.width_mm, page.height_mm) == pytest.approx((120, 80))
    assert page.paths[0].paths[0].start == pytest.approx([10, 10], abs=0.01)
    raw = (
        b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[3 0 R]/Count "
        b"1/MediaBox[0 0 144 72]/Resources<<>>>>endobj\n3 0 obj<</Type/Page/Parent 2 0 R/Contents 4 0 R>>endobj\n4 0 "
        b"obj<</Length 14>>stream\n0 0 9 9 re f  \nendstream endobj\ntrailer<</Root 1 0 R>>"
    )
    page = read(raw)
    assert (page.width_mm, page.height_mm) == pytest.approx((50.8, 25.4)) and len(page.paths) == 1


def test_a_page_by_itself_is_small_and_loses_what_could_act() -> None:
    pdf = pikepdf.new()
    for number in range(3):
        big = pdf.make_stream(np.random.default_rng(number).integers(0, 256, 30_000, dtype=np.uint8).tobytes())
        big.stream_dict.update(
            Dictionary(
                Type=Name.XObject,
                Subtype=Name.Image,
                Width=100,
                Height=100,
                BitsPerComponent=8,
                ColorSpace=Name.DeviceRGB,
            )
        )
        add_page(
            pdf,
            (60, 40),
            "/Big Do",
            Dictionary(XObject=Dictionary(Big=big)),
            AA=Dictionary(O=Dictionary(S=Name.JavaScript, JS="x")),
        )
    pdf.Root.OpenAction = Dictionary(S=Name.JavaScript, JS="x")
    alone = single_page(open_pdf(saved(pdf), "a"), 1)
    assert 30_000 < len(alone) < 40_000 and b"JavaScript" not in alone
    with pikepdf.open(BytesIO(alone)) as single:
        assert len(single.pages) == 1 and "/OpenAction" not in single.Root and "/AA" not in single.pages[0].obj


def test_a_stroke_in_a_stretched_space_is_as_wide_as_it_is_drawn() -> None:
    """Twice as wide and half as high: a stroke of 2 mm is 4 mm wide where it stands and 1 mm where it lies; a ring
    turned by 30° before it is stretched is checked against PDFium's own drawing."""
    lying, standing = (
        f"0 {10 * MM:.4f} m {10 * MM:.4f} {10 * MM:.4f} l S",
        f"{25 * MM:.4f} 0 m {25 * MM:.4f} {20 * MM:.4f} l S",
    )
    page = read(made(f"2 0 0 0.5 0 0 cm {2 * MM:.4f} w {lying} {standing}"))
    assert shapely.union_all(painted_area(page)).area == pytest.approx(20 * 1 + 4 * 10, rel=1e-3)
    content = made(f"1.2 0.3 -0.4 0.5 {30 * MM:.4f} {8 * MM:.4f} cm {3 * MM:.4f} w {circle(5, 10, 8)} S")
    sheet = pypdfium2.PdfDocument(content)[0]
    ink = np.asarray(sheet.render(scale=10 / MM * 1, fill_color=(255, 255, 255, 0), maybe_alpha=True).to_pil())[..., 3]
    assert shapely.union_all(painted_area(read(content))).area == pytest.approx(ink.sum() / 255 / 100, rel=0.01)


def test_a_long_document_comes_page_by_page_in_its_order() -> None:
    """More pages than are read at once, each a millimetre wider than the one before."""
    pdf = pikepdf.new()
    for number in range(2 * PAGES_AT_ONCE + 1):
        add_page(pdf, (20 + number, 10), rect(1, 1, 5, 5) + " f", Dictionary())
    pages = read_art(saved(pdf), "long.pdf")
    assert [one.page for one in pages] == list(range(2 * PAGES_AT_ONCE + 1))
    assert [round(one.width_mm or 0) for one in pages] == [20 + number for number in range(2 * PAGES_AT_ONCE + 1)]
    assert pages[-1].width_px / pages[-1].height_px == pytest.approx(6, abs=0.1)
