"""Lines from pixels against shapes whose edge is known exactly."""

import re
from io import BytesIO

import numpy as np
import pytest
import shapely
from PIL import Image
from shapely import LineString, Polygon, affinity

from etiquette.core.artwork.raster import Picture, read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.coverage import coverage, find_ground, rings_beside
from etiquette.core.finishing.level_lines import rings_at_half
from etiquette.core.finishing.lines import EdgeSettings, line_from_pixels


def drawn(inside: np.ndarray, fine: int = 8) -> np.ndarray:
    """Coverage (h, w) of a mask drawn `fine` times larger."""
    height, width = inside.shape
    return inside.reshape(height // fine, fine, width // fine, fine).mean(axis=(1, 3))


def grid(size: int, fine: int = 8) -> tuple[np.ndarray, np.ndarray]:
    """x of columns and y of rows, to be taken together."""
    middles = (np.arange(size * fine) + 0.5) / fine
    return middles[None, :], middles[:, None]


def disc(size: int, x0: float, y0: float, radius: float) -> np.ndarray:
    x, y = grid(size)
    return drawn(np.hypot(x - x0, y - y0) < radius)


def transparent(share: np.ndarray) -> Picture:
    pixels = np.zeros((*share.shape, 4), np.uint8)
    pixels[..., :3] = (180, 40, 60)
    pixels[..., 3] = np.round(share * 255)
    return Picture(pixels, 254.0)  # 10 px a millimetre


def on_ground(share: np.ndarray, ground: tuple[int, int, int], art: tuple[int, int, int]) -> Picture:
    mixed = np.array(ground) * (1 - share[..., None]) + np.array(art) * share[..., None]
    return Picture(np.dstack([np.round(mixed).astype(np.uint8), np.full(share.shape, 255, np.uint8)]), 254.0)


@pytest.mark.parametrize(
    ("ground", "art"),
    [((255, 255, 255), (20, 20, 20)), ((244, 240, 230), (200, 60, 60)), ((30, 60, 90), (220, 220, 90))],
)
def test_the_edge_on_a_plain_ground_lies_where_the_art_ends(
    ground: tuple[int, int, int], art: tuple[int, int, int]
) -> None:
    picture = on_ground(disc(120, 60.3, 59.7, 40.2), ground, art)
    rings = rings_at_half(coverage(picture, find_ground(picture, "auto")))
    assert len(rings) == 1
    away = np.abs(np.hypot(rings[0][:, 0] - 60.3, rings[0][:, 1] - 59.7) - 40.2)
    assert away.mean() < 0.05 and away.max() < 0.3


def test_rings_know_holes_from_islands() -> None:
    x, y = grid(100)
    away = np.hypot(x - 50, y - 50)
    rings = rings_at_half(drawn((away < 40) & (away > 20)).astype(np.float32))
    areas = sorted(0.5 * float((r[:, 0] * np.roll(r[:, 1], -1) - np.roll(r[:, 0], -1) * r[:, 1]).sum()) for r in rings)
    assert areas == [pytest.approx(-np.pi * 20**2, rel=0.002), pytest.approx(np.pi * 40**2, rel=0.002)]


def test_art_that_touches_the_border_still_gives_a_closed_ring() -> None:
    (ring,) = rings_at_half(np.ones((6, 9), np.float32))
    assert Polygon(ring).bounds == pytest.approx((0, 0, 9, 6), abs=0.51)


def test_a_saddle_is_told_apart_by_its_middle() -> None:
    apart = np.zeros((4, 4), np.float32)
    apart[1, 1] = apart[2, 2] = 0.9
    joined = np.where(apart > 0, 1.0, 0.3).astype(np.float32)
    joined[0], joined[-1], joined[:, 0], joined[:, -1] = 0, 0, 0, 0
    assert len(rings_at_half(apart)) == 2
    assert len(rings_at_half(joined)) == 1


def line(share: np.ndarray, **settings: object) -> tuple[list[Polygon], object]:
    found, report, *_ = line_from_pixels(transparent(share), share.shape[1] / 10, EdgeSettings(**settings))  # type: ignore[arg-type]
    return [Polygon(one.path.flatten(0.001)) for one in found], report


def test_an_offset_disc_is_a_larger_disc_in_design_coordinates() -> None:
    (shape,), report = line(disc(400, 150, 120, 100), offset_mm=2)
    # y up from the bottom: 40 mm − 12 mm
    assert (shape.centroid.x, shape.centroid.y) == pytest.approx((15, 28), abs=0.01)
    assert shape.area == pytest.approx(np.pi * 12**2, rel=0.002)
    assert report.smallest_radius_mm == pytest.approx(12, rel=0.05)  # type: ignore[attr-defined]
    assert report.nodes <= 12  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("follow", "area"),
    [("box", 20 * 12), ("hull", 20 * 12 - 4 * 9 / 2), ("ellipse", 0)],
)
def test_a_shape_round_the_art_instead_of_its_edge(follow: str, area: float) -> None:
    """An octagon 20 × 12 mm with corners cut by 3 mm; the ellipse of its proportions through its corners by hand."""
    x, y = grid(300)
    across, down = np.abs(x - 150), np.abs(y - 150)
    share = drawn((across < 100) & (down < 60) & (across + down < 130))
    (shape,), _ = line(share, offset_mm=0, follow=follow)
    if follow == "ellipse":
        # the corner (7, 6) and (10, 3) of the octagon: the further one in units of the half axes sets the size
        reach = max(np.hypot(7 / 10, 6 / 6), np.hypot(10 / 10, 3 / 6))
        area = np.pi * 10 * 6 * reach**2
    assert shape.area == pytest.approx(area, rel=0.006)
    assert (shape.centroid.x, shape.centroid.y) == pytest.approx((15, 15), abs=0.03)


