"""Colours changed where they stand in a page, and corrections of colours, against what is worked out by hand."""

from io import BytesIO

import numpy as np
import pikepdf
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pikepdf import Array, Dictionary, Name
from PIL import Image
from skimage.color import lab2rgb, rgb2lab

from etiquette.core.artwork.colour import lab_of_levels, srgb_of
from etiquette.core.printing.corrected import Corrected
from etiquette.core.printing.corrections import Correction, Replaced
from etiquette.core.printing.recolouring import recoloured, recoloured_plate
from etiquette.core.printing.replaced import Replacing
from tests.vector_art import MM, add_page, form, rect, saved, spot

BOX = (0.0, 0.0, 40.0, 30.0)
GREY_ALL = Corrected(Correction(saturation=-100))


class Turned:
    """A change that is easily told: every colour to its opposite."""

    def takes(self, kind: str, profile: bytes | None) -> bool:
        return True

    def colour(self, kind: str, numbers: tuple[float, ...]) -> tuple[str, tuple[float, ...]]:
        return kind, tuple(1 - one for one in numbers)

    def pixels(self, picture: Image.Image) -> Image.Image:
        return picture.point([255 - one for one in range(256)] * len(picture.getbands()))


def turned(content: str, resources: Dictionary | None = None, pdf: pikepdf.Pdf | None = None) -> tuple[str, list[str]]:
    pdf = pdf or pikepdf.new()
    held = form(pdf, content, resources if resources is not None else Dictionary(), BOX)
    kept = recoloured(held, pdf, Turned())
    return held.read_bytes().decode(), kept


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("1 0 0 rg", "0 1 1 rg"),
        ("1 0 0 RG", "0 1 1 RG"),
        ("0.25 g", "0.75 g"),
        ("0 0 0 1 k", "1 1 1 0 k"),
        ("/DeviceRGB cs 1 0 0 sc", "/DeviceRGB cs\n0 1 1 sc"),
        ("/Lab cs 50 10 10 sc", "/Lab cs\n50 10 10 sc"),  # a space of its own stays
        ("/Rose cs 0.4 scn", "/Rose cs\n0.4 scn"),  # and a spot
        ("/Pattern cs /P scn", "/Pattern cs\n/P scn"),
        ("q 1 0 0 rg Q 0.5 w", "q\n0 1 1 rg\nQ\n0.5 w"),
    ],
)
def test_operators_are_changed_by_their_spaces(before: str, after: str) -> None:
    pdf = pikepdf.new()
    lab = Array([Name.Lab, Dictionary(WhitePoint=[0.96, 1, 0.82])])
    resources = Dictionary(ColorSpace=Dictionary(Rose=spot(pdf, "Rose"), Lab=lab))
    assert turned(before, resources, pdf) == (after, [])


def test_what_was_set_before_a_save_is_the_space_after_it() -> None:
    made, _ = turned("/DeviceCMYK cs q /DeviceRGB cs 1 0 0 sc Q 1 0 0 0 sc")
    assert made.splitlines()[-1] == "0 1 1 1 sc"


def picture(pdf: pikepdf.Pdf, pixels: bytes, space: object, **more: object) -> pikepdf.Object:
    stream = pdf.make_stream(pixels)
    stream.stream_dict.update(
        Dictionary(
            Type=Name.XObject, Subtype=Name.Image, Width=2, Height=1, BitsPerComponent=8, ColorSpace=space, **more
        )
    )
    return pdf.make_indirect(stream)


