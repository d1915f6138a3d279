"""Ink by rendered coverage against Ghostscript's own count; money by numbers worked by hand."""

import subprocess
from dataclasses import replace
from decimal import Decimal
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from PIL import Image
from shapely import box

from etiquette.core.artwork.raster import Picture
from etiquette.core.costing.run_costs import Prices, Speed, ink_cost, run_costs
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import SHAPES, MarkRecipe, mark_area, mark_paths
from etiquette.core.marking.proofs import proof
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import PictureArt, SpotArt
from etiquette.core.printing.coarser import coarser
from etiquette.core.printing.coverage import coverage
from etiquette.core.printing.images import deflated, filtered_rows, picture_stream
from etiquette.core.printing.plates import FrameContent, PlateWish, colour_plate, spot_plate, srgb_profile
from tests.outside.test_run_plates import photo


@pytest.fixture(scope="module")
def content() -> FrameContent:
    pixels = np.dstack([photo(300), np.full((300, 300), 255, np.uint8)])
    art = PictureArt(Picture(pixels, 254.0), 30, 30, box(-1, -1, 31, 31))
    recipe = MarkRecipe(bleed_mm=1.0)
    plan = plan_frame((0, 0, 200, 60), 300, recipe, Reach(1616, 3200), "K7Q2R9", "K7Q2R9-1")
    x, y = plan.work[:2]
    placements = [Placement("a", n + 1, 0, x + 40 * n, y, 0.0) for n in range(5)]
    area = SpotArt((box(5, 5, 25, 25),), art.clip)
    return FrameContent({"a": art}, {"White": {"a": area}}, placements, plan, recipe, "Test")


def as_counted(pdf: bytes, folder: Path) -> list[float]:
    """The shares of the process inks as Ghostscript's ink_cov device says them, which weighs every pixel."""
    (folder / "plate.pdf").write_bytes(pdf)
    said = subprocess.run(
        ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=ink_cov", "-o", "-", folder / "plate.pdf"],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    return [float(value) / 100 for value in said.split()[:4]]


def told(pdf: bytes) -> list[float]:
    ours = coverage(pdf, "plate").shares
    return [ours[ink] for ink in ("Cyan", "Magenta", "Yellow", "Black")]


def test_coverage_is_what_ghostscript_counts(content: FrameContent, tmp_path: Path) -> None:
    """Source: Ghostscript's ink_cov device; within half a percentage point."""
    pdf = colour_plate(content)
    assert told(pdf) == pytest.approx(as_counted(pdf, tmp_path), abs=0.005)


def fine_picture(mode: str) -> tuple[Picture, bytes | None]:
    """1,200 pixels for 30 mm, fourteen for a dot that is measured: a disc of noise on a clear ground whose pixels are
    black where nobody sees them, or a file in its own inks."""
    if mode in ("RGBA", "LA"):
        pixels = np.dstack([np.tile(photo(300), (4, 4, 1)), np.full((1200, 1200), 255, np.uint8)])
        y, x = np.mgrid[:1200, :1200]
        pixels[np.hypot(x - 600, y - 600) > 480] = 0
        profile, source = bytearray(srgb_profile()), BytesIO()
        profile[16:20] = b"GRAY"
        Image.fromarray(pixels).convert("LA").save(source, "PNG", icc_profile=bytes(profile))
        return Picture(pixels, None), source.getvalue() if mode == "LA" else None
    kind = "TIFF" if mode == "CMYK" else "JPEG"
    made = Image.fromarray(np.tile(photo(300), (4, 4, 1))).convert(mode)
    source = BytesIO()
    made.save(source, kind, quality=90)
    return Picture(np.asarray(made.convert("RGBA")), None), source.getvalue()


@pytest.mark.parametrize("mode", ["RGBA", "LA", "RGB", "CMYK", "L"])
def test_a_picture_made_coarser_takes_the_same_ink(mode: str, content: FrameContent, tmp_path: Path) -> None:
    """Placements turned by parts of a right angle; against ink_cov of the plate as it is printed. The picture that is
    measured has at least a pixel a dot, less than two."""
    picture, source = fine_picture(mode)
    art = PictureArt(picture, 30, 30, box(-1, -1, 31, 31), source=source)
    turned = [replace(one, rotation_deg=30.0 * n, y_mm=one.y_mm + 5) for n, one in enumerate(content.placements)]
    pdf = colour_plate(replace(content, arts={"a": art}, placements=turned))
    assert told(pdf) == pytest.approx(as_counted(pdf, tmp_path), abs=0.005)
    with pikepdf.open(BytesIO(pdf)) as document:
        coarser(document, 72)
        (form,) = document.pages[0].Resources.XObject.values()
        image = form.Resources.XObject.Picture
        assert 30 / 25.4 * 72 <= image.Width == image.Height < 2 * 30 / 25.4 * 72
        assert ("/SMask" in image) == mode.endswith("A") and image.get("/SMask", image).Width == image.Width


def test_a_picture_is_as_fine_as_its_largest_placement_wants() -> None:
    """By hand: 400 pixels drawn 20 points wide in a form that is placed at one and at three times its size, with the
    form's own matrix doubling it: 120 points, 120 pixels at 72 dots an inch at least: every 3 × 3 as one,
    those at the rim from fewer."""
    with pikepdf.new() as pdf:
        grey = np.random.default_rng(1).integers(0, 256, (400, 400, 1), dtype=np.uint8)
        picture = deflated(pdf, grey, pikepdf.Name.DeviceGray)
        form = pdf.make_stream(b"q 20 0 0 20 0 0 cm /P Do Q")
        form.stream_dict.update(
            pikepdf.Dictionary(
                Type=pikepdf.Name.XObject,
                Subtype=pikepdf.Name.Form,
                BBox=pikepdf.Array([0, 0, 20, 20]),
                Matrix=pikepdf.Array([2, 0, 0, 2, 0, 0]),
                Resources=pikepdf.Dictionary(XObject=pikepdf.Dictionary(P=picture)),
            )
        )
        pdf.add_blank_page(page_size=(200, 200))
        pdf.pages[0].Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(F=form))
        pdf.pages[0].Contents = pdf.make_stream(b"q /F Do Q q 0 3 -3 0 130 0 cm /F Do Q")
        coarser(pdf, 72)
        assert (picture.Width, picture.Height) == (134, 134)
        made = np.frombuffer(picture.read_bytes(), np.uint8)
        assert made.mean() == pytest.approx(grey.mean(), abs=1.0)