def test_smoothing_takes_notches_and_spurs_and_leaves_the_rest() -> None:
    x, y = grid(400)
    body = (np.abs(x - 200) < 120) & (np.abs(y - 200) < 80)
    spur = (np.abs(x - 200) < 4) & (y > 60) & (y < 130)  # 0.8 mm wide, 6 mm long
    notch = (np.abs(x - 200) < 4) & (y > 200)
    share = drawn((body | spur) & ~notch)
    (rough,), _ = line(share, offset_mm=0)
    (smooth,), _ = line(share, offset_mm=0, smooth_mm=0.6)
    # nothing stands out further than the radius, where the spur met the body
    assert rough.bounds[3] == pytest.approx(34, abs=0.1) and smooth.bounds[3] <= 28 + 0.61
    # the plain box again, its corners rounded by the opening
    assert smooth.area == pytest.approx(24 * 16 - (4 - np.pi) * 0.6**2, rel=0.004)


def test_mitred_joins_keep_the_corners_of_the_art() -> None:
    x, y = grid(400)
    share = drawn((np.abs(x - 200) < 100) & (np.abs(y - 200) < 60))
    (mitred,), _ = line(share, offset_mm=2, join="mitre")
    (round_,), _ = line(share, offset_mm=2)
    assert mitred.area == pytest.approx(24 * 16, rel=0.004)
    assert mitred.area - round_.area == pytest.approx((4 - np.pi) * 2**2, rel=0.15)


def test_several_picked_grounds_are_all_ground() -> None:
    picture = on_ground(disc(160, 80, 80, 40), (250, 250, 250), (190, 30, 40))
    pixels = picture.pixels.copy()
    pixels[:, :30] = (60, 120, 200, 255)  # a blue stripe that is no art either
    both = Picture(pixels, 254.0)
    one, _, *_ = line_from_pixels(both, 16, EdgeSettings(ground="#fafafa", offset_mm=0))
    two, report, *_ = line_from_pixels(both, 16, EdgeSettings(ground="#fafafa,#3c78c8", offset_mm=0))
    assert len(one) == 2 and len(two) == 1
    assert Polygon(two[0].path.flatten(0.001)).area == pytest.approx(np.pi * 16, rel=0.005)
    assert report.ground == "#fafafa, #3c78c8"