def test_pictures_tables_and_gradients_are_changed_once() -> None:
    pdf = pikepdf.new()
    plain = picture(pdf, bytes([255, 0, 0, 10, 20, 30]), Name.DeviceRGB)
    table = picture(
        pdf, bytes([0, 1]), Array([Name.Indexed, Name.DeviceRGB, 1, pikepdf.String(bytes([255, 0, 0, 1, 2, 3]))])
    )
    deep = picture(pdf, bytes(12), Name.DeviceRGB)
    deep.BitsPerComponent = 16
    ends = pdf.make_indirect(Dictionary(FunctionType=2, Domain=[0, 1], C0=[1, 0, 0], C1=[0, 0, 1], N=1))
    fade = Dictionary(
        ShadingType=2, ColorSpace=Name.DeviceRGB, Coords=[0, 0, 9, 9], Function=Dictionary(
            FunctionType=3, Domain=[0, 1], Functions=[ends, ends], Bounds=[0.5], Encode=[0, 1, 0, 1],
        ),
    )  # fmt: skip
    mesh = pdf.make_stream(b"")
    mesh.stream_dict.update(Dictionary(ShadingType=4, ColorSpace=Name.DeviceRGB))
    inner = pdf.make_indirect(form(pdf, "/A Do", Dictionary(XObject=Dictionary(A=plain)), BOX))
    resources = Dictionary(
        XObject=Dictionary(A=plain, B=table, C=deep, F=inner, G=inner), Shading=Dictionary(S=fade, M=mesh)
    )
    _, kept = turned("/A Do /B Do /F Do /G Do /S sh", resources, pdf)
    assert plain.read_bytes() == bytes([0, 255, 255, 245, 235, 225])
    assert bytes(table.ColorSpace[3]) == bytes([0, 255, 255, 254, 253, 252]) and table.read_bytes() == bytes([0, 1])
    assert [float(one) for one in ends.C0] == [0, 1, 1] and [float(one) for one in ends.C1] == [1, 1, 0]
    assert kept == ["gradients that are tables or meshes", "pictures of more than 8 bits, or in spaces of their own"]


def test_only_the_designs_that_ask_for_it_are_changed_and_a_renderer_sees_it() -> None:
    pdf = pikepdf.new()
    forms = {f"D{n}": form(pdf, f"1 0 0 rg {rect(20 * n - 20, 0, 20, 30)} f", Dictionary(), BOX) for n in (1, 2)}
    add_page(pdf, (40, 30), "/D1 Do /D2 Do", Dictionary(XObject=Dictionary(**forms)))
    made, kept = recoloured_plate(saved(pdf), {"D2": (GREY_ALL,)})
    assert kept == {"D2": []}
    image = pypdfium2.PdfDocument(BytesIO(made))[0].render(scale=1).to_pil().convert("RGB")
    assert image.getpixel((20, 20)) == (255, 0, 0)
    grey = image.getpixel((round(30 * MM), 20))
    assert max(grey) - min(grey) <= 1 and grey[0] == pytest.approx(127, abs=2)  # L* 53 of a screen's red


@given(st.lists(st.tuples(*[st.floats(0, 1)] * 3), min_size=1, max_size=20))
def test_white_and_black_stay_and_nothing_leaves_what_can_be_shown(colours: list[tuple[float, float, float]]) -> None:
    every = np.array([(0.0, 0.0, 0.0), (1.0, 1.0, 1.0), *colours])
    for asked in (Correction(80, -60, 90, 100, -100), Correction(-70, 50, -40, -100, 100)):
        made = Corrected(asked).of_rgb(every)
        assert np.abs(made[0]).max() < 1e-3 and np.abs(made[1] - 1).max() < 1e-3
        assert made.min() >= 0 and made.max() <= 1


def test_each_setting_does_what_it_is_called() -> None:
    """Told by scikit-image's L*a*b*."""
    art = np.array([[0.7, 0.4, 0.3], [0.2, 0.5, 0.4], [0.35, 0.35, 0.35], [0.75, 0.75, 0.75]])
    before = rgb2lab(art[None])[0]

    def after(**asked: float) -> np.ndarray:
        return np.asarray(rgb2lab(Corrected(Correction(**asked)).of_rgb(art)[None])[0])

    assert (after(lightness=30)[:, 0] > before[:, 0] + 3).all()
    strong = after(contrast=50)
    assert strong[2, 0] < before[2, 0] and strong[3, 0] > before[3, 0]  # dark darker, light lighter
    assert np.abs(after(saturation=-100)[:, 1:]).max() < 0.6
    richer = after(saturation=30)
    assert np.hypot(richer[0, 1], richer[0, 2]) == pytest.approx(1.3 * np.hypot(before[0, 1], before[0, 2]), rel=0.03)
    assert (after(red_green=40)[:, 1] > before[:, 1] + 4).all()
    assert (after(yellow_blue=-40)[:, 2] < before[:, 2] - 4).all()


