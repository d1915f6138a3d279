"""Marks read from a photo taken at an angle through a lens that bends."""

import cv2
import numpy as np
import pytest

from etiquette.core.aligning.photos import Camera, find_codes, find_marks_in_photo
from etiquette.core.errors import JobError
from etiquette.core.marking.codes import FrameCode
from etiquette.core.marking.frames import Reach, plan_frame
from etiquette.core.marking.marks import MarkRecipe
from tests.core.test_aligning import PaperHead
from tests.scenes import pinhole

WIDE, HIGH = 4000, 3000
RECIPE = MarkRecipe(spacing_mm=150)
PLAN = plan_frame((0, 0, 500, 300), 600, RECIPE, Reach(1616, 3200), "K7Q2R9", "K7Q2R9")


def photograph(tilt: tuple[float, float], turn: float, seed: int) -> tuple[Camera, np.ndarray]:
    """A photo of 4000 × 3000 px of the sheet of 600 × 380 mm: perspective, distortion, blur, uneven light, noise."""
    sheet = PaperHead(PLAN, RECIPE, 0, (0, 0)).sheet
    homography = pinhole(tilt, turn, 780, (300, PLAN.length_mm / 2))
    camera = Camera(homography, np.array([-0.06, 0.01]), np.array([WIDE, HIGH]) / 2, float(np.hypot(WIDE, HIGH)) / 2)
    row, column = np.mgrid[:HIGH, :WIDE] + 0.5
    plane = camera.to_plane(np.column_stack([column.ravel(), row.ravel()]))
    places = np.stack([plane[:, 0] * 10 - 0.5, sheet.shape[0] - plane[:, 1] * 10 - 0.5], axis=1).reshape(HIGH, WIDE, 2)
    seen = cv2.remap(
        cv2.GaussianBlur(sheet, (0, 0), 1.2), places.astype(np.float32), None, cv2.INTER_LINEAR, borderValue=110
    )
    light = 0.75 + 0.15 * column / WIDE
    noise = np.random.default_rng(seed).normal(0, 4, seen.shape)
    return camera, np.clip(seen * light + noise, 0, 255).astype(np.uint8)


@pytest.mark.parametrize(("tilt", "turn"), [((-6.0, 10.0), 176.0)])
def test_a_photo_shows_where_everything_lies(tilt: tuple[float, float], turn: float) -> None:
    """Asked for: 0.25 mm at worst on 600 × 400 mm."""
    truth, photo = photograph(tilt, turn, 3)
    codes = find_codes(photo)
    assert {one.code for one in codes} == {FrameCode("K7Q2R9", "head"), FrameCode("K7Q2R9", "tail")}
    places = find_marks_in_photo(photo, codes, PLAN, RECIPE).places
    assert all(places.values())
    planned = np.array([(mark.x, mark.y) for mark in PLAN.marks])
    pixels = np.array([places[mark.id] for mark in PLAN.marks])
    assert np.abs(pixels - truth.to_pixels(planned)).max() < 0.1
    camera = Camera.solved(planned, pixels, (WIDE, HIGH))
    everywhere = np.random.default_rng(0).uniform((0, 0), (600, PLAN.length_mm), (300, 2))
    assert np.hypot(*(camera.to_plane(truth.to_pixels(everywhere)) - everywhere).T).max() < 0.25


def test_a_camera_gives_back_what_it_was_made_of() -> None:
    truth = Camera(pinhole((8, 5), 20, 900, (0, 0)), np.array([-0.08, 0.02]), np.array([2000.0, 1500]), 2500.0)
    plane = np.random.default_rng(1).uniform(-300, 300, (30, 2))
    found = Camera.solved(plane, truth.to_pixels(plane), (4000, 3000))
    assert found.bend == pytest.approx(truth.bend, abs=1e-6)
    assert np.abs(found.to_plane(truth.to_pixels(plane)) - plane).max() < 1e-6


def test_a_photo_without_its_code_is_a_sentence() -> None:
    with pytest.raises(JobError, match="No code of this frame"):
        find_marks_in_photo(np.full((400, 600), 200, np.uint8), [], PLAN, RECIPE)
