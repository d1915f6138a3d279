"""A drag knife: its tip trails the pivot, so the pivot has to lead it, and swivel about the tip at corners.

The pivot lies `offset` ahead of the tip in the direction of the cut. Where that direction turns, the pivot goes round
the tip on an arc of that radius, and the tip stays where it is; a curve is many small turns.
"""

import numpy as np

from etiquette.core.geometry.paths import Points


def led(points: Points, offset_mm: float, heading: float, tolerance_mm: float) -> tuple[Points, float]:
    """Where the pivot has to go (m, 2) so that the tip follows `points` (n, 2), and the heading the blade then has.

    `heading`: where the blade points before, in radians; the first thing is a swivel on the spot from there. Arcs are
    flattened so that chords stay within `tolerance_mm`.
    """
    steps = np.diff(points, axis=0)
    keep = np.hypot(*steps.T) > 1e-9
    corners = np.concatenate([points[:-1][keep], points[-1:]])
    headings = np.unwrap(np.concatenate([[heading], np.arctan2(steps[keep, 1], steps[keep, 0])]))
    if len(headings) == 1:
        return points, heading
    turns = np.diff(headings)
    widest = 2 * np.arccos(max(0.0, 1 - tolerance_mm / offset_mm)) if tolerance_mm < offset_mm else np.pi / 2
    counts = np.maximum(1, np.ceil(np.abs(turns) / widest).astype(int))
    # every swivel as `count` steps about its corner, the headings before and after included; then on to the next corner
    corner = np.repeat(np.arange(len(turns)), counts + 1)
    within = np.concatenate([np.arange(count + 1) for count in counts])
    angles = headings[corner] + turns[corner] * within / counts[corner]
    pivots = corners[corner] + offset_mm * np.column_stack([np.cos(angles), np.sin(angles)])
    last = corners[-1] + offset_mm * np.array([np.cos(headings[-1]), np.sin(headings[-1])])
    return np.vstack([pivots, last[None, :]]), float(headings[-1])
