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


def test_a_rigid_fit_keeps_every_length(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Source: S. Umeyama, IEEE TPAMI 13(4), 1991; scikit-image EuclideanTransform. To 1e-9."""
    from skimage.transform import EuclideanTransform

    nominal, measured = pairs
    theirs = EuclideanTransform.from_estimate(nominal, measured)
    assert np.abs(estimate("rigid", nominal, measured)(nominal) - theirs(nominal)).max() < 1e-9


def test_projective_is_the_homography(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Sources: R. Hartley, IEEE TPAMI 19(6), 1997; scikit-image ProjectiveTransform on noisy pairs, OpenCV on exact
    ones. To 1e-6."""
    from skimage.transform import ProjectiveTransform

    nominal, measured = pairs
    probe = np.array([[100, 100], [600, 300], [1100, 550.0]])
    theirs = ProjectiveTransform.from_estimate(nominal, measured)
    assert np.abs(estimate("projective", nominal, measured)(probe) - theirs(probe)).max() < 1e-6
    matrix = np.array([[0.9, 0.05, 30], [-0.04, 1.1, -20], [1e-5, -2e-5, 1]])
    seen = cv2.perspectiveTransform(nominal[None], matrix)[0]
    found = cv2.findHomography(nominal, seen)[0]
    ours = estimate("projective", nominal, seen)(probe)
    assert np.abs(ours - cv2.perspectiveTransform(probe[None], matrix)[0]).max() < 1e-6
    assert (
        np.abs(ours - cv2.perspectiveTransform(probe[None], found)[0]).max() < 1e-4
    )  # findHomography is in single precision


def test_a_thin_plate_is_bookstein(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Source: F. L. Bookstein, IEEE TPAMI 11(6), 1989; scipy RBFInterpolator with the same kernel. To 1e-6."""
    from scipy.interpolate import RBFInterpolator

    nominal, measured = pairs
    probe = np.array([[100, 100], [600, 300], [1100, 550.0]])
    theirs = RBFInterpolator(nominal, measured, kernel="thin_plate_spline", degree=1)
    assert np.abs(estimate("thin plate", nominal, measured, smoothing=0.0)(probe) - theirs(probe)).max() < 1e-6


def test_the_belief_is_a_gaussian_process(pairs: tuple[np.ndarray, np.ndarray]) -> None:
    """Source: C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning", 2006, equations 2.25 and
    2.26, written out with dense matrices for one habit."""
    from etiquette.core.aligning import film
    from etiquette.core.aligning.models import QUADRATIC, powers

    nominal, _ = pairs
    measured = nominal + np.random.default_rng(1).normal(0, 0.3, nominal.shape)
    belief = film.Film(nominal, measured)
    belief._weights = np.array([0.0, 0, 0, 0, 1])
    probe = np.array([[100, 100], [600, 300], [1100, 550.0]])
    sides, middle = belief._sides, belief._middle
    basis = lambda points: powers((points - middle) / sides, QUADRATIC)  # noqa: E731
    apart = lambda a, b: np.exp(-((a[:, None] - b[None]) ** 2).sum(axis=2) / 2 / belief._reach**2)  # noqa: E731
    for axis in (0, 1):
        spread = np.diag(belief._spreads[4, axis])
        inner = basis(nominal) @ spread @ basis(nominal).T + belief._pulls[4] * apart(nominal, nominal)
        inner += np.eye(len(nominal)) * (0.05 / abs(belief._turn)) ** 2
        across = basis(probe) @ spread @ basis(nominal).T + belief._pulls[4] * apart(probe, nominal)
        own = basis(probe) @ spread @ basis(probe).T + belief._pulls[4] * apart(probe, probe)
        wanted = np.diag(own - across @ np.linalg.solve(inner, across.T)) * abs(belief._turn) ** 2
        assert belief.variance(probe)[:, axis] == pytest.approx(wanted, rel=1e-6, abs=1e-9)
    p = (nominal - nominal.mean(axis=0)) @ [1, 1j]
    q = (measured - measured.mean(axis=0)) @ [1, 1j]
    turn = (np.conj(p) * q).sum() / (np.abs(p) ** 2).sum()
    back = q / turn - p
    means = []
    for axis, left in enumerate((back.real, back.imag)):
        spread = np.diag(belief._spreads[4, axis])
        inner = basis(nominal) @ spread @ basis(nominal).T + belief._pulls[4] * apart(nominal, nominal)
        inner += np.eye(len(nominal)) * (0.05 / abs(turn)) ** 2
        across = basis(probe) @ spread @ basis(nominal).T + belief._pulls[4] * apart(probe, nominal)
        means.append(across @ np.linalg.solve(inner, left))
    carried = turn * ((probe - nominal.mean(axis=0)) @ [1, 1j] + means[0] + 1j * means[1]) + measured.mean(axis=0) @ [
        1,
        1j,
    ]
    assert belief.transform()(probe) == pytest.approx(np.column_stack([carried.real, carried.imag]), abs=1e-6)