@pytest.mark.parametrize("slope", [(40, 0), (0, 60), (30, -45)])
def test_a_gradient_counts_as_ground(slope: tuple[int, int]) -> None:
    share = disc(200, 104.3, 95.1, 60)
    v, u = np.mgrid[-1:1:200j, -1:1:200j]
    ground = np.stack([160 + slope[0] * u + slope[1] * v, 190 + slope[0] * u, 215 + slope[1] * v * 0.5], axis=2)
    mixed = ground * (1 - share[..., None]) + np.array([150, 30, 40]) * share[..., None]
    picture = Picture(np.dstack([np.round(mixed).astype(np.uint8), np.full(share.shape, 255, np.uint8)]), 254.0)
    found = find_ground(picture, "auto")
    assert found.slope is not None and "gradient" in found.words
    (ring,) = [ring for ring in rings_at_half(coverage(picture, found)) if len(ring) > 50]
    away = np.abs(np.hypot(ring[:, 0] - 104.3, ring[:, 1] - 95.1) - 60)
    assert away.mean() < 0.1 and away.max() < 0.5


@pytest.mark.parametrize("quality", [90, 60, 50, 35])
@pytest.mark.parametrize(
    ("ground", "art"),
    [((246, 243, 236), (40, 90, 130)), ((255, 255, 255), (250, 200, 40)), ((200, 220, 255), (255, 120, 120))],
)
def test_the_noise_of_a_jpeg_moves_the_line_by_less_than_a_pixel(
    ground: tuple[int, int, int], art: tuple[int, int, int], quality: int
) -> None:
    """Dark on light, and colours that differ in little but their hue, which JPEG keeps at half the size."""
    picture = on_ground(disc(400, 203.3, 198.1, 130), ground, art)
    out = BytesIO()
    Image.fromarray(picture.pixels[..., :3]).save(out, "JPEG", quality=quality, dpi=(254, 254))
    found, report, *_ = line_from_pixels(read_picture(out.getvalue(), "art.jpg"), 40, EdgeSettings(offset_mm=0))
    assert len(found) == 1 and report.warnings == []
    points = found[0].path.flatten(0.005) * 10
    away = np.abs(np.hypot(points[:, 0] - 203.3, points[:, 1] - (400 - 198.1)) - 130)
    assert away.mean() < 0.25 and away.max() < 1.0


@pytest.mark.parametrize("width", [2, 3, 5])
def test_thin_strokes_of_a_jpeg_stay_as_thin_as_they_are(width: int) -> None:
    """A ring of so many pixels, black on white: its outer edge by its radius."""
    x, y = grid(400)
    ring = drawn(np.abs(np.hypot(x - 200, y - 200) - 120) < width / 2)
    out = BytesIO()
    Image.fromarray(on_ground(ring, (255, 255, 255), (20, 20, 20)).pixels[..., :3]).save(out, "JPEG", quality=75)
    found, *_ = line_from_pixels(read_picture(out.getvalue(), "ring.jpg"), 40, EdgeSettings(offset_mm=0))
    points = max((one.path.flatten(0.005) * 10 for one in found), key=len)
    away = np.hypot(points[:, 0] - 200, points[:, 1] - 200) - (120 + width / 2)
    assert abs(away.mean()) < 0.15 and np.abs(away).max() < 0.5


