"""Colours against the published test pairs and an independent library."""

import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, rgb2lab

from etiquette.core.artwork.colour import away_from, ciede2000, lab_of

# L1 a1 b1  L2 a2 b2  ΔE00
SHARMA_WU_DALAL = """
50.0000 2.6772 -79.7751  50.0000 0.0000 -82.7485  2.0425
50.0000 3.1571 -77.2803  50.0000 0.0000 -82.7485  2.8615
50.0000 2.8361 -74.0200  50.0000 0.0000 -82.7485  3.4412
50.0000 -1.3802 -84.2814  50.0000 0.0000 -82.7485  1.0000
50.0000 -1.1848 -84.8006  50.0000 0.0000 -82.7485  1.0000
50.0000 -0.9009 -85.5211  50.0000 0.0000 -82.7485  1.0000
50.0000 0.0000 0.0000  50.0000 -1.0000 2.0000  2.3669
50.0000 -1.0000 2.0000  50.0000 0.0000 0.0000  2.3669
50.0000 2.4900 -0.0010  50.0000 -2.4900 0.0009  7.1792
50.0000 2.4900 -0.0010  50.0000 -2.4900 0.0010  7.1792
50.0000 2.4900 -0.0010  50.0000 -2.4900 0.0011  7.2195
50.0000 2.4900 -0.0010  50.0000 -2.4900 0.0012  7.2195
50.0000 -0.0010 2.4900  50.0000 0.0009 -2.4900  4.8045
50.0000 -0.0010 2.4900  50.0000 0.0010 -2.4900  4.8045
50.0000 -0.0010 2.4900  50.0000 0.0011 -2.4900  4.7461
50.0000 2.5000 0.0000  50.0000 0.0000 -2.5000  4.3065
50.0000 2.5000 0.0000  73.0000 25.0000 -18.0000  27.1492
50.0000 2.5000 0.0000  61.0000 -5.0000 29.0000  22.8977
50.0000 2.5000 0.0000  56.0000 -27.0000 -3.0000  31.9030
50.0000 2.5000 0.0000  58.0000 24.0000 15.0000  19.4535
50.0000 2.5000 0.0000  50.0000 3.1736 0.5854  1.0000
50.0000 2.5000 0.0000  50.0000 3.2972 0.0000  1.0000
50.0000 2.5000 0.0000  50.0000 1.8634 0.5757  1.0000
50.0000 2.5000 0.0000  50.0000 3.2592 0.3350  1.0000
60.2574 -34.0099 36.2677  60.4626 -34.1751 39.4387  1.2644
63.0109 -31.0961 -5.8663  62.8187 -29.7946 -4.0864  1.2630
61.2901 3.7196 -5.3901  61.4292 2.2480 -4.9620  1.8731
35.0831 -44.1164 3.7933  35.0232 -40.0716 1.5901  1.8645
22.7233 20.0904 -46.6940  23.0331 14.9730 -42.5619  2.0373
36.4612 47.8580 18.3852  36.2715 50.5065 21.2231  1.4146
90.8027 -2.0831 1.4410  91.1528 -1.6435 0.0447  1.4441
90.9257 -0.5406 -0.9208  88.6381 -0.8985 -0.7239  1.5381
6.7747 -0.2908 -2.4247  5.8714 -0.0985 -2.2286  0.6377
2.0776 0.0795 -1.1350  0.9033 -0.0636 -0.5514  0.9082
"""


def pairs() -> np.ndarray:
    return np.array([[float(value) for value in row.split()] for row in SHARMA_WU_DALAL.strip().splitlines()])


@pytest.mark.parametrize("row", range(34))
def test_the_published_pairs_to_four_decimals(row: int) -> None:
    """Source: Sharma, Wu, Dalal, Color Research and Application 30(1), 2005, table 1: 34 pairs (the figures written
    from memory; the library below agrees with each of them)."""
    l1, a1, b1, l2, a2, b2, expected = pairs()[row]
    one, two = np.array([l1, a1, b1]), np.array([l2, a2, b2])
    assert float(ciede2000(one, two)) == pytest.approx(expected, abs=5e-5)
    assert float(ciede2000(two, one)) == pytest.approx(expected, abs=5e-5)
    assert float(deltaE_ciede2000(one, two)) == pytest.approx(expected, abs=5e-5)


def test_any_colours_agree_with_scikit_image() -> None:
    """Source: skimage.color, an independent implementation."""
    random = np.random.default_rng(5)
    one, two = random.integers(0, 256, (2, 20_000, 3)).astype(np.uint8)
    np.testing.assert_allclose(lab_of(one), rgb2lab(one), atol=0.05)  # its white point has more digits
    np.testing.assert_allclose(
        ciede2000(lab_of(one), lab_of(two)), deltaE_ciede2000(lab_of(one), lab_of(two)), atol=1e-9
    )


def test_the_distance_of_a_picture_is_the_distance_of_each_pixel() -> None:
    random = np.random.default_rng(6)
    picture = random.integers(0, 256, (300, 200, 4)).astype(np.uint8)
    grounds = [(250, 248, 240), (10, 60, 90)]
    expected = np.min(
        [ciede2000(lab_of(picture[..., :3]), lab_of(np.array(ground, np.uint8))) for ground in grounds], axis=0
    )
    assert np.abs(away_from(picture, grounds) / 2 - np.minimum(expected, 127)).max() <= 0.25 + 1e-9


def test_a_photograph_with_very_many_colours_is_measured_in_steps_of_four_levels() -> None:
    random = np.random.default_rng(7)
    picture = random.integers(0, 256, (900, 900, 4)).astype(np.uint8)  # about 790,000 colours
    expected = ciede2000(lab_of(picture[..., :3]), lab_of(np.array((200, 180, 60), np.uint8)))
    error = np.abs(away_from(picture, [(200, 180, 60)]) / 2 - expected)
    assert error.mean() < 0.4 and np.quantile(error, 0.99) < 2  # the formula itself jumps at opposite hues
