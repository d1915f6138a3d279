"""Lines that are not cut at one depth: perforations, and bridges left in through cuts."""

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Points

CORNER_DEG = 30.0
"""A turn sharper than this is a corner: a perforation is whole there, a tie keeps away."""
TIE_PHASES = 24
"""Places tried for the first tie of a ring."""
Span = tuple[float, float]


def corners(points: Points, closed: bool) -> NDArray[np.float64]:
    """Distances from the start of `points` (n, 2) at which the direction jumps; a ring repeats its first point."""
    steps = np.diff(points, axis=0)
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(*steps.T))])
    turns = np.abs((np.diff(heading) + np.pi) % (2 * np.pi) - np.pi)
    found: NDArray[np.float64] = travelled[1:-1][turns > np.radians(CORNER_DEG)]
    if closed and abs((heading[0] - heading[-1] + np.pi) % (2 * np.pi) - np.pi) > np.radians(CORNER_DEG):
        found = np.concatenate([[0.0], found])
    return found


def perforated(points: Points, closed: bool, deep_mm: float, light_mm: float) -> list[Span]:
    """The deep spans (from, to) along `points`, in mm from its start, rising. Between two corners, or the ends of an
    open line, a deep span begins and ends the stretch and the rest is divided evenly, so that corners are cut whole; a
    ring without corners is divided evenly all round."""
    total = float(np.hypot(*np.diff(points, axis=0).T).sum())
    places = corners(points, closed)
    if closed and not len(places):
        count = max(1, round(total / (deep_mm + light_mm)))
        period = total / count
        return [(n * period, n * period + max(period - light_mm, 0.5 * period)) for n in range(count)]
    if closed:
        knots = np.concatenate([places, [places[0] + total]])
    else:
        knots = np.concatenate([[0.0], places, [total]])
    spans: list[Span] = []
    for low, high in zip(knots[:-1], knots[1:], strict=True):
        # half a deep span at each end of the stretch, so that two halves make one over the corner
        count = int((high - low) / (deep_mm + light_mm) + 0.5)
        if high - low < deep_mm + light_mm or count < 1:
            spans.append((low, high))
            continue
        deep = (high - low - count * light_mm) / count
        edges = [low + deep / 2 + n * (deep + light_mm) for n in range(count)]
        spans += [
            (start, end) for start, end in zip([low, *(edge + light_mm for edge in edges)], [*edges, high], strict=True)
        ]
    return _joined(spans, total if closed else None)


def between_ties(points: Points, closed: bool, tie_mm: float, every_mm: float) -> list[Span]:
    """The spans that are cut when bridges of `tie_mm` are left about every `every_mm`, at least two in a ring, and as
    far from its corners as an even division allows."""
    total = float(np.hypot(*np.diff(points, axis=0).T).sum())
    count = max(2 if closed else 0, round(total / every_mm))
    if not count or count * tie_mm >= 0.8 * total:
        return [(0.0, total)]
    period = total / count
    if closed:
        places = corners(points, True)
        phases = (np.arange(TIE_PHASES) + 0.5) / TIE_PHASES * period
        first = float(phases[np.argmax([_room(phase, period, count, places, total) for phase in phases])])
    else:
        first = period / 2
    gaps = [(first + n * period - tie_mm / 2, first + n * period + tie_mm / 2) for n in range(count)]
    starts = [end for _, end in gaps]
    ends = [start for start, _ in gaps[1:]]
    if closed:
        return [*zip(starts, [*ends, gaps[0][0] + total], strict=True)]
    return [(0.0, gaps[0][0]), *zip(starts, [*ends, total], strict=True)]


def _room(phase: float, period: float, count: int, places: NDArray[np.float64], total: float) -> float:
    """How far the nearest corner is from any of `count` even places."""
    if not len(places):
        return total
    ties = phase + period * np.arange(count)
    apart = np.abs(ties[:, None] - places[None, :]) % total
    return float(np.minimum(apart, total - apart).min())


def _joined(spans: list[Span], around: float | None) -> list[Span]:
    """Spans that touch as one; `around`: the length of a ring, whose last span may run on into its first."""
    out: list[Span] = []
    for start, end in spans:
        if out and start - out[-1][1] < 1e-9:
            out[-1] = (out[-1][0], end)
        else:
            out.append((start, end))
    if around is not None and len(out) > 1 and abs(out[-1][1] - around - out[0][0]) < 1e-9:
        out[0] = (out[-1][0] - around, out[0][1])
        out.pop()
    return out


def part(points: Points, span: Span) -> Points:
    """The stretch of `points` (n, 2) from span[0] to span[1] mm from its start; a ring (first point repeated) may be
    run past its end or before its start."""
    steps = np.hypot(*np.diff(points, axis=0).T)
    total = float(steps.sum())
    low, high = span
    if low < -1e-9 or high > total + 1e-9:  # more than one round: lay as many rounds end to end
        shift = int(np.floor(low / total))
        rounds = int(np.ceil(high / total)) - shift
        points = np.vstack([points[:-1]] * rounds + [points[-1:]])
        steps, low, high = np.tile(steps, rounds), low - shift * total, high - shift * total
    travelled = np.concatenate([[0.0], np.cumsum(steps)])
    inside = points[(travelled > low + 1e-9) & (travelled < high - 1e-9)]
    ends = np.column_stack([np.interp([low, high], travelled, points[:, axis]) for axis in (0, 1)])
    return np.vstack([ends[:1], inside, ends[1:]])
