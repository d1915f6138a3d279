"""Bleed: no halo, as far as asked, and told where it is short."""

import numpy as np
import pytest
from shapely import Polygon, box

from etiquette.core.artwork.raster import Picture
from etiquette.core.finishing.bleed import NEEDED_MM, bled, bleed_along, laid_over, region_of
from etiquette.core.finishing.coverage import coverage, find_ground
from etiquette.core.finishing.lines import EdgeSettings, FinishLine, line_from_pixels
from etiquette.core.geometry.paths import Path
from tests.core.test_finishing import disc, on_ground, transparent


def circle(x: float, y: float, r: float) -> Polygon:
    angles = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    return Polygon(np.column_stack([x + r * np.cos(angles), y + r * np.sin(angles)]))


def outline(shape: Polygon, kind: str = "kiss") -> FinishLine:
    return FinishLine(kind, Path.from_points(np.asarray(shape.exterior.coords)))  # type: ignore[arg-type]


def ring(made: object, low: float, high: float, x: float = 15.0, y: float = 15.0) -> np.ndarray:
    """Pixels (n, 4) whose centre lies between two distances (mm) from (x, y)."""
    pixels, (left, bottom, width, height) = made.picture.pixels, made.box  # type: ignore[attr-defined]
    rows, columns = np.mgrid[: pixels.shape[0], : pixels.shape[1]] + 0.5
    across, up = left + columns * width / pixels.shape[1], bottom + height - rows * height / pixels.shape[0]
    away = np.hypot(across - x, up - y)
    return pixels[(away > low) & (away < high)]


@pytest.mark.parametrize("ground", [None, (255, 255, 255), (20, 20, 20)])
def test_edge_colours_go_outward_without_a_halo(ground: tuple[int, int, int] | None) -> None:
    """A disc of 10 mm in one colour, anti-aliased against nothing, white or black: the bleed is that colour exactly."""
    share = disc(300, 150, 150, 100)
    picture = transparent(share) if ground is None else on_ground(share, ground, (180, 40, 60))
    if ground is None:  # some programs leave white under half-transparent pixels: it must not come out
        picture.pixels[..., :3][picture.pixels[..., 3] < 255] = 255
    field = coverage(picture, find_ground(picture, "auto"))
    made = bled(picture, field, [circle(15, 15, 13)], 30.0)
    inside = ring(made, 0, 12.8)
    assert (inside[:, 3] == 255).all()
    assert np.abs(inside[:, :3].astype(int) - (180, 40, 60)).max() <= 1
    assert (ring(made, 13.3, 14.9)[:, 3] == 0).all()


def test_bleed_follows_the_colours_along_the_edge_and_reaches_over_the_picture() -> None:
    share = disc(300, 150, 150, 140)  # the disc nearly fills the picture
    picture = transparent(share)
    picture.pixels[:, :150, :3] = (20, 120, 60)  # left half green
    made = bled(picture, picture.alpha, [circle(15, 15, 18)], 30.0)
    left, low, width, height = made.box
    assert left < -2.9 and low < -2.9 and left + width > 32.9
    far = ring(made, 16, 17.8)
    columns = made.picture.width_px
    pixels = made.picture.pixels
    middle = pixels.shape[0] // 2
    at = int(columns * (-2.5 - left) / width)
    assert pixels[middle, at, :3].tolist() == [20, 120, 60]
    assert pixels[middle, columns - at, :3].tolist() == [180, 40, 60]
    # no third colour but where the two meet
    known = (np.abs(far[:, None, :3].astype(int) - [[20, 120, 60], [180, 40, 60]]).max(axis=2) <= 1).any(axis=1)
    assert known.mean() > 0.95