@pytest.mark.parametrize("content", [b"q 1 0 0 cm /P Do Q", b"q /P cm /P Do Q", b"(never closed", b"Q Q Q /P Do"])
def test_what_cannot_be_followed_is_measured_as_it_is(content: bytes) -> None:
    """A form of somebody else's: its picture stays as fine as it came, and the rest of the plate is measured."""
    with pikepdf.new() as pdf:
        picture = deflated(pdf, np.full((300, 300, 1), 90, np.uint8), pikepdf.Name.DeviceGray)
        form = pdf.make_stream(content)
        form.stream_dict.update(
            pikepdf.Dictionary(
                Type=pikepdf.Name.XObject,
                Subtype=pikepdf.Name.Form,
                BBox=pikepdf.Array([0, 0, 20, 20]),
                Resources=pikepdf.Dictionary(XObject=pikepdf.Dictionary(P=picture)),
            )
        )
        pdf.add_blank_page(page_size=(200, 200))
        pdf.pages[0].Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(F=form))
        pdf.pages[0].Contents = pdf.make_stream(b"q /F Do Q 0 0 0 1 k 0 0 100 200 re f")
        saved = BytesIO()
        pdf.save(saved)
    assert coverage(saved.getvalue(), "plate").shares["Black"] == pytest.approx(0.5, abs=0.02)


def test_a_page_that_cannot_be_followed_is_measured_as_it_is() -> None:
    """A page of somebody else's, whose matrix lacks a number after half of it is painted."""
    with pikepdf.new() as pdf:
        picture = deflated(pdf, np.full((300, 300, 1), 90, np.uint8), pikepdf.Name.DeviceGray)
        pdf.add_blank_page(page_size=(200, 200))
        pdf.pages[0].Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(P=picture))
        pdf.pages[0].Contents = pdf.make_stream(b"0 0 0 1 k 0 0 100 200 re f q 20 0 0 cm /P Do Q")
        coarser(pdf, 72)
        assert picture.Width == 300
        saved = BytesIO()
        pdf.save(saved)
    assert coverage(saved.getvalue(), "plate").shares["Black"] == pytest.approx(0.5, abs=0.02)


def test_a_spot_covers_what_was_drawn(content: FrameContent) -> None:
    """Five squares of 20 mm, by hand; Ghostscript paints every pixel that a shape touches."""
    plate = spot_plate(content, "White")
    assert plate is not None
    shares = coverage(plate, "white").shares
    page = 300 * content.plan.length_mm
    assert shares["White"] == pytest.approx(5 * 400 / page, rel=0.06) and sum(shares.values()) == shares["White"]
    assert spot_plate(content, "Clear") is None
    patched = spot_plate(content, "Clear", PlateWish(patches=True))
    assert patched is None  # varnish keeps clear of marks: patches are white only


