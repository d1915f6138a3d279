"""Faces that a seam keeps off: found in pictures that others published, which scikit-image brings."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.artwork.faces import faces_in


def test_faces_of_a_published_set_are_found_and_nothing_else_is_one() -> None:
    """Of a hundred faces and a hundred other cut-outs of Labeled Faces in the Wild (University of Massachusetts,
    technical report 07-49), 25 pixels large, as scikit-image publishes them (lfw_subset), every second one."""
    held = np.round(data.lfw_subset()[::2] * 255).astype(np.uint8)
    found = []
    for one in held:
        large = cv2.resize(one, (60, 60), interpolation=cv2.INTER_CUBIC)
        seen = cv2.copyMakeBorder(large, 24, 24, 24, 24, cv2.BORDER_REPLICATE)
        found.append(len(faces_in(np.dstack([seen] * 3), (108, 108))) > 0)
    assert sum(found[:50]) >= 45
    assert sum(found[50:]) <= 1


def test_a_face_that_is_found_at_two_sizes_is_one() -> None:
    """The portrait of the last test, four times as large: two squares were found there, one on the other."""
    portrait = cv2.resize(data.astronaut()[:230, 74:374], (1200, 920), interpolation=cv2.INTER_CUBIC)
    ((x, y, wide, high),) = faces_in(portrait, (3000, 2300))
    assert x < 1190 and x + wide > 1843 and y < 800 and y + high > 1283


@pytest.mark.parametrize("name", ["coffee", "coins", "text"])
def test_what_shows_nobody_has_no_face(name: str) -> None:
    picture = getattr(data, name)()
    assert faces_in(picture if picture.ndim == 3 else np.dstack([picture] * 3), (1000, 1000)) == []


def test_a_seam_keeps_off_a_face_of_a_photograph(tmp_path: Path) -> None:
    """The portrait of an astronaut that NASA has put into the public domain, cut so that the face is in the middle of
    it (the outer corners of the eyes and the lower lip by eye): an even seam would go through the nose."""
    portrait = data.astronaut()[:230, 224 - 150 : 224 + 150]
    Image.fromarray(portrait).save(tmp_path / "portrait.png")
    wanted = [tmp_path / "portrait.png", "-o", tmp_path / "out", "--width-mm", 3000, "--media-mm", 2300]
    done = CliRunner().invoke(app, ["tiles", *map(str, wanted), "--seams", "content"], catch_exceptions=False)
    told = json.loads(done.stdout)
    (x, y, wide, high), *_ = told["faces"]
    left, right, eyes, lip = 1190, 1843, 2300 - 1017, 2300 - 1500
    assert x < left and x + wide > right and y < lip and y + high > eyes and wide < 1300
    (seam,) = told["seams"]["across"]
    assert seam <= x or seam >= x + wide
