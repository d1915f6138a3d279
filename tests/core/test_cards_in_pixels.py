"""Test cards read from pixels: lines drawn by the normal distribution's own integral, so their place is known
exactly."""

import cv2
import numpy as np
import pypdfium2
import pytest
from scipy.special import ndtr

from etiquette.core.aligning.windows import Window
from etiquette.core.calibrating.cards import CARDS, CardName
from etiquette.core.calibrating.looking import line_beside, read_feed, read_knife, read_sensor
from etiquette.core.calibrating.patterns import APART_MM, SIDE_MM, STEPS, pattern_of
from etiquette.core.calibrating.printed import page_of, read_scan
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

SIDE_PX, MM_PER_PX = 360, 0.1


def window(x: float, y: float, lines: list[tuple[Points, Points]], seed: int = 1, ink: float = 150.0) -> Window:
    """What a head sees at (x, y): dark lines 0.12 mm wide from one point to another, blurred and noisy."""
    at = (np.arange(SIDE_PX) + 0.5 - SIDE_PX / 2) * MM_PER_PX
    across, along = np.meshgrid(x + at, y - at)
    dark = np.zeros(across.shape)
    reach = np.array([across.max() - x, along.max() - y]) + 1.0
    for start, end in lines:
        low, high = np.minimum(start, end), np.maximum(start, end)
        if (high < np.array([x, y]) - reach).any() or (low > np.array([x, y]) + reach).any():
            continue  # it lies nowhere near the window
        way = (np.array(end) - start) / np.hypot(*(np.array(end) - start))
        beside = (across - start[0]) * -way[1] + (along - start[1]) * way[0]
        ahead = (across - start[0]) * way[0] + (along - start[1]) * way[1]
        inside = ndtr(ahead / 0.05) * ndtr((np.hypot(*(np.array(end) - start)) - ahead) / 0.05)
        dark = np.maximum(dark, (ndtr((beside + 0.06) / 0.06) - ndtr((beside - 0.06) / 0.06)) * inside)
    noise = np.random.default_rng(seed).normal(0, 3, dark.shape)
    return Window(np.clip(235 - ink * dark + noise, 0, 255).astype(np.uint8), x, y, MM_PER_PX)


@pytest.mark.parametrize("angle", [0, 7, 45, 90])
@pytest.mark.parametrize("off", [-0.83, 0.0, 0.137, 1.9])
def test_a_line_is_found_to_a_tenth_of_a_pixel(angle: float, off: float) -> None:
    turn = np.radians(angle)
    way, beside = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    middle = np.array([100.0, 50.0])
    seen = window(100, 50, [(middle + off * beside - 20 * way, middle + off * beside + 20 * way)])
    places = middle + np.linspace(-6, 6, 25)[:, None] * way
    found = line_beside(seen, places, beside, 2.5)
    assert np.median(found) == pytest.approx(off, abs=0.01) and np.isfinite(found).all()
    assert np.isnan(line_beside(seen, places + 6 * beside, beside, 2.5)).all()  # there is none


def test_the_feed_is_the_distance_of_two_lines() -> None:
    """A machine that goes 1001.3 mm when it is told 1000."""
    pattern = pattern_of("feed", {"told_mm": 1000})
    x, near, far = pattern.steps[0].x, pattern.steps[0].y, pattern.steps[0].y + 1001.3
    lines = [(np.array([x - 30, y]), np.array([x + 30, y])) for y in (near, far)]
    read = read_feed(lambda at_x, at_y: window(at_x, at_y, lines), pattern)
    assert read["measured_mm"] == pytest.approx(1001.3, abs=0.02)


def test_the_cross_lies_where_the_camera_looks_beside() -> None:
    pattern = pattern_of("sensor", {})
    (step,) = pattern.steps
    dx, dy = 0.42, -0.27

    def look(x: float, y: float) -> Window:
        """A camera that really looks at (x + dx, y + dy) and does not know it."""
        cross = [
            (np.array([20.0, step.y]), np.array([50.0, step.y])),
            (np.array([step.x, 20.0]), np.array([step.x, 50.0])),
        ]
        seen = window(x + dx, y + dy, cross)
        return Window(seen.pixels, x, y, seen.mm_per_px)

    assert read_sensor(look, pattern) == pytest.approx({"across_mm": -dx, "along_mm": -dy}, abs=0.01)


