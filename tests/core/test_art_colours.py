"""What of a plate's art can surprise in colour, on content written out by hand."""

import pikepdf
import pytest
from pikepdf import Array, Dictionary, Name

from etiquette.core.printing.art_colours import ArtColours, of_designs, of_form
from tests.vector_art import MM, form, picture, rect, spot

BOX = (0.0, 0.0, 50.0, 50.0)


def told(content: str, resources: Dictionary | None = None) -> ArtColours:
    pdf = pikepdf.new()
    return of_form(form(pdf, content, resources or Dictionary(), BOX))


@pytest.mark.parametrize(
    ("content", "spaces"),
    [
        (f"1 0 0 rg {rect(1, 1, 5, 5)} f", {"RGB"}),
        (f"0 1 0 0 k {rect(1, 1, 5, 5)} f 0.5 G {rect(1, 1, 5, 5)} S", {"CMYK", "grey"}),
        (f"1 0 0 rg 0 1 0 0 k {rect(1, 1, 5, 5)} f", {"CMYK"}),  # the red is set and never painted with
        (f"/DeviceRGB cs 1 0 0 sc q 0 1 0 0 k Q {rect(1, 1, 5, 5)} f", {"RGB"}),  # Q brings it back
        (f"{rect(1, 1, 5, 5)} W n", set()),
    ],
)
def test_only_what_is_painted_counts(content: str, spaces: set[str]) -> None:
    assert told(content).spaces == spaces


def test_pictures_spots_shadings_and_forms_count_by_their_spaces() -> None:
    pdf = pikepdf.new()
    indexed = picture(pdf)
    indexed.ColorSpace = Array([Name.Indexed, Name.DeviceCMYK, 1, pikepdf.String(b"\0" * 8)])
    rose = Dictionary(ColorSpace=Dictionary(S=spot(pdf, "Rose")))
    inner = form(pdf, f"/S cs 1 scn {rect(0, 0, 9, 9)} f", rose, BOX)
    resources = Dictionary(
        XObject=Dictionary(P=picture(pdf), I=indexed, F=inner),
        Shading=Dictionary(Sh=Dictionary(ShadingType=2, ColorSpace=Name.DeviceGray)),
    )
    assert of_form(form(pdf, "/P Do", resources, BOX)).spaces == {"RGB"}
    assert of_form(form(pdf, "/I Do", resources, BOX)).spaces == {"CMYK"}
    assert of_form(form(pdf, "/F Do /Sh sh", resources, BOX)).spaces == {"spot", "grey"}


def test_text_is_as_large_as_it_is_drawn() -> None:
    font = Dictionary(Font=Dictionary(F=Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)))
    # 12 points in a space of half the size, a text matrix of three quarters: 4.5; 20 points are larger
    small = told("q 0.5 0 0 0.5 0 0 cm BT /F 12 Tf 0.75 0 0 0.75 9 9 Tm (a) Tj ET Q BT /F 20 Tf (b) Tj ET", font)
    assert small.least_text_pt == pytest.approx(4.5)
    turned = told("0 2 -2 0 0 0 cm BT /F 5 Tf (a) Tj ET", font)
    assert turned.least_text_pt == pytest.approx(10)
    assert told("BT /F 3 Tf 3 Tr (hidden) Tj ET", font).least_text_pt is None


def test_thin_strokes_count_where_they_are_white() -> None:
    width = f"{0.4 * MM:.6f} w 0.5 0 0 0.5 0 0 cm"
    for white in ("1 1 1 RG", "0 0 0 0 K", "1 G"):
        assert told(f"{white} {width} {rect(1, 1, 5, 5)} S").thin_white_mm == pytest.approx(0.2, abs=1e-4)
    assert told(f"0 0 0 RG {width} {rect(1, 1, 5, 5)} S").thin_white_mm is None


def test_white_that_overprints_is_worse_than_anything_else_that_does() -> None:
    states = Dictionary(
        ExtGState=Dictionary(Over=Dictionary(OP=True), Fill=Dictionary(op=True, OP=False), No=Dictionary(OP=False))
    )
    assert told(f"/Over gs 0 1 0 0 k {rect(1, 1, 5, 5)} f", states).overprint == "some"
    assert told(f"/Over gs 0 1 0 0 k {rect(1, 1, 5, 5)} f 0 0 0 0 k {rect(1, 1, 5, 5)} f", states).overprint == "white"
    assert told(f"/Fill gs 0 0 0 0 K {rect(1, 1, 5, 5)} S", states).overprint == ""  # only fills overprint
    assert told(f"q /Over gs Q 0 0 0 0 k {rect(1, 1, 5, 5)} f", states).overprint == ""
    assert told(f"/Over gs /No gs 0 0 0 0 k {rect(1, 1, 5, 5)} f", states).overprint == ""


def test_a_form_that_draws_itself_ends() -> None:
    pdf = pikepdf.new()
    held = pdf.make_indirect(form(pdf, f"1 0 0 rg {rect(1, 1, 5, 5)} f /Me Do", Dictionary(), BOX))
    held.Resources = Dictionary(XObject=Dictionary(Me=held))
    pdf.add_blank_page()
    pdf.pages[0].Resources = Dictionary(XObject=Dictionary(D1=held))
    assert of_designs(pdf)["D1"].spaces == {"RGB"}
