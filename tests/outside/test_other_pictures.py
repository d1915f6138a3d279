"""Pictures in the forms that come from phones and web pages, written and read by OpenCV's own codecs; and from there to
a line and to print files."""

import cv2
import numpy as np
import pypdfium2 as pdfium
import pytest

from etiquette.core.artwork.raster import read_picture
from etiquette.sandbox.art import read_art
from etiquette.stations import designs, line_finding, plate_sets, run_edits, runs
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from tests.stations.shop_floor import do, fill_shelf

LOSSLESS_WEBP = [cv2.IMWRITE_WEBP_QUALITY, 101]


def disc(channels: int = 3) -> np.ndarray:
    """A disc of 60 px radius in one colour on white, or on nothing (4 channels); blue, green, red."""
    image = np.full((160, 200, channels), 255, dtype=np.uint8)
    if channels == 4:
        image[..., 3] = 0
    cv2.circle(image, (100, 80), 60, (40, 160, 220, 255)[:channels], -1)
    return image


def written(ending: str, image: np.ndarray) -> bytes:
    done, content = cv2.imencode(ending, image, LOSSLESS_WEBP if ending == ".webp" else [])
    assert done
    return bytes(content)


@pytest.mark.parametrize(("ending", "off"), [(".webp", 0), (".bmp", 0), (".gif", 0), (".avif", 3)])
def test_pixels_are_those_that_opencv_reads(ending: str, off: int) -> None:
    """AVIF keeps colours in another space: its readers round in their own ways."""
    content = written(ending, disc())
    picture = read_picture(content, f"disc{ending}")
    asked = cv2.cvtColor(cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
    assert (picture.width_px, picture.height_px) == (200, 160) and not picture.has_transparency
    assert np.abs(picture.pixels[..., :3].astype(int) - asked).max() <= off


@pytest.mark.parametrize("ending", [".webp", ".avif"])
def test_what_is_see_through_stays_so(ending: str) -> None:
    alpha = read_picture(written(ending, disc(4)), "disc").alpha
    assert abs(int((alpha > 127).sum()) / (np.pi * 60**2) - 1) < 0.01


@pytest.mark.parametrize("ending", [".webp", ".avif", ".gif", ".bmp"])
def test_what_is_cut_short_is_told_in_a_sentence(ending: str) -> None:
    content = written(ending, disc())
    with pytest.raises(Exception, match=r"damaged|not a picture") as told:
        read_art(content[: len(content) // 2], f"disc{ending}")
    assert getattr(told.value, "where", "") == f"disc{ending}"


def test_a_picture_from_a_web_page_goes_to_its_line_and_its_print_file(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, written(".webp", disc(4)), "disc.webp", None)

    def sized(changes: dict[str, object]) -> None:
        shop.database.within(lambda session: editing.change(session, design, None, "as asked", changes))

    sized({"width_mm": 50.0, "offset_mm": 2.0})
    do(shop, line_finding.find_lines, design_id=design)
    state = shop.database.within(lambda session: designs.state_of(session, design))
    (line,) = designs.lines_of(shop, state).lines
    low, high = line.path.flatten(0.01).min(axis=0), line.path.flatten(0.01).max(axis=0)
    assert np.allclose(high - low, 2 * (60 * 0.25 + 2.0), atol=0.2)  # a quarter of a millimetre a pixel
    sized({"ready": True})
    run = shop.database.within(lambda session: run_edits.create(session, "Discs", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    do(shop, plating.make_plates, run_id=run)
    (plate,) = shop.database.within(lambda session: plate_sets.plates_of(session, runs.state_of(shop, session, run)))
    page = pdfium.PdfDocument(shop.blobs.read(plate.pdf_sha))[0]
    pixels = page.render(scale=10 / (72 / 25.4)).to_numpy()[..., :3].astype(int)
    painted = np.abs(pixels - (40, 160, 220)).max(axis=2) < 40
    assert painted.sum() / 100 == pytest.approx(2 * np.pi * 15**2, rel=0.03)  # mm², ten pixels a millimetre
