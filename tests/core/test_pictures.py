"""Pictures as customers send them: depths, colour models, profiles, orientation, size."""

from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from etiquette.core.artwork.raster import Picture, png_of, read_picture, width_mm_of

RED, GREEN, BLUE, HALF = (200, 30, 40), (20, 160, 60), (30, 60, 190), (120, 120, 120)


def blocks() -> np.ndarray:
    """Four blocks of 20 × 20 pixels: red, green over blue, grey."""
    rgb = np.zeros((40, 40, 3), np.uint8)
    rgb[:20, :20], rgb[:20, 20:], rgb[20:, :20], rgb[20:, 20:] = RED, GREEN, BLUE, HALF
    return rgb


def saved(image: Image.Image, form: str, **more: object) -> bytes:
    out = BytesIO()
    image.save(out, form, **more)
    return out.getvalue()


def tiff(array: np.ndarray, **more: object) -> bytes:
    out = BytesIO()
    tifffile.imwrite(out, array, **more)
    return out.getvalue()


def middles(picture: Picture) -> list[tuple[int, ...]]:
    """The colours in the middle of the four blocks."""
    return [tuple(int(v) for v in picture.pixels[y, x, :3]) for y, x in ((10, 10), (10, 30), (30, 10), (30, 30))]


def close(found: list[tuple[int, ...]], slack: int = 2) -> bool:
    return bool(np.abs(np.array(found) - np.array([RED, GREEN, BLUE, HALF])).max() <= slack)


@pytest.mark.parametrize("form", ["PNG", "TIFF"])
def test_eight_bits_come_out_as_they_are(form: str) -> None:
    picture = read_picture(saved(Image.fromarray(blocks()), form), "a")
    assert middles(picture) == [RED, GREEN, BLUE, HALF] and not picture.has_transparency


def test_jpeg_colours_are_near() -> None:
    assert close(middles(read_picture(saved(Image.fromarray(blocks()), "JPEG", quality=95), "a")), 6)


def test_sixteen_bits_are_reduced_not_cut_off() -> None:
    deep = blocks().astype(np.uint16) * 257
    grey = deep[..., 0]
    for name, content, expected in (
        ("grey png", saved(Image.fromarray(grey), "PNG"), [(v[0],) * 3 for v in (RED, GREEN, BLUE, HALF)]),
        ("grey tiff", tiff(grey), [(v[0],) * 3 for v in (RED, GREEN, BLUE, HALF)]),
        ("rgb tiff", tiff(deep, photometric="rgb"), [RED, GREEN, BLUE, HALF]),
    ):
        assert np.abs(np.array(middles(read_picture(content, name))) - np.array(expected)).max() <= 1, name


def test_sixteen_bits_with_alpha_keep_their_transparency() -> None:
    deep = np.dstack([blocks(), np.full((40, 40), 255, np.uint8)]).astype(np.uint16) * 257
    deep[:20, :20, 3] = 0
    picture = read_picture(tiff(deep, photometric="rgb", extrasamples=["unassalpha"]), "a.tif")
    assert picture.has_transparency and picture.pixels[10, 10, 3] == 0 and picture.pixels[30, 30, 3] == 255
    assert tuple(picture.pixels[10, 30, :3]) == GREEN


@pytest.mark.parametrize(
    "more", [{}, {"tile": (16, 16)}, {"rowsperstrip": 7}, {"compression": "deflate", "tile": (16, 16)}]
)
def test_tiffs_in_tiles_and_strips(more: dict[str, object]) -> None:
    assert middles(read_picture(tiff(blocks(), photometric="rgb", **more), "a.tif")) == [RED, GREEN, BLUE, HALF]


@pytest.mark.parametrize("compression", ["tiff_lzw", "packbits", "tiff_deflate", "raw"])
def test_tiffs_with_any_usual_compression(compression: str) -> None:
    content = saved(Image.fromarray(blocks()), "TIFF", compression=compression)
    assert middles(read_picture(content, "a.tif")) == [RED, GREEN, BLUE, HALF]


@pytest.mark.parametrize("form", ["TIFF", "JPEG"])
def test_cmyk_without_a_profile_is_taken_as_inks(form: str) -> None:
    ink = Image.new("CMYK", (40, 40), (0, 255, 255, 0))  # full magenta and yellow: red
    picture = read_picture(saved(ink, form), "a")
    red, green, blue, alpha = (int(v) for v in picture.pixels[20, 20])
    assert red > 200 and green < 60 and blue < 60 and alpha == 255