def test_only_what_compression_leaves_counts_as_ringing() -> None:
    """A soft shadow fades evenly and its rounding is no ringing; the same picture as JPEG rings."""
    import cv2

    shadow = cv2.GaussianBlur(disc(400, 210, 210, 130).astype(np.float32), (0, 0), 12) * 0.5
    picture = on_ground(np.maximum(disc(400, 200, 200, 130), shadow), (255, 255, 255), (10, 10, 10))
    art = (picture.pixels[..., 0] < 200).astype(np.uint8)
    out = BytesIO()
    Image.fromarray(picture.pixels[..., :3]).save(out, "JPEG", quality=90)
    assert not rings_beside(picture.pixels, art)
    assert rings_beside(read_picture(out.getvalue(), "shadow.jpg").pixels, art)


@pytest.mark.parametrize("quality", [95, 50])
def test_specks_of_a_jpeg_are_no_islands(quality: int) -> None:
    """Ringing round a hard edge must not leave islands of its own, however small the least area is set."""
    picture = on_ground(disc(400, 203.3, 198.1, 130), (246, 243, 236), (40, 90, 130))
    out = BytesIO()
    Image.fromarray(picture.pixels[..., :3]).save(out, "JPEG", quality=quality, dpi=(254, 254))
    settings = EdgeSettings(offset_mm=0, min_area_mm2=0.2, holes="keep")
    found, report, *_ = line_from_pixels(read_picture(out.getvalue(), "art.jpg"), 40, settings)
    assert len(found) == 1 and report.lines == 1


def test_a_soft_edge_lies_where_half_of_the_light_is() -> None:
    """A disc blurred like a photograph, with grain."""
    import cv2

    share = cv2.GaussianBlur(disc(300, 150.4, 148.8, 90).astype(np.float32), (0, 0), 2.5)
    random = np.random.default_rng(8)
    pixels = on_ground(share, (235, 236, 230), (70, 60, 120)).pixels.astype(float)
    pixels[..., :3] += random.normal(0, 3, (300, 300, 3))
    picture = Picture(np.clip(np.round(pixels), 0, 255).astype(np.uint8), 254.0)
    found, _, *_ = line_from_pixels(picture, 30, EdgeSettings(offset_mm=0))
    assert len(found) == 1
    points = found[0].path.flatten(0.005) * 10
    away = np.hypot(points[:, 0] - 150.4, points[:, 1] - (300 - 148.8)) - 90
    assert np.abs(away).mean() < 0.5 and np.abs(away).max() < 1.5


def test_transparent_pixels_are_ground_whatever_colour_is_picked() -> None:
    picture = transparent(disc(160, 80, 80, 40))
    found, _, *_ = line_from_pixels(picture, 16, EdgeSettings(ground="#ffffff", offset_mm=0))
    assert Polygon(found[0].path.flatten(0.001)).area == pytest.approx(np.pi * 16, rel=0.005)


@pytest.mark.parametrize("choice", ["#ffff", "#gggggg", "red", "#ffffff,#12"])
def test_a_ground_that_is_no_colour_is_a_sentence(choice: str) -> None:
    with pytest.raises(JobError, match=r"is not a (colour|ground)"):
        find_ground(on_ground(disc(40, 20, 20, 10), (255, 255, 255), (0, 0, 0)), choice)


def test_holes_are_filled_or_kept_and_shrink_with_the_offset() -> None:
    x, y = grid(400)
    away = np.hypot(x - 200, y - 200)
    share = drawn((away < 150) & (away > 80))
    assert len(line(share, holes="fill")[0]) == 1
    outer, hole = sorted(line(share, holes="keep", offset_mm=2)[0], key=lambda one: -one.area)
    assert hole.area == pytest.approx(np.pi * 6**2, rel=0.005)
    assert outer.area == pytest.approx(np.pi * 17**2, rel=0.002)