def test_a_small_sticker_costs_what_the_trade_says() -> None:
    """Common practice, no published source: at 0.41 a ml about 0.1 ml costs 0.04, three such cost 0.12."""
    assert ink_cost(0.1, Decimal("0.41")) == Decimal("0.04")
    assert ink_cost(0.3, Decimal("0.41")) == Decimal("0.12")


def test_a_run_adds_up_by_hand() -> None:
    """2 m² and 1 m²; cyan covers a quarter and a half, 8 ml where full: 0.25·2·8 + 0.5·1·8 = 8 ml at 0.25 = 2.00; stock
    3 · 4.20 = 12.60, film 3 · 1.60 = 4.80; 12 m² an hour: 15 minutes; 40 pieces: 19.40 / 40 = 0.485."""
    prices = Prices(Decimal("4.20"), Decimal("1.60"), Decimal("0.25"))
    costs = run_costs([(2.0, {"Cyan": 0.25}), (1.0, {"Cyan": 0.5})], 40, prices, Speed(12, 8))
    assert costs.ink_ml == {"Cyan": pytest.approx(8.0)} and costs.minutes == pytest.approx(15)
    assert (costs.stock, costs.film, costs.ink) == (Decimal("12.60"), Decimal("4.80"), Decimal("2.00"))
    assert costs.total == Decimal("19.40") and costs.each == Decimal("0.485")
    assert run_costs([(3.0, {})], 40, Prices(Decimal("4.20"), None, Decimal(0)), Speed(12, 8)).total == Decimal("12.60")


def test_the_proof_names_what_touches(content: FrameContent) -> None:
    plan, recipe = content.plan, content.recipe
    clip = offset(box(0, 0, *np.subtract(plan.work[2:], plan.work[:2])), 1.0)
    from shapely.affinity import translate

    whole = translate(clip, *plan.work[:2])
    assert proof(plan, recipe, [whole]) == []
    mark = plan.marks[0]
    near = box(mark.x - 10, mark.y - 10, mark.x - recipe.out_mm + 0.1, mark.y)
    assert proof(plan, recipe, [whole, near]) == ["Mark 1 has 1 pieces or their bleed in its clear zone."]
    code = plan.codes[1]
    over = box(*np.subtract(code.centre, 2), *np.add(code.centre, 2))
    assert proof(plan, recipe, [over]) == ["The code at the tail has 1 pieces or their bleed in its clear zone."]
    assert proof(replace(plan, width_mm=mark.x + 2), recipe, [])[0] == "Mark 1 leaves the stock."


@pytest.mark.parametrize("shape", SHAPES)
def test_the_place_of_a_mark_is_the_middle_of_its_darkness(shape: str) -> None:
    """The area by hand, and the centroid of what is drawn, whichever way a corner points."""
    recipe = MarkRecipe(shape=shape, size_mm=8, stroke_mm=1.5)  # type: ignore[arg-type]
    by_hand = {
        "disc": 16 * np.pi,
        "square": 64,
        "corner": 2 * 8 * 1.5 - 2.25,
        "cross": 2 * 8 * 1.5 - 2.25,
        "ring": np.pi * (16 - 6.25),
    }
    assert mark_area(recipe).area == pytest.approx(by_hand[shape], rel=2e-3)
    from shapely import Polygon

    for inward in ((1, 1), (-1, 1), (1, -1), (-1, -1)):
        rings = [Polygon(path.flatten(0.001)) for path in mark_paths(recipe, 100, 50, inward)]  # type: ignore[arg-type]
        drawn = rings[0].difference(rings[1]) if len(rings) > 1 else rings[0]
        assert drawn.centroid.coords[0] == pytest.approx((100, 50), abs=1e-3)


def test_filters_are_undone_by_a_reader_of_png_predictors() -> None:
    """The stream is decoded by pikepdf (qpdf's own predictor code) and by Pillow as a PNG would be."""
    pixels = np.dstack([photo(220, 3), np.full((220, 220), 255, np.uint8)])
    pixels[50:60] = 17
    pixels[:, 100:120, 0] = np.arange(20)
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, Picture(pixels, None))
        assert np.array_equal(np.frombuffer(stream.read_bytes(), np.uint8).reshape(220, 220, 3), pixels[..., :3])
    assert set(np.unique(filtered_rows(pixels[..., :3])[:, 0])) <= set(range(5))