def test_a_profile_that_does_not_fit_leaves_the_numbers_as_they_are() -> None:
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    image = Image.fromarray(blocks())
    assert close(middles(read_picture(saved(image, "PNG", icc_profile=profile), "a")))  # a profile that does not fit
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert close(middles(read_picture(saved(image, "PNG", icc_profile=srgb), "a")))
    assert close(middles(read_picture(saved(image, "TIFF", icc_profile=b"not a profile"), "a")))


WIDE = Path("/usr/share/color/icc/ghostscript/a98.icc")
"""A profile of a wide gamut, as Debian's libgs-common packages it."""


@pytest.mark.parametrize("kind", ["RGBA", "RGB with a clear colour", "P"])
def test_a_profile_is_followed_and_transparency_stays(kind: str) -> None:
    """The colours are those of the same picture without transparency, which LittleCMS converts; green is clear."""
    profile, opaque = WIDE.read_bytes(), Image.fromarray(blocks())
    plain = read_picture(saved(opaque, "PNG", icc_profile=profile), "a").pixels
    assert np.abs(plain[30, 10, :3].astype(int) - BLUE).max() > 2  # it is another profile indeed
    if kind == "RGBA":
        clear = (blocks() == GREEN).all(axis=2)
        image, more = Image.fromarray(np.dstack([blocks(), np.where(clear, 0, 255).astype(np.uint8)])), {}
    elif kind == "P":
        image = opaque.quantize(4)
        more = {"transparency": image.getpixel((30, 10))}
    else:
        image, more = opaque, {"transparency": GREEN}
    picture = read_picture(saved(image, "PNG", icc_profile=profile, **more), "a")
    assert picture.pixels[10, 30, 3] == 0 and picture.pixels[30, 10, 3] == 255
    for row, column in ((10, 10), (30, 10), (30, 30)):
        assert np.abs(picture.pixels[row, column].astype(int) - plain[row, column]).max() <= 1


@pytest.mark.parametrize(("turn", "corner"), [(1, (5, 5)), (3, (35, 35)), (6, (5, 35)), (8, (35, 5)), (2, (5, 35))])
def test_a_photograph_lies_as_it_was_held(turn: int, corner: tuple[int, int]) -> None:
    """EXIF orientation (CIPA DC-008): the red block of the stored upper left is seen in this corner (row, column)."""
    exif = Image.Exif()
    exif[0x0112] = turn
    picture = read_picture(saved(Image.fromarray(blocks()), "JPEG", quality=95, exif=exif), "a.jpg")
    assert np.abs(picture.pixels[corner[0], corner[1], :3].astype(int) - RED).max() < 8


def test_palettes_grey_with_alpha_and_single_bits() -> None:
    palette = Image.fromarray(blocks()).quantize(8)
    palette.info["transparency"] = palette.getpixel((5, 5))
    picture = read_picture(saved(palette, "PNG", transparency=palette.getpixel((5, 5))), "a.png")
    assert picture.pixels[10, 10, 3] == 0 and picture.pixels[30, 30, 3] == 255
    grey = Image.new("LA", (10, 10), (77, 128))
    assert read_picture(saved(grey, "PNG"), "a.png").pixels[5, 5].tolist() == [77, 77, 77, 128]
    bits = Image.new("1", (10, 10), 1)
    assert read_picture(saved(bits, "TIFF"), "a.tif").pixels[5, 5].tolist() == [255] * 4


def test_the_resolution_is_read_in_either_unit_and_left_out_when_it_cannot_be_one() -> None:
    image = Image.new("L", (300, 100))
    for content in (
        saved(image, "PNG", dpi=(300, 300)),
        saved(image, "JPEG", dpi=(300, 300)),
        saved(image, "TIFF", dpi=(300, 300)),
        tiff(np.asarray(image), resolution=(300 / 2.54, 300 / 2.54), resolutionunit="CENTIMETER"),
    ):
        assert width_mm_of(read_picture(content, "a")) == pytest.approx(25.4, rel=2e-3)
    assert read_picture(saved(image, "JPEG", dpi=(1, 1)), "a").dpi is None
    assert read_picture(saved(image, "PNG"), "a").dpi is None


def test_a_picture_is_written_as_it_is() -> None:
    pixels = np.random.default_rng(2).integers(0, 256, (30, 20, 4)).astype(np.uint8)
    back = read_picture(png_of(Picture(pixels, None)), "a")
    assert np.array_equal(back.pixels, pixels)


@pytest.mark.parametrize("size", [(1, 1), (1, 500), (500, 1), (65, 64), (64, 129)])
def test_any_shape_is_read_band_by_band(size: tuple[int, int]) -> None:
    rgb = np.random.default_rng(3).integers(0, 256, (*size, 3)).astype(np.uint8)
    assert np.array_equal(read_picture(saved(Image.fromarray(rgb), "PNG"), "a").pixels[..., :3], rgb)
