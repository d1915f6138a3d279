"""How far a ground reaches, from its own noise; and lines that neither cross themselves nor run through slits."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, box

from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.coverage import find_ground
from etiquette.core.finishing.lines import EdgeSettings, line_from_areas, line_from_pixels
from tests.core.test_finishing import disc, on_ground

PAPER = (236, 232, 224)


def photographed(share: np.ndarray, art: tuple[int, int, int], grain: float) -> Picture:
    """Art on paper under a camera: grain of a standard deviation of `grain` levels in each channel, paper a little
    darker to one side."""
    clean = on_ground(share, PAPER, art).pixels[..., :3].astype(float)
    noise = np.random.default_rng(5).normal(0, grain, clean.shape)
    shade = np.linspace(0, -8, clean.shape[1])[None, :, None]
    rgb = np.clip(np.round(clean + noise + shade), 0, 255).astype(np.uint8)
    return Picture(np.dstack([rgb, np.full(share.shape, 255, np.uint8)]), 254.0)


def test_a_drawn_ground_reaches_to_what_is_plainly_seen_beside_it() -> None:
    """A pale yellow on white (8.9 CIEDE2000 of it) is art: at a tenth of full scale it was lost."""
    picture = on_ground(disc(120, 60.3, 59.7, 40.2), (255, 255, 255), (255, 253, 232))
    assert find_ground(picture, "auto").distance == 5.0
    lines, report, *_ = line_from_pixels(picture, 12, EdgeSettings(offset_mm=0))
    assert report.distance == 5.0
    assert Polygon(lines[0].path.flatten(0.001)).area == pytest.approx(np.pi * 4.02**2, rel=0.01)
    with pytest.raises(JobError, match="everything counts as ground"):
        line_from_pixels(picture, 12, EdgeSettings(offset_mm=0, distance=10.0))


@pytest.mark.parametrize("grain", [0.0, 3.0, 9.0, 16.0])
def test_the_reach_of_a_ground_grows_with_its_noise(grain: float) -> None:
    picture = photographed(disc(240, 120.3, 119.7, 80.2), (60, 120, 90), grain)
    reach = find_ground(picture, "auto").distance
    lines, report, specks, *_ = line_from_pixels(picture, 24, EdgeSettings(offset_mm=0, min_area_mm2=0.01))
    assert report.distance == reach and 5.0 <= reach <= 20.0
    assert len(lines) == 1 and specks == []  # no grain of the paper counts as art
    assert Polygon(lines[0].path.flatten(0.001)).area == pytest.approx(np.pi * 8.02**2, rel=0.02)


def test_art_on_the_rim_is_no_noise() -> None:
    """A bar of another colour across a fifth of the rim; the rest is plain."""
    share = np.zeros((200, 200))
    share[60:140] = 1.0
    picture = on_ground(share, (255, 255, 255), (200, 60, 60))
    assert find_ground(picture, "auto").distance == 5.0


def test_a_ground_that_is_not_on_the_rim_is_not_measured_there() -> None:
    picture = on_ground(disc(120, 60, 60, 40), (255, 255, 255), (20, 20, 20))
    assert find_ground(picture, "#141414").distance == 10.0


def slit_plate(slit_mm: float) -> Polygon:
    """A square of 20 mm with a slit from its upper edge to its middle."""
    half = slit_mm / 2
    return Polygon(
        [(0, 0), (20, 0), (20, 20), (10 + half, 20), (10 + half, 8), (10 - half, 8), (10 - half, 20), (0, 20)]
    )


def test_a_slit_that_no_knife_can_turn_in_is_filled() -> None:
    for slit, area in ((0.001, 400.0), (0.04, 400.0), (0.4, 400 - 0.4 * 12)):
        found = line_from_areas([slit_plate(slit)], EdgeSettings(offset_mm=0))
        (line,) = found.lines
        assert Polygon(line.path.flatten(0.001)).area == pytest.approx(area, abs=0.05), slit


def test_a_slit_that_an_offset_leaves_is_filled() -> None:
    """Two squares 4.01 mm apart, each grown by 2 mm: what is left between them is 0.01 mm wide."""
    squares = [box(0, 0, 10, 10), box(14.01, 0, 24.01, 10)]
    (line,) = line_from_areas(squares, EdgeSettings(offset_mm=2.0, join="mitre")).lines
    assert Polygon(line.path.flatten(0.001)).area == pytest.approx(28.01 * 14, abs=0.05)


@given(seed=st.integers(0, 10_000), tolerance=st.sampled_from([0.05, 0.3, 1.0]))
def test_lines_do_not_cross_themselves_however_loosely_they_follow(seed: int, tolerance: float) -> None:
    """Blots with necks and inlets thinner than the tolerance."""
    rng = np.random.default_rng(seed)
    turns = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    waves = sum(rng.uniform(0.1, 0.9) / k * np.sin(k * turns + rng.uniform(0, 7)) for k in (2, 3, 5, 9, 23))
    radius = np.maximum(6 * (1.1 + waves), 0.01)
    blot = Polygon(np.column_stack([radius * np.cos(turns), radius * np.sin(turns)]))
    for line in line_from_areas([blot], EdgeSettings(offset_mm=0, tolerance_mm=tolerance, min_area_mm2=0)).lines:
        assert Polygon(line.path.flatten(tolerance / 20)).is_valid
