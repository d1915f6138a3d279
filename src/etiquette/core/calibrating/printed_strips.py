"""The colours of a printed strip of patches from a photo or scan of it, and how far they are from another print's.

The frame code at the tail says where the patches lie. Light and camera are taken out by the bare stock at both ends of
the strip: every colour is told against it. So two pictures can be compared that were taken with the same device; they
are no measurement."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.photos import find_codes, find_marks_in_photo
from etiquette.core.artwork.colour import Reals, ciede2000, lab_of_linear, linear_of
from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.strips import PATCH_MM, STOCK

Lab = tuple[float, float, float]

LOOKED_AT = 0.5
"""Share of a patch's side that is looked at, about its middle: the code says where it is to a millimetre."""
GRID = 15
EVEN = 0.12
"""A patch whose middle varies by more (standard deviation of linear light, of its bare stock) is none: something else
lies there (a value of our own; grain and dust of a scan stay under a third of it)."""
LEAST_CONTRAST = 25.0
"""So much lighter than black (L*) the stock is at least, or the strip is not in the light."""
MARKS_COUNT = 10
"""The middle of a mark is found far more exactly than the corner of a code: it counts so many times."""
WHERE = "the picture of the strip"
HOW = "Take it straight from above, sharp, in even light, with the code beside the strip."


@dataclass(frozen=True)
class Difference:
    """How far a patch is from what it was (CIEDE2000), and in which direction of lightness and chroma."""

    patch: str
    delta: float
    lighter: float
    """Difference of L*."""


def read_strip(pixels: NDArray[np.uint8], plan: FramePlan, recipe: MarkRecipe) -> dict[str, Lab]:
    """L*a*b* of each patch against its bare stock, from the picture `pixels` (h, w, 3), sRGB; `recipe`: the marks that
    stand in the row of the strip. Raises JobError when the code at the tail of `plan` is not in it, or the strip is not
    where it should be."""
    if plan.strip is None:
        raise JobError("This frame was printed without a colour strip.", WHERE, "Switch the strip on in Print.")
    to_px = _laid_out(pixels, plan, recipe)
    light = linear_of(np.ascontiguousarray(pixels[..., :3]))
    patches = [(name, _middle_of(light, to_px, (x, y), name)) for name, _, x, y in plan.strip.places()]
    first, last = patches[0][1], patches[-1][1]
    shares = np.linspace(0, 1, len(patches))[:, None]
    against = np.array([colour for _, colour in patches]) / np.maximum(first * (1 - shares) + last * shares, 1e-4)
    labs = np.round(lab_of_linear(np.clip(against, 0, 2)), 2).tolist()
    found = {name: (lab[0], lab[1], lab[2]) for (name, _), lab in zip(patches, labs, strict=True) if name != STOCK}
    if 100 - found["black"][0] < LEAST_CONTRAST:
        raise JobError("Nothing dark lies where the black of the strip should be.", WHERE, HOW)
    return found


def _laid_out(pixels: NDArray[np.uint8], plan: FramePlan, recipe: MarkRecipe) -> NDArray[np.float64]:
    """The homography (3, 3) from run millimetres to pixels, by the code at the tail and the marks in its row, which are
    seen more exactly."""
    grey = cv2.cvtColor(np.ascontiguousarray(pixels[..., :3]), cv2.COLOR_RGB2GRAY)
    tail = next((one for one in plan.codes if one.code.end == "tail"), None)
    seen = find_codes(grey)
    code = next((one for one in seen if tail and one.code == tail.code), None)
    if code is None or tail is None:
        others = sorted({f"{one.code.frame} at the {one.code.end}" for one in seen})
        there = f"; it shows {', '.join(others)}" if others else ""
        raise JobError(f"The code at the tail of {plan.code} is not in the picture{there}.", WHERE, HOW)
    (width, height), x, y = tail.size, tail.x, tail.y
    flat = [(x, y + height), (x + width, y + height), (x + width, y), (x, y)]
    photo = [tuple(corner) for corner in code.corners.tolist()]
    row = tuple(mark for mark in plan.marks if abs(mark.y - tail.centre[1]) < recipe.size_mm)
    marks = find_marks_in_photo(grey, [code], replace(plan, marks=row, codes=(tail,)), recipe, exact=False).places
    for mark in row:
        if place := marks[mark.id]:
            flat += [(mark.x, mark.y)] * MARKS_COUNT
            photo += [place] * MARKS_COUNT
    found, _ = cv2.findHomography(np.array(flat), np.array(photo))
    return np.asarray(found, dtype=np.float64)


def _middle_of(light: Reals, to_px: NDArray[np.float64], corner: tuple[float, float], name: str) -> Reals:
    """The colour (3,) of a patch, linear."""
    steps = PATCH_MM / 2 + np.linspace(-LOOKED_AT / 2, LOOKED_AT / 2, GRID) * PATCH_MM
    spots = np.stack(np.meshgrid(corner[0] + steps, corner[1] + steps), axis=-1).reshape(1, -1, 2)
    at = np.floor(cv2.perspectiveTransform(spots, to_px)[0]).astype(int)
    height, width = light.shape[:2]
    if (at < 0).any() or (at >= (width, height)).any():
        raise JobError(f"The patch {name} lies outside the picture.", WHERE, HOW)
    seen = light[at[:, 1], at[:, 0]]
    if float(seen.std(axis=0).max()) > EVEN:
        raise JobError(f"The patch {name} is not of one colour.", WHERE, HOW)
    return np.asarray(np.median(seen, axis=0))


def differences(now: Mapping[str, Lab], then: Mapping[str, Lab]) -> list[Difference]:
    """Of every patch that both have, the largest first."""
    both = [name for name in now if name in then]
    if not both:
        return []
    one, two = (np.array([side[name] for name in both], dtype=float) for side in (now, then))
    deltas = ciede2000(one, two)
    found = [
        Difference(name, round(float(delta), 2), round(float(new[0] - old[0]), 2))
        for name, delta, new, old in zip(both, deltas, one, two, strict=True)
    ]
    return sorted(found, key=lambda difference: -difference.delta)