def test_colours_and_pixels_come_out_alike() -> None:
    change = Corrected(Correction(20, 15, 25, -10, 5))
    levels = np.random.default_rng(4).integers(0, 256, (200, 3))
    pixels = np.asarray(change.pixels(Image.fromarray(levels[None].astype(np.uint8))))[0]
    single = np.array([change.colour("rgb", tuple(one / 255))[1] for one in levels]) * 255
    assert np.abs(pixels - single).mean() < 1 and np.percentile(np.abs(pixels - single), 99) < 5
    inks = np.random.default_rng(5).integers(0, 256, (100, 4))
    pixels = np.asarray(change.pixels(Image.fromarray(inks[None].astype(np.uint8), mode="CMYK")))[0]
    single = np.array([change.colour("cmyk", tuple(one / 255))[1] for one in inks]) * 255
    assert np.abs(pixels - single).mean() < 1
    assert change.colour("cmyk", (0, 0, 0, 1)) == ("cmyk", pytest.approx((0, 0, 0, 1), abs=1e-3))  # black alone stays


GREEN = ("cmyk", (0.9, 0.2, 0.7, 0.45))


def test_a_colour_becomes_another_wherever_it_is_written() -> None:
    rose = Replaced((194, 63, 90), GREEN, 5)
    change = Replacing([rose, Replaced((255, 255, 255), ("rgb", (1.0, 0.9, 0.8)), 1)])
    assert change.colour("rgb", (194 / 255, 63 / 255, 90 / 255)) == GREEN
    assert change.colour("rgb", (0.2, 0.4, 0.9)) == ("rgb", (0.2, 0.4, 0.9))
    assert change.colour("grey", (1.0,)) == ("rgb", (1.0, 0.9, 0.8))
    kind, inks = change.colour("cmyk", (0, 0, 0, 0))  # white in inks becomes that colour in inks
    assert kind == "cmyk" and inks == pytest.approx((0, 0.1, 0.2, 0))
    white = Replacing([Replaced((194, 63, 90), None, 5)])
    assert white.colour("rgb", (194 / 255, 63 / 255, 90 / 255)) == ("rgb", (1, 1, 1))
    naive = tuple(1 - one / 255 for one in (194, 63, 90))
    assert white.colour("cmyk", (*naive, 0)) == ("cmyk", (0, 0, 0, 0))


def test_pixels_take_a_replacement_by_how_near_they_are() -> None:
    pixels = np.zeros((1, 5, 4), dtype=np.uint8)
    pixels[0] = [(194, 63, 90, 255), (196, 64, 92, 255), (120, 40, 60, 200), (255, 255, 255, 255), (194, 63, 90, 0)]
    made = np.asarray(Replacing([Replaced((194, 63, 90), ("rgb", (0, 0, 1)), 3)]).pixels(Image.fromarray(pixels)))[0]
    assert made[0].tolist() == [0, 0, 255, 255]
    assert made[1, 0] <= 4 and made[1, 2] == 255  # near: moved as far, its own difference stays
    assert made[2].tolist() == [120, 40, 60, 200] and made[3].tolist() == [255, 255, 255, 255]
    assert made[4, 3] == 0  # what is clear stays clear
    cmyk = Image.fromarray(np.array([[[0, 0, 0, 0], [0, 173, 137, 61]]], dtype=np.uint8), mode="CMYK")
    inks = np.asarray(Replacing([Replaced((194, 63, 90), GREEN, 12)]).pixels(cmyk))[0]
    assert inks[0].tolist() == [0, 0, 0, 0] and np.abs(inks[1] - np.array(GREEN[1]) * 255).max() < 30


def test_there_and_back_is_the_same_colour() -> None:
    levels = np.random.default_rng(6).random((500, 3))
    assert np.abs(srgb_of(lab_of_levels(levels)) - levels).max() < 1e-6
    lab = rgb2lab(levels[None])[0]
    assert np.abs(srgb_of(lab) - lab2rgb(lab[None])[0]).max() < 2e-3