def test_specks_are_left_out_and_near_islands_joined() -> None:
    share = np.maximum(disc(400, 120, 200, 60), disc(400, 280, 200, 60))
    share = np.maximum(share, disc(400, 20, 20, 4))
    assert len(line(share, offset_mm=0)[0]) == 2
    assert len(line(share, offset_mm=0, merge_mm=4.5)[0]) == 1  # 4 mm apart
    assert len(line(share, offset_mm=0, merge_mm=3.5)[0]) == 2
    assert len(line(share, offset_mm=0, min_area_mm2=0.1)[0]) == 3


def test_corners_are_rounded_to_the_radius_asked() -> None:
    x, y = grid(400)
    share = drawn((np.abs(x - 200) < 100) & (np.abs(y - 200) < 60))
    sharp, _ = line(share, offset_mm=0)
    rounded, _ = line(share, offset_mm=0, corner_mm=3)
    # a square corner rounded by r loses (1 − π/4) r² each
    assert sharp[0].area - rounded[0].area == pytest.approx(4 * (1 - np.pi / 4) * 9, rel=0.05)


def test_the_line_stays_within_the_tolerance_of_what_it_follows() -> None:
    angles = np.linspace(0, 2 * np.pi, 2000)
    for tolerance in (0.02, 0.1):
        radius = 120 + 30 * np.cos(5 * angles)
        x, y = grid(400)
        share = drawn(np.hypot(x - 200, y - 200) < 120 + 30 * np.cos(5 * np.arctan2(y - 200, x - 200)))
        (shape,), report = line(share, offset_mm=0, tolerance_mm=tolerance)
        truth = LineString(np.column_stack([20 + radius * np.cos(angles) / 10, 20 - radius * np.sin(angles) / 10]))
        assert report.max_deviation_mm <= 1.05 * tolerance  # type: ignore[attr-defined]
        assert shape.exterior.hausdorff_distance(truth) < tolerance + 0.02


def png(image: Image.Image, **more: object) -> bytes:
    out = BytesIO()
    image.save(out, "PNG", **more)
    return out.getvalue()


def test_bad_files_are_sentences() -> None:
    good = png(Image.new("RGB", (64, 64), "red"))
    header = good[:16] + (20_000).to_bytes(4, "big") + (20_000).to_bytes(4, "big") + good[24:]
    import zlib

    header = header[:29] + zlib.crc32(header[12:29]).to_bytes(4, "big") + header[33:]
    for content, words in (
        (b"", "empty"),
        (b"hello", "not a picture"),
        (good[:-30], "damaged"),
        (header, "400 million pixels"),
    ):
        with pytest.raises(JobError, match=words):
            read_picture(content, "art.png")


def test_the_real_size_comes_from_the_file_or_is_asked_for() -> None:
    picture = read_picture(png(Image.new("L", (300, 150)), dpi=(300, 300)), "art.png")
    assert width_mm_of(picture) == pytest.approx(25.4, rel=1e-3)
    assert width_mm_of(picture, width_mm=40) == 40
    assert width_mm_of(picture, dpi=150) == pytest.approx(50.8)
    with pytest.raises(JobError, match="how large"):
        width_mm_of(read_picture(png(Image.new("L", (300, 150))), "art.png"))


def test_a_ground_that_cannot_be_told_is_asked_for() -> None:
    noise = np.random.default_rng(1).integers(0, 255, (40, 40, 3), dtype=np.uint8)
    picture = Picture(np.dstack([noise, np.full((40, 40), 255, np.uint8)]), None)
    with pytest.raises(JobError, match="neither one colour nor"):
        find_ground(picture, "auto")
    with pytest.raises(JobError, match="no transparency"):
        find_ground(picture, "alpha")


def bricks(seed: int) -> Picture:
    """A wall of 40 bricks of uneven colour in pale mortar, as a camera takes it."""
    import cv2

    random = np.random.default_rng(seed)
    wall = np.full((400, 600, 3), (190, 180, 170), float)
    for row in range(8):
        for column in range(-1, 6):
            x, y = column * 100 + 50 * (row % 2), row * 50
            colour = np.array((150, 80, 60)) + random.normal(0, 14, 3)
            wall[y + 3 : y + 47, max(0, x + 3) : max(0, x + 97)] = colour
    wall = cv2.GaussianBlur(wall + random.normal(0, 6, wall.shape), (0, 0), 1.0)
    alpha = np.full((400, 600, 1), 255.0)
    return Picture(np.clip(np.dstack([wall, alpha]), 0, 255).astype(np.uint8), 254.0)


