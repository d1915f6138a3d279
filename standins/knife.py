"""A drag knife as physics: the tip is pulled behind the pivot at a fixed distance and never moves sideways.

Along a straight pull of length s the angle a between blade and pull shrinks so that tan(a/2) falls by exp(−s/d).
"""

import math

import numpy as np

SAMPLES = (0.15, 0.4, 0.8, 1.4, 2.2, 3.5, 6.0)
"""Where along a pull the tip is noted, in knife offsets; its end always."""


def tip_path(pivot: np.ndarray, offset: float, heading: float) -> tuple[np.ndarray, float]:
    """Where the tip goes (m, 2) when the pivot goes along `pivot` (n, 2), and where the blade points then, in
    radians."""
    if offset <= 0:
        return pivot, heading
    path = [(pivot[0, 0] - offset * math.cos(heading), pivot[0, 1] - offset * math.sin(heading))]
    x, y = float(pivot[0, 0]), float(pivot[0, 1])
    for nx, ny in pivot[1:].tolist():
        dx, dy = nx - x, ny - y
        length = math.hypot(dx, dy)
        if length < 1e-9:
            continue
        way = math.atan2(dy, dx)
        half = math.tan(math.remainder(heading - way, 2 * math.pi) / 2)
        for done in (*(s * offset for s in SAMPLES if s * offset < length), length):
            angle = way + 2 * math.atan(half * math.exp(-done / offset))
            share = done / length
            path.append((x + dx * share - offset * math.cos(angle), y + dy * share - offset * math.sin(angle)))
        heading = angle
        x, y = nx, ny
    return np.array(path), heading
