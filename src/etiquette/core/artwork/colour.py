"""Colours as people see them: CIE L*a*b* and the distance CIEDE2000."""

from itertools import product

import numpy as np
from numpy.typing import NDArray

Reals = NDArray[np.float64]

MOST_COLOURS = 400_000
"""A picture with more different colours than this is a photograph: its colours are taken in steps of four levels."""
MOST_DISTANCE = 127.0

# linear sRGB to X, Y, Z (IEC 61966-2-1), divided by the D65 white
_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
_TO_RELATIVE_XYZ = _TO_XYZ / _TO_XYZ.sum(axis=1, keepdims=True)
_LEVELS = np.arange(256) / 255
_LINEAR = np.where(_LEVELS <= 0.04045, _LEVELS / 12.92, ((_LEVELS + 0.055) / 1.055) ** 2.4)


def lab_of(rgb: NDArray[np.uint8]) -> Reals:
    """L*, a*, b* (…, 3) of sRGB colours (…, 3). Source: IEC 61966-2-1 and CIE 15:2004."""
    return _lab(_LINEAR[rgb])


def linear_of(rgb: NDArray[np.uint8]) -> Reals:
    """Linear light (…, 3), 0 to 1, of sRGB colours."""
    return np.asarray(_LINEAR[rgb])


def lab_of_linear(linear: Reals) -> Reals:
    """L*, a*, b* (…, 3) of linear sRGB (…, 3)."""
    return _lab(linear)


def lab_of_levels(levels: Reals) -> Reals:
    """The same of sRGB levels (…, 3) of 0 to 1."""
    return _lab(np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4))


def srgb_of(lab: Reals) -> Reals:
    """sRGB levels (…, 3) of L*, a*, b* (…, 3); what a screen cannot show is cut off at 0 and 1."""
    y = (lab[..., 0] + 16) / 116
    f = np.stack([y + lab[..., 1] / 500, y, y - lab[..., 2] / 200], axis=-1)
    linear = np.where(f > 6 / 29, f**3, (f - 16 / 116) / 7.787) @ np.linalg.inv(_TO_RELATIVE_XYZ).T
    linear = np.clip(linear, 0, 1)
    return np.asarray(np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055))


def _lab(linear: Reals) -> Reals:
    """Of linear sRGB (…, 3)."""
    relative = linear @ _TO_RELATIVE_XYZ.T
    f = np.where(relative > 0.008856, np.cbrt(relative), 7.787 * relative + 16 / 116)
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def ciede2000(one: Reals, two: Reals) -> Reals:
    """Distance (…,) of L*a*b* colours (…, 3). Source: Sharma, Wu, Dalal, "The CIEDE2000 Color-Difference Formula",
    Color Research and Application 30(1), 2005, equations 2 to 22 with all weights 1."""
    (l1, a1, b1), (l2, a2, b2) = np.moveaxis(one, -1, 0), np.moveaxis(two, -1, 0)
    mean_chroma = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean_chroma**7 / (mean_chroma**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = (h2 - h1 + 180) % 360 - 180
    turn = np.where(turn == -180, 180, turn)
    dh = np.where(grey, 0, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2)))
    dl, dc = l2 - l1, c2 - c1
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    apart = np.abs(h1 - h2) > 180
    mean_h = np.where(grey, h1 + h2, np.where(apart, (h1 + h2 + np.where(h1 + h2 < 360, 360, -360)) / 2, (h1 + h2) / 2))
    t = (
        1
        - 0.17 * np.cos(np.radians(mean_h - 30))
        + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6))
        - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    s_c, s_h = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    rotation = (
        -2 * np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((mean_h - 275) / 25) ** 2))))
    )
    l_, c_, h_ = dl / s_l, dc / s_c, dh / s_h
    distance: Reals = np.sqrt(np.maximum(l_**2 + c_**2 + h_**2 + rotation * c_ * h_, 0))
    return distance


def away_from(pixels: NDArray[np.uint8], colours: list[tuple[int, int, int]]) -> NDArray[np.uint8]:
    """CIEDE2000 distance of every pixel (h, w, 4) from the nearest of `colours`, in half units, at most 255 (h, w).

    The formula costs a microsecond, a picture has few colours and many pixels: it is worked once a colour.
    """
    keys = np.ascontiguousarray(pixels).view(np.uint32)[..., 0]
    bands = [
        slice(top, top + max(1, 2_000_000 // keys.shape[1]))
        for top in range(0, len(keys), max(1, 2_000_000 // keys.shape[1]))
    ]
    present = np.zeros(1 << 24, dtype=np.bool_)
    for band in bands:
        present[keys[band] & 0xFFFFFF] = True
    found = np.flatnonzero(present)
    table = np.zeros(1 << 24, dtype=np.uint8)
    if len(found) <= MOST_COLOURS:
        table[found] = _nearest(found, colours)
    else:
        coarse = np.unique(found & 0xFCFCFC)
        distance = _nearest(coarse | 0x020202, colours)
        for red, green, blue in product(range(4), repeat=3):
            table[coarse | red | green << 8 | blue << 16] = distance
    away = np.empty(keys.shape, dtype=np.uint8)
    for band in bands:
        np.take(table, keys[band] & 0xFFFFFF, out=away[band], mode="clip")
    return away


def _nearest(keys: NDArray[np.int64], colours: list[tuple[int, int, int]]) -> NDArray[np.uint8]:
    """Half units of distance (n,) of the colours packed in `keys` (red lowest) from the nearest of `colours`."""
    lab = lab_of(np.stack([keys & 255, keys >> 8 & 255, keys >> 16 & 255], axis=1).astype(np.uint8))
    grounds = lab_of(np.array(colours, dtype=np.uint8))
    nearest = np.min([ciede2000(lab, ground) for ground in grounds], axis=0)
    halves: NDArray[np.uint8] = np.round(2 * np.minimum(nearest, MOST_DISTANCE)).astype(np.uint8)
    return halves
