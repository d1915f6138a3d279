"""Fits against published algorithms in independent libraries."""

import cv2
import numpy as np
import pytest
from skimage.transform import SimilarityTransform

from etiquette.core.aligning.models import estimate


@pytest.fixture
def pairs() -> tuple[np.ndarray, np.ndarray]:
    random = np.random.default_rng(3)
    nominal = random.uniform((0, 0), (1200, 600), (9, 2))
    turn = np.radians(37)
    measured = (
        1.002 * nominal @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        + (12, -40)
        + random.normal(0, 0.4, (9, 2))
    )
    return nominal, measured


def test_similarity_is_umeyamas(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Source: S. Umeyama, IEEE TPAMI 13(4), 1991; scikit-image SimilarityTransform implements it. To 1e-9."""
    nominal, measured = pairs
    theirs = SimilarityTransform.from_estimate(nominal, measured)
    assert np.abs(estimate("similarity", nominal, measured)(nominal) - theirs(nominal)).max() < 1e-9


def test_affine_is_the_least_squares_one(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Sources: numpy's least squares on the plain design matrix; OpenCV on exact data. To 1e-6."""
    nominal, measured = pairs
    design = np.column_stack([nominal, np.ones(len(nominal))])
    theirs = design @ np.linalg.lstsq(design, measured, rcond=None)[0]
    assert np.abs(estimate("affine", nominal, measured)(nominal) - theirs).max() < 1e-6
    matrix = cv2.getAffineTransform(nominal[:3].astype(np.float32), measured[:3].astype(np.float32))
    assert (
        np.abs(estimate("affine", nominal[:3], measured[:3])(nominal[:3]) - design[:3] @ matrix.T).max() < 1e-2
    )  # single precision


def test_quadratic_is_the_least_squares_one(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Source: scikit-image PolynomialTransform of order 2, an independent total least squares; equal on exact data."""
    from skimage.transform import PolynomialTransform

    nominal, _ = pairs
    bent = nominal + np.column_stack([1e-6 * nominal[:, 1] ** 2, 2e-6 * nominal[:, 0] * nominal[:, 1]])
    theirs = PolynomialTransform.from_estimate(nominal, bent, order=2)
    probe = np.array([[100, 100], [600, 300], [1100, 550.0]])
    assert np.abs(estimate("quadratic", nominal, bent)(probe) - theirs(probe)).max() < 1e-6