def bent_square(x: float, y: float, bend: float) -> list[tuple[Points, Points]]:
    """A square whose edges turn outward by `bend` mm over the last 1.2 mm before its corners."""
    half = SIDE_MM / 2
    lines = []
    for number in range(4):
        turn = np.pi / 2 * number
        rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        points = np.array([(half + bend, -half), (half, -half + 1.2), (half, half - 1.2), (half + bend, half)])
        placed = points @ rotation.T + (x, y)
        lines += list(zip(placed, placed[1:], strict=False))
    return lines


def test_the_square_between_rounded_and_spurred_corners_is_the_sharpest() -> None:
    """Bends from − 0.25 to + 0.45 mm in steps of 0.1: none at the offset between the third and the fourth."""
    pattern = pattern_of("knife", {})
    lines = [line for n, step in enumerate(pattern.steps) for line in bent_square(step.x, step.y, -0.25 + 0.1 * n)]
    assert read_knife(lambda x, y: window(x, y, lines), pattern)["best"] == pytest.approx(3.5, abs=0.15)
    rounded = [line for step in pattern.steps for line in bent_square(step.x, step.y, -0.3)]
    with pytest.raises(JobError, match="larger than all"):
        read_knife(lambda x, y: window(x, y, rounded), pattern)
    with pytest.raises(JobError, match="not to be seen"):
        read_knife(lambda x, y: window(x, y, [], ink=0), pattern)


def test_ladders_climb_and_stay_on_their_piece_of_stock() -> None:
    force, knife = pattern_of("force", {"first_gf": 30, "step_gf": 15}), pattern_of("knife", {})
    assert [step.force_gf for step in force.steps] == [30 + 15 * n for n in range(STEPS)]
    assert [step.offset_mm for step in knife.steps] == pytest.approx([0.1 + 0.05 * n for n in range(STEPS)])
    for name in ("force", "knife", "sensor", "feed"):
        pattern = pattern_of(name, {})
        points = np.concatenate([line.path.flatten() for step in pattern.steps for line in step.lines])
        assert (points >= 15).all() and (points <= np.array([pattern.width_mm, pattern.length_mm]) - 15).all()
        assert set(CARDS) >= {name}
    assert (
        np.diff([step.x for step in force.steps]) == pytest.approx(np.full(STEPS - 1, APART_MM)) and APART_MM > SIDE_MM
    )
    with pytest.raises(JobError, match="printed, not cut"):
        pattern_of("two-way", {})


@pytest.mark.parametrize("name", ["nozzles", "two-way"])
def test_a_printed_card_is_black_lines_and_nothing_else(name: CardName) -> None:
    """Rendered by pdfium: so many lines that do not touch, no pictures, and a sound printer is read as sound."""
    document = pypdfium2.PdfDocument(page_of(name, 320))
    page = document[0]
    assert not list(page.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_IMAGE]))
    grey = page.render(scale=1200 / 72, grayscale=True).to_numpy().squeeze()
    count, _ = cv2.connectedComponents((grey < 128).astype(np.uint8))
    assert count - 1 == (320 if name == "nozzles" else 2 * 41)
    assert read_scan(name, grey, 25.4 / 1200, 320) in (
        {"nozzles": 320, "missing": 0},
        {"pair": pytest.approx(0, abs=0.1)},
    )


def test_bars_that_are_moved_and_nozzles_that_are_blocked_are_counted() -> None:
    scale = 25.4 / 1200
    grey = pypdfium2.PdfDocument(page_of("two-way", 0))[0].render(scale=1200 / 72, grayscale=True).to_numpy().squeeze()
    back = round(grey.shape[0] - 54.5 / scale)  # above: printed on the way back
    moved = grey.copy()
    moved[:back] = np.roll(grey[:back], 7, axis=1)
    assert read_scan("two-way", moved, scale, 0)["pair"] == pytest.approx(7 * scale / 0.02, abs=0.2)
    stair = (
        pypdfium2.PdfDocument(page_of("nozzles", 64))[0]
        .render(scale=1200 / 72, grayscale=True)
        .to_numpy()
        .squeeze()
        .copy()
    )
    for row in (5, 31, 63):
        stair[stair.shape[0] - 8 * (row + 1) : stair.shape[0] - 8 * row] = 255
    assert read_scan("nozzles", stair, scale, 64)["missing"] == 3
    with pytest.raises(JobError, match="Not all bars"):
        read_scan("two-way", np.full_like(grey, 255), scale, 0)
    with pytest.raises(JobError, match="A card holds 389"):
        page_of("nozzles", 400)
