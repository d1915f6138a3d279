"""What is seen of art that lets something through: areas worked out by hand."""

import zlib

import numpy as np
import pikepdf
import pytest
import shapely
from pikepdf import Array, Dictionary, Name
from shapely import Point, box
from shapely.geometry.base import BaseGeometry

from etiquette.files.vectors import read_areas
from etiquette.sandbox.art import separate
from tests.vector_art import MM, add_page, form, rect, saved

SIZE = (60, 40)
SIDE = 200
DISC = f"q {30 * MM:.4f} 0 0 {30 * MM:.4f} {10 * MM:.4f} {5 * MM:.4f} cm /Disc Do Q"
"""A picture of 30 × 30 mm at 10, 5 in which a disc of 12 mm is opaque."""
ROUND = Point(25, 20).buffer(12, quad_segs=64)


def disc(pdf: pikepdf.Pdf, soft: bool = True) -> pikepdf.Object:
    """A red picture whose mask holds a disc of four tenths of its side, as levels or as bits."""
    at = (np.arange(SIDE) + 0.5) / SIDE - 0.5
    inside = np.hypot(at, at[:, None]) * SIDE
    level = np.clip(80.5 - inside, 0, 1)
    mask = pdf.make_stream(
        (level * 255).astype(np.uint8).tobytes() if soft else np.packbits(level < 0.5, axis=1).tobytes()
    )
    size = {"Type": Name.XObject, "Subtype": Name.Image, "Width": SIDE, "Height": SIDE}
    kind = (
        {"BitsPerComponent": 8, "ColorSpace": Name.DeviceGray} if soft else {"BitsPerComponent": 1, "ImageMask": True}
    )
    mask.stream_dict.update(Dictionary(**size, **kind))
    colour = pdf.make_stream(bytes([200, 30, 30]) * SIDE * SIDE)
    held = {"SMask" if soft else "Mask": mask}
    colour.stream_dict.update(Dictionary(**size, BitsPerComponent=8, ColorSpace=Name.DeviceRGB, **held))
    return colour


def seen(content: str, resources: Dictionary, pdf: pikepdf.Pdf, **more: object) -> BaseGeometry:
    """What of a page counts as art."""
    add_page(pdf, SIZE, content, resources, **more)
    return shapely.union_all(read_areas(separate(saved(pdf), "art.pdf", {}).areas))


def miss(found: BaseGeometry, true: BaseGeometry) -> float:
    """The symmetric difference as the mean width of a rim, mm."""
    return float(found.symmetric_difference(true).area / true.length)


@pytest.mark.parametrize("soft", [True, False])
def test_a_picture_with_a_transparent_ground_is_its_art_and_not_its_rectangle(soft: bool) -> None:
    pdf = pikepdf.new()
    found = seen(DISC, Dictionary(XObject=Dictionary(Disc=disc(pdf, soft))), pdf)
    assert miss(found, ROUND) < 0.04  # a quarter of a pixel of 0.15 mm


def test_neither_paper_nor_a_picture_that_stands_beside_it_hides_it() -> None:
    """A white ground is no art, a patch that is none of its business stays exact, and the page may be turned."""
    pdf = pikepdf.new()
    content = f"1 1 1 rg {rect(0, 0, 60, 40)} f {DISC} 0 0 1 rg {rect(45, 10, 10, 20)} f"
    found = seen(content, Dictionary(XObject=Dictionary(Disc=disc(pdf))), pdf, Rotate=180)
    patch, round_ = sorted(shapely.get_parts(found), key=lambda part: part.area)
    assert miss(round_, shapely.affinity.rotate(ROUND, 180, origin=(30, 20))) < 0.03
    assert patch.equals(box(5, 10, 15, 30)) or patch.symmetric_difference(box(5, 10, 15, 30)).area < 0.01


def test_a_soft_mask_that_fades_ends_where_half_is_seen() -> None:
    """From nothing on the left to all on the right: the right half of the patch."""
    pdf = pikepdf.new()
    ramp = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0], C1=[1], N=1)
    fade = Dictionary(
        ShadingType=2, ColorSpace=Name.DeviceGray, Coords=[10 * MM, 0, 50 * MM, 0], Function=ramp, Extend=[True, True]
    )
    mask = form(pdf, "/Fade sh", Dictionary(Shading=Dictionary(Fade=fade)), (0, 0, 60, 40))
    mask.stream_dict.Group = Dictionary(S=Name.Transparency, CS=Name.DeviceGray)
    veil = Dictionary(Type=Name.ExtGState, SMask=Dictionary(Type=Name.Mask, S=Name.Luminosity, G=mask))
    off = Dictionary(Type=Name.ExtGState, SMask=Name("/None"))
    content = f"q /Veil gs 1 0 0 rg {rect(10, 10, 40, 20)} f Q /Veil gs /Off gs {rect(2, 2, 4, 4)} f"
    found = seen(content, Dictionary(ExtGState=Dictionary(Veil=veil, Off=off)), pdf)
    assert (
        found.symmetric_difference(box(30, 10, 50, 30).union(box(2, 2, 6, 6))).area < 20 * 40 / 255
    )  # one level of opacity