def test_a_wall_of_bricks_is_not_taken_for_a_sheet_of_stickers() -> None:
    """Either no ground is told from it, or what is found is called doubtful; forty stickers on paper are not."""
    for seed in range(3):
        try:
            assert line_from_pixels(bricks(seed), 60, EdgeSettings(offset_mm=0)).doubtful
        except JobError as refused:
            assert "cannot be told" in refused.what
    x, y = grid(800, 2)
    dots = drawn(np.hypot(x % 100 - 50, y % 100 - 50) < 30, 2)
    sheet = line_from_pixels(on_ground(dots, (240, 238, 230), (60, 60, 60)), 80, EdgeSettings(offset_mm=0))
    assert len(sheet.lines) == 64 and not sheet.doubtful


def test_a_picture_in_dots_is_not_followed_dot_by_dot() -> None:
    """A scan in dots (35,407 of them) took minutes; with specks of the size that is named left out it has few lines."""
    y, x = np.mgrid[:560, :560]
    wide = 2 + (np.hypot(x - 280, y - 280) < 40)  # dots of 2 pixels, in the middle of 3
    page = on_ground(((x % 5 < wide) & (y % 5 < wide)).astype(float), (255, 255, 255), (0, 0, 0))
    with pytest.raises(JobError, match=r"falls into 12,544 parts") as told:
        line_from_pixels(page, 56, EdgeSettings(offset_mm=0, min_area_mm2=0.0))
    wanted = re.search(r"under ([\d.]+) mm²", told.value.do)
    assert wanted
    kept = line_from_pixels(page, 56, EdgeSettings(offset_mm=0, min_area_mm2=float(wanted[1])))
    assert 0 < len(kept.lines) <= 10_000


@pytest.mark.parametrize("side", [2, 3, 40])
def test_a_picture_that_is_all_art_is_cut_as_its_rectangle(side: int) -> None:
    """Two pixels of fifty millimetres each are no disc."""
    pixels = np.full((side, side, 4), 255, dtype=np.uint8)
    pixels[..., :3] = np.random.default_rng(side).integers(0, 100, (side, side, 3))
    found = line_from_pixels(Picture(pixels, None), 100.0, EdgeSettings(offset_mm=0.0, ground="#ffffff"))
    (line,) = found.lines
    corners = line.path.flatten()
    assert set(map(tuple, np.round(corners, 6).tolist())) == {(0, 0), (100, 0), (100, 100), (0, 100)}
    assert "whole picture" in found.report.warnings[0]


@pytest.mark.parametrize("side", [6, 10, 16, 31])
def test_art_of_a_few_pixels_is_followed_along_its_squares(side: int) -> None:
    """Printed 100 mm wide, each of them is a square that everybody sees: an L of them has right angles."""
    there = np.zeros((side, side))
    there[1:-1, 1 : side // 2] = 1
    there[-side // 2 : -1, 1:-1] = 1
    found = line_from_pixels(transparent(there), 100.0, EdgeSettings(offset_mm=0.0))
    (line,) = found.lines
    inside = shapely.union_all(
        [
            shapely.box(column, side - row - 1, column + 1, side - row)  # rows run down, design millimetres up
            for row, column in zip(*np.nonzero(there), strict=True)
        ]
    )
    drawn = affinity.scale(inside, 100 / side, 100 / side, origin=(0, 0))
    cut = Polygon(line.path.flatten(0.02))
    assert cut.symmetric_difference(drawn).area < 0.005 * drawn.area
