"""Where a graphic is taken apart that is wider than its stock: evenly, or where the least of it is cut through.

Along one side of the graphic a strip reaches from a seam to the next, and past them by what it carries; all lengths in
mm, seams measured from the side where x or y is 0."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

import numpy as np
from numpy.typing import NDArray

from etiquette.core.errors import JobError

NARROWEST = 0.4
"""A strip is at least this share of an even one: a sliver is hard to lay and wastes a frame."""
PULL = 0.05
"""How much dearer a seam is that stands a whole even strip off its even place, in shares of the dearest seam: among
places that are as good, the even one is taken."""
SLACK_MM = 1e-6


@dataclass(frozen=True)
class Carry:
    """What a strip is printed past a seam at its low and at its high side (overlap and bleed), mm."""

    low_mm: float = 0.0
    high_mm: float = 0.0


def even_seams(length_mm: float, most_mm: float, carry: Carry) -> list[float]:
    """As few seams as keep every strip within `most_mm`, at even distances. Raises JobError when what is carried leaves
    no room."""
    count = fewest_strips(length_mm, most_mm, carry)
    return [length_mm * number / count for number in range(1, count)]


def fewest_strips(length_mm: float, most_mm: float, carry: Carry) -> int:
    """Into how many strips `length_mm` is taken apart at least. Raises JobError."""
    if length_mm <= most_mm + SLACK_MM:
        return 1
    if length_mm + carry.low_mm + carry.high_mm <= 2 * most_mm + SLACK_MM:
        return 2  # neither has a neighbour on both sides
    middle = most_mm - carry.low_mm - carry.high_mm
    if middle <= 0 or most_mm <= 0:
        raise JobError(
            f"A strip of {most_mm:.0f} mm would carry {carry.low_mm + carry.high_mm:.0f} mm past its seams.",
            "overlap",
            "Use a wider stock, or less overlap.",
        )
    # even strips: those in the middle carry on both sides and so are the widest
    return ceil(length_mm / middle - SLACK_MM)


def cheapest_seams(
    costs: Sequence[float] | NDArray[np.float64], length_mm: float, most_mm: float, carry: Carry
) -> list[float]:
    """As few seams as `even_seams`, where they cost least: the shortest path through all places that a seam may have,
    each strip within what the stock takes and no sliver. `costs` (n,): of a seam in each of n equal parts of the
    length; inf where none may be. Raises JobError when there is no such path."""
    count = fewest_strips(length_mm, most_mm, carry)
    if count == 1:
        return []
    each = np.asarray(costs, dtype=float)
    places = (np.arange(len(each)) + 0.5) * length_mm / len(each)
    finite = each[np.isfinite(each)]
    dearest = float(finite.max()) if len(finite) and finite.max() > 0 else 1.0
    for strips in (count, count + 1):
        found = _path(each / dearest, places, length_mm, most_mm, carry, strips)
        if found:
            return found
    raise JobError(
        "There is no place for the seams that leaves whole what has to stay whole.",
        "seams",
        "Take an area away that is kept whole, or use a wider stock.",
    )


def _path(
    costs: NDArray[np.float64], places: NDArray[np.float64], length_mm: float, most_mm: float, carry: Carry, strips: int
) -> list[float]:
    """The cheapest seams for so many strips, by dynamic programming over seam after seam; none: there is no way."""
    even = length_mm / strips
    best = np.zeros(1)
    start = np.zeros(1)
    back: list[NDArray[np.intp]] = []
    for seam in range(1, strips):
        wide = places[None, :] - start[:, None]
        low = carry.low_mm if seam > 1 else 0.0
        allowed = (wide + low + carry.high_mm <= most_mm + SLACK_MM) & (wide >= NARROWEST * even)
        own = costs + PULL * np.abs(places - seam * even) / even
        total = np.where(allowed, best[:, None], np.inf) + own[None, :]
        back.append(total.argmin(axis=0))
        best, start = total.min(axis=0), places
    last = length_mm - places
    best = np.where((last + carry.low_mm <= most_mm + SLACK_MM) & (last >= NARROWEST * even), best, np.inf)
    if not np.isfinite(best).any():
        return []
    at = int(best.argmin())
    seams = []
    for came in reversed(back):
        seams.append(float(places[at]))
        at = int(came[at])
    return seams[::-1]


def seam_costs(
    detail: NDArray[np.float64],
    axis: int,
    keep: Sequence[tuple[float, float]],
    length_mm: float,
    spare: Sequence[tuple[float, float]] = (),
) -> list[float]:
    """What a seam costs in every part of a length: the detail (rows, columns; 0 plain, 1 busy) that it would cut
    through. `axis` 0: for upright seams, a cost for each column; 1: for lying ones, from the lowest row up. `keep`:
    stretches (from, to), mm, that no seam may cross; `spare`: those that it crosses only where there is no other way,
    each as dear as what is busy from edge to edge."""
    along = detail.mean(axis=0) if axis == 0 else detail.mean(axis=1)[::-1]
    places = (np.arange(len(along)) + 0.5) * length_mm / len(along)
    for low, high in spare:
        along = along + ((places >= low) & (places <= high))
    for low, high in keep:
        along = np.where((places >= low) & (places <= high), np.inf, along)
    return [float(one) for one in along]