@pytest.mark.parametrize(("alpha", "is_seen"), [(0.3, True), (0.0, False), (0.01, False)])
@pytest.mark.parametrize("grouped", [False, True])
def test_a_tint_is_art_and_what_is_not_seen_is_none(alpha: float, is_seen: bool, grouped: bool) -> None:
    """A panel laid on at a third is printed; one at nothing is not, by itself or in a group."""
    pdf = pikepdf.new()
    patch = f"1 0 0 rg {rect(10, 10, 20, 10)} f"
    group = form(pdf, f"/Whole gs {patch}", Dictionary(ExtGState=Dictionary(Whole=Dictionary(ca=1.0))), (0, 0, 60, 40))
    group.stream_dict.Group = Dictionary(S=Name.Transparency)
    tint = Dictionary(Type=Name.ExtGState, ca=alpha, CA=alpha)
    resources = Dictionary(ExtGState=Dictionary(Tint=tint), XObject=Dictionary(Group=group))
    content = f"q /Tint gs {'/Group Do' if grouped else patch} Q {rect(40, 30, 5, 5)} f"
    found = seen(content, resources, pdf)
    assert found.area == pytest.approx(25 + 200 * is_seen, rel=1e-3)


def test_a_picture_at_a_third_of_its_strength_keeps_its_shape() -> None:
    pdf = pikepdf.new()
    tint = Dictionary(Type=Name.ExtGState, ca=1 / 3)
    resources = Dictionary(ExtGState=Dictionary(Tint=tint), XObject=Dictionary(Disc=disc(pdf)))
    assert miss(seen(f"/Tint gs {DISC}", resources, pdf), ROUND) < 0.03


def test_a_stencil_is_what_it_lets_through() -> None:
    """An image mask of two by two bits, of which one is painted."""
    pdf = pikepdf.new()
    stencil = pdf.make_stream(bytes([0b01000000, 0b11000000]))
    stencil.stream_dict.update(
        Dictionary(
            Type=Name.XObject,
            Subtype=Name.Image,
            Width=2,
            Height=2,
            BitsPerComponent=1,
            ImageMask=True,
            Decode=Array([0, 1]),
        )
    )
    content = f"0 0 1 rg q {20 * MM:.4f} 0 0 {20 * MM:.4f} {10 * MM:.4f} {10 * MM:.4f} cm /Bits Do Q"
    found = seen(content, Dictionary(XObject=Dictionary(Bits=stencil)), pdf)
    assert found.symmetric_difference(box(10, 20, 20, 30)).area < 40 * 0.05


def square(pdf: pikepdf.Pdf, share: float) -> Dictionary:
    """A black picture, of whose packed numbers so much is in the file, and a font beside it."""
    packed = zlib.compress(bytes(16 * 16))
    stream = pdf.make_stream(b"")
    stream.write(packed[: int(len(packed) * share)], filter=Name.FlateDecode)
    size = {"Width": 16, "Height": 16, "BitsPerComponent": 8, "ColorSpace": Name.DeviceGray}
    stream.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Image, **size))
    font = Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)
    return Dictionary(XObject=Dictionary(Im=stream), Font=Dictionary(F=pdf.make_indirect(font)))


def words(mode: int) -> str:
    return f"BT /F 40 Tf {mode} Tr {20 * MM} {12 * MM} Td (Hi) Tj ET"


PICTURE = f"{30 * MM} 0 0 {30 * MM} {10 * MM} {5 * MM} cm /Im Do"


def test_a_damaged_picture_beside_words_is_where_it_is_placed() -> None:
    """How much of it is drawn is for whoever prints it: what cannot be told is not cut off."""
    pdf = pikepdf.new()
    found = seen(f"q {PICTURE} Q {words(0)}", square(pdf, 0.5), pdf)
    assert found.covers(box(10.01, 5.01, 39.99, 34.99)) and found.area < 31 * 31


def test_a_picture_seen_through_letters_is_the_letters() -> None:
    pdf = pikepdf.new()
    found = seen(f"q {words(7)} {PICTURE} Q", square(pdf, 1.0), pdf)
    assert 20 < found.area < 200 and box(19, 11, 40, 24).covers(found)