def test_half_transparent_art_inside_keeps_its_look_over_its_own_colour() -> None:
    share = disc(200, 100, 100, 80)
    picture = transparent(share)
    picture.pixels[80:120, 80:120] = (0, 0, 255, 128)
    made = bled(picture, picture.alpha, [circle(10, 10, 9)], 20.0)
    middle = made.picture.pixels[made.picture.height_px // 2, made.picture.width_px // 2]
    assert (
        middle[3] == 255 and np.abs(middle[:3].astype(int) - (90, 20, 157)).max() < 4
    )  # half blue, half of what is round it


def test_thin_strokes_bleed_in_their_own_colour() -> None:
    share = np.zeros((200, 200))
    share[:, 99:101] = 1  # two pixels wide
    picture = transparent(share)
    made = bled(picture, picture.alpha, [box(8, 0, 12, 20)], 20.0)
    stripe = made.picture.pixels[made.picture.height_px // 2]
    printed = stripe[stripe[:, 3] == 255]
    assert len(printed) >= 38 and np.abs(printed[:, :3].astype(int) - (180, 40, 60)).max() <= 1


def test_bleed_under_vectors_shows_only_where_the_art_does_not() -> None:
    share = disc(300, 150, 150, 100)
    picture = transparent(share)
    picture.pixels[140:160, 140:160, :3] = (0, 200, 0)
    under = bled(picture, picture.alpha, [circle(15, 15, 12)], 30.0, under=True)
    seen = laid_over(picture, under, 30.0)
    height, width = seen.pixels.shape[:2]
    assert seen.pixels[height // 2, width // 2].tolist() == [0, 200, 0, 255]
    assert (
        np.abs(
            ring(type("B", (), {"picture": seen, "box": under.box}), 10.3, 11.8)[:, :3].astype(int) - (180, 40, 60)
        ).max()
        <= 1
    )


def test_the_map_tells_full_short_and_not_needed() -> None:
    """A printed square of 20 mm. A line 2 mm inside it has full bleed; on its edge none; 2 mm outside none is
    needed."""
    picture = transparent(np.pad(np.ones((200, 200)), 50))  # 30 mm, the square from 5 to 25
    frame = (0.0, 0.0, 30.0, 30.0)
    for grown, state, length in ((-2.0, "full", 0.0), (0.0, "short", 80.0), (2.0, None, 0.0)):
        line = outline(box(5 - grown, 5 - grown, 25 + grown, 25 + grown))
        runs, short = bleed_along([line], picture.alpha, frame)
        assert {run.state for run in runs} == ({state} if state else set())
        assert short == pytest.approx(length, abs=1.0)
    half = outline(box(6, 6, 25, 24))  # its right side on the edge of the print, the others one millimetre inside
    runs, short = bleed_along([half], picture.alpha, frame)
    assert short == pytest.approx(18, abs=1.5)
    where = np.vstack([run.points for run in runs if run.state == "short"])
    assert where[:, 0].min() > 23.5


def test_made_bleed_is_never_short() -> None:
    picture = transparent(disc(300, 150, 150, 100))
    lines, _, *_ = line_from_pixels(picture, 30.0, EdgeSettings(offset_mm=0))
    _, before = bleed_along(lines, picture.alpha, (0, 0, 30, 30))
    made = bled(picture, picture.alpha, region_of(lines, NEEDED_MM + 0.2), 30.0)
    runs, after = bleed_along(lines, made.picture.alpha, made.box)
    assert before == pytest.approx(2 * np.pi * 10, rel=0.03)
    assert after == 0 and {run.state for run in runs} == {"full"}


def test_only_kiss_and_through_lines_bound_the_print() -> None:
    square = box(0, 0, 10, 10)
    open_line = FinishLine("through", Path.from_points([(0, 5), (10, 5)], closed=False))
    assert region_of([outline(square, "crease"), open_line], 1.0) == []
    through = outline(square.buffer(2), "through")
    (region,) = region_of([outline(square, "crease"), through], 1.0)
    assert region.area == pytest.approx(square.buffer(3).area, rel=2e-3)
    (sticker,) = region_of([outline(square), through], 1.0)  # the backing has nothing to bleed
    assert sticker.area == pytest.approx(square.buffer(1).area, rel=2e-3)


def test_a_picture_without_any_solid_pixel_still_bleeds() -> None:
    picture = Picture(np.full((50, 50, 4), (90, 80, 70, 200), np.uint8), 254.0)
    made = bled(picture, picture.alpha, [box(-1, -1, 6, 6)], 5.0)
    assert np.abs(made.picture.pixels[1, 1, :3].astype(int) - (90, 80, 70)).max() <= 1
