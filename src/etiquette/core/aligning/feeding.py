"""A long frame is fed out and back once before it is read: what the rollers do to it shows before anything is cut."""

import numpy as np

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.aligning.reading import Begun, Look, ReadingHeld, Told, expected_places
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe


def feed_drift_mm(
    look: Look, begun: Begun, plan: FramePlan, recipe: MarkRecipe, told: Told = lambda *_: True
) -> float | None:
    """How far the mark nearest to where the reading begins lies from where it was, in mm, after the head was once over
    the mark farthest along the feed; None where that one is not seen, so that there is nothing to compare. Raises
    ReadingHeld."""
    first = min(plan.marks, key=lambda mark: np.hypot(mark.x - begun.planned[0], mark.y - begun.planned[1]))
    far = max(plan.marks, key=lambda mark: abs(mark.y - first.y))
    at_first, at_far = expected_places([first, far], [begun.planned], [begun.seen], begun.angle_deg).tolist()
    before = _nearest(look, at_first, recipe)
    if before is None:
        return None
    if not told("Feeding the frame out and back", 0, 1):
        raise ReadingHeld
    look(*at_far)
    after = _nearest(look, before, recipe)
    return None if after is None else round(float(np.hypot(*np.subtract(after, before))), 3)


def _nearest(look: Look, place: list[float], recipe: MarkRecipe) -> list[float] | None:
    """Where the mark nearest to a place lies, looked at with it in the middle; None: none is seen there."""
    for _ in range(2):
        seen = find_marks(look(*place), recipe)
        if not seen:
            return None
        near = min(seen, key=lambda one: (one.x - place[0]) ** 2 + (one.y - place[1]) ** 2)
        place = [near.x, near.y]
    return place
