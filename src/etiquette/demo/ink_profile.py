"""The ICC profile of the demo's printer: four invented inks on an invented stock, worked out from a formula.

An ink lets a share of the light through in each of three bands. Where dots of share a lie at random, the light that
comes back from a band is that of the stock times (1 - a + a·√T)² for every ink (Yule and Nielsen's n = 2 on Demichel's
areas, which for inks that only take light away is a product). Its tables go from inks to L*a*b* and
back.
"""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from etiquette.core.printing.icc_files import icc_file, lab16, lut16_tag, words, xyz_tag

Reals = NDArray[np.float64]

STOCK = np.array([0.88, 0.87, 0.83])
"""Light that the bare stock gives back, in the bands red, green and blue."""
INKS = np.array([[0.07, 0.55, 0.74], [0.76, 0.09, 0.36], [0.93, 0.82, 0.06], [0.015, 0.015, 0.015]])
"""What cyan, magenta, yellow and black let through."""
MOST_INK = 2.8
"""Of all inks together on one place."""
TO_XYZ = np.array([[0.4361, 0.3851, 0.1431], [0.2225, 0.7169, 0.0606], [0.0139, 0.0971, 0.7141]])
"""The bands as they are seen: linear sRGB under D50 (IEC 61966-2-1, adapted by the Bradford transform)."""
INK_STEPS, LAB_STEPS, SAMPLE_STEPS = 11, 17, 21
BLACK_FROM, BLACK_TAKES = 0.25, 0.7
"""Black comes in where all three colours hold more than this, and takes this much of itself off them."""


def lab_of_inks(inks: Reals) -> Reals:
    """L*, a*, b* (…, 3), relative to the bare stock, of shares of cyan, magenta, yellow and black (…, 4)."""
    light = np.ones((*inks.shape[:-1], 3))
    for number, ink in enumerate(INKS):
        share = inks[..., number, None]
        light *= (1 - share + share * np.sqrt(ink)) ** 2
    relative = (light * STOCK) @ TO_XYZ.T / (STOCK @ TO_XYZ.T)
    f = np.where(relative > 0.008856, np.cbrt(relative), 7.787 * relative + 16 / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def inks_of_lab(lab: Reals) -> Reals:
    """Inks (n, 4) that look like L*, a*, b* (n, 3), or as near as they come, by no more than MOST_INK."""
    from scipy.spatial import cKDTree

    axis = np.linspace(0, 1, SAMPLE_STEPS)
    samples = _with_black(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3))
    near = cKDTree(lab_of_inks(samples)).query(lab)[1]
    inks = samples[near]
    for _ in range(6):  # Newton's steps on the three colours, black as it is
        at = lab_of_inks(inks)
        slope = np.empty((len(inks), 3, 3))
        for number in range(3):
            more = inks.copy()
            more[:, number] += 1e-4
            slope[:, :, number] = (lab_of_inks(more) - at) / 1e-4
        step = np.linalg.solve(slope + 1e-6 * np.eye(3), (lab - at)[..., None])[..., 0]
        tried = inks.copy()
        tried[:, :3] = np.clip(inks[:, :3] + np.clip(step, -0.1, 0.1), 0, 1)
        tried = _limited(tried)
        better = np.linalg.norm(lab_of_inks(tried) - lab, axis=1) < np.linalg.norm(at - lab, axis=1)
        inks[better] = tried[better]
    return np.asarray(inks)


def _with_black(colours: Reals) -> Reals:
    black = np.clip((colours.min(axis=1) - BLACK_FROM) / (1 - BLACK_FROM), 0, 1) ** 1.5
    return _limited(np.column_stack([np.clip(colours - BLACK_TAKES * black[:, None] ** 2, 0, 1), black]))


def _limited(inks: Reals) -> Reals:
    """The three colours taken back until all inks together keep to the limit."""
    room = MOST_INK - inks[:, 3]
    over = np.maximum(1.0, inks[:, :3].sum(axis=1) / room)
    return np.column_stack([inks[:, :3] / over[:, None], inks[:, 3]])


@cache
def profile(description: str) -> bytes:
    """The profile as a file."""
    inks = np.stack(np.meshgrid(*[np.linspace(0, 1, INK_STEPS)] * 4, indexing="ij"), axis=-1)
    axes = [np.linspace(0, 100, LAB_STEPS), *[np.linspace(-128, 127, LAB_STEPS)] * 2]
    lab = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    # L* ends at 0xFF00 in tables of this type: that step is 100, the last one of the grid would be past it
    lab[:, 0] = np.minimum(lab[:, 0] * 65535 / 65280, 100)
    lab[:, 1:] = (lab[:, 1:] + 128) / 255 * (65535 / 256) - 128
    tags = {
        **words(description, "No copyright: invented for a demonstration"),
        b"wtpt": xyz_tag(STOCK @ TO_XYZ.T),
        b"A2B0": lut16_tag(4, 3, INK_STEPS, lab16(lab_of_inks(inks.reshape(-1, 4)))),
        b"B2A0": lut16_tag(3, 4, LAB_STEPS, np.round(inks_of_lab(lab) * 65535)),
    }
    same = {b"A2B1": b"A2B0", b"A2B2": b"A2B0", b"B2A1": b"B2A0", b"B2A2": b"B2A0"}
    return icc_file(b"prtr", b"CMYK", b"Lab ", tags, same)