def test_a_picture_takes_hardly_more_than_as_png() -> None:
    """Beside Pillow's PNG of the same pixels, at the same level of zlib."""
    pixels = photo(900, 5)
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=6)
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, Picture(np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)]), None))
        assert len(stream.read_raw_bytes()) <= 1.05 * len(out.getvalue())


def test_a_cmyk_jpeg_keeps_its_inks_and_its_profile(tmp_path: Path) -> None:
    """Passed through byte for byte; poppler and Ghostscript see the yellow that was put in."""
    out = BytesIO()
    Image.new("CMYK", (60, 40), (0, 0, 255, 0)).save(out, "JPEG", quality=95)
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, Picture(np.zeros((40, 60, 4), np.uint8), None), out.getvalue())
        assert stream.read_raw_bytes() == out.getvalue() and stream.ColorSpace == "/DeviceCMYK"
        pdf.add_blank_page(page_size=(60, 40))
        pdf.pages[0].Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(P=stream))
        pdf.pages[0].Contents = pdf.make_stream(b"60 0 0 40 0 0 cm /P Do")
        pdf.save(tmp_path / "cmyk.pdf")
    subprocess.run(
        ["pdftoppm", "-r", "72", "-png", "-singlefile", tmp_path / "cmyk.pdf", tmp_path / "cmyk"], check=True
    )
    red, green, blue = np.asarray(Image.open(tmp_path / "cmyk.png").convert("RGB"))[20, 30]
    assert red > 200 and green > 180 and blue < 80
    assert coverage((tmp_path / "cmyk.pdf").read_bytes(), "x").shares["Yellow"] > 0.97


@pytest.mark.parametrize("mode", ["RGB", "RGBA", "L"])
def test_a_png_keeps_its_profile_and_its_numbers(mode: str) -> None:
    """Read back with pikepdf: the profile byte for byte, and every number as it was sent."""
    profile = bytearray(srgb_profile())
    if mode == "L":
        profile[16:20] = b"GRAY"
    pixels = np.random.default_rng(4).integers(0, 256, (30, 20, {"RGB": 3, "RGBA": 4, "L": 1}[mode]), dtype=np.uint8)
    out = BytesIO()
    Image.fromarray(pixels.squeeze(), mode).save(out, "PNG", icc_profile=bytes(profile))
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, Picture(np.zeros((30, 20, 4), np.uint8), None), out.getvalue())
        kind, held = stream.ColorSpace
        colours = 1 if mode == "L" else 3
        assert kind == "/ICCBased" and held.read_bytes() == bytes(profile) and colours == held.N
        assert np.array_equal(
            np.frombuffer(stream.read_bytes(), np.uint8).reshape(30, 20, colours), pixels[..., :colours]
        )
        assert ("/SMask" in stream) == (mode == "RGBA")
        if mode == "RGBA":
            assert np.array_equal(np.frombuffer(stream.SMask.read_bytes(), np.uint8).reshape(30, 20), pixels[..., 3])


def test_a_cmyk_tiff_keeps_its_inks_and_a_profile_of_other_inks_is_left_out() -> None:
    out = BytesIO()
    Image.new("CMYK", (40, 40), (0, 255, 0, 0)).save(out, "TIFF", icc_profile=srgb_profile())
    with pikepdf.new() as pdf:
        stream = picture_stream(pdf, Picture(np.zeros((40, 40, 4), np.uint8), None), out.getvalue())
        assert stream.ColorSpace == "/DeviceCMYK"  # the profile is of three colours, the picture of four
        assert set(stream.read_bytes()[1::4]) == {255} and set(stream.read_bytes()[::4]) == {0}
        pdf.add_blank_page(page_size=(40, 40))
        pdf.pages[0].Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(P=stream))
        pdf.pages[0].Contents = pdf.make_stream(b"40 0 0 40 0 0 cm /P Do")
        saved = BytesIO()
        pdf.save(saved)
    assert coverage(saved.getvalue(), "x").shares["Magenta"] > 0.98
    plain = BytesIO()
    Image.new("RGB", (4, 4), (9, 8, 7)).save(plain, "PNG")
    with pikepdf.new() as pdf:  # without a profile the picture as it was read is printed
        read = picture_stream(pdf, Picture(np.full((4, 4, 4), 255, np.uint8), None), plain.getvalue())
        assert set(read.read_bytes()) == {255}
