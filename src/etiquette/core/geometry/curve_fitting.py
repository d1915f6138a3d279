"""Cubic Béziers through closed polylines, with corners kept and as few nodes as the tolerance allows.

After P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves", Graphics Gems, 1990: one cubic by
least squares on the chord-length parameters, the parameters improved by Newton steps, a split where it is worst. Two
things differ: every stretch of every ring is fitted in the same NumPy call, and after splitting, the ends of the pieces
and their middles are only candidates, from which the shortest chain of good cubics is chosen.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.tracks import Indices, Reals, Tracks

Flags = NDArray[np.bool_]

NEWTON_ROUNDS = 4
SAMPLES = 25
"""Places at which a cubic is fitted and tried; the points of the ring themselves are tried at the end."""
BATCH = 4096
LONGEST_CHAIN, LEAST_CHAIN = 8, 3
"""How many candidate pieces one cubic may span, and at least when there are very many."""
MOST_FITS = 60_000
CORNER_REACH = 4.0
"""Chords over which a corner is measured, in tolerances."""
STRAIGHT_AGREES = float(np.cos(np.radians(1.2)))
"""A straight line stands for a stretch only where the directions at its ends agree with it, or a smooth arc would
become a polygon."""
AT_SAMPLES = 0.9
"""Share of the tolerance allowed at the samples of a cubic, since the points between them may lie further."""
FINAL_AIM = 0.2
"""The cubics that stay are improved down to this share of the tolerance."""
WORTH_IMPROVING = 6.0
"""Newton steps are tried only while the miss is within this multiple of the tolerance (Schneider uses a square)."""
LAST_SPLITS = 12
"""Rounds in which cubics that miss a point of the ring are halved; what misses after that becomes straight lines."""


@dataclass(frozen=True)
class Fitted:
    """A ring as a path, and the distance (n,) of each point of the ring from it."""

    path: Path
    misses: Reals


def fit_ring(ring: Points, tolerance_mm: float) -> Path:
    """A closed path whose distance from every point of `ring` (n, 2, unclosed) is at most `tolerance_mm`."""
    return fit_rings([ring], tolerance_mm)[0].path


def fit_rings(rings: list[Points], tolerance_mm: float, corner_reach_mm: float = 0.0) -> list[Fitted]:
    """Closed paths through `rings` (each (n, 2), unclosed), no point further than `tolerance_mm` from its path.

    `corner_reach_mm`: chords over which a corner is told from a curve; two or three pixels for outlines that come from
    pixels, at least CORNER_REACH tolerances.
    """
    cleaned = [_clean(ring) for ring in rings]
    result = [Fitted(Path.from_points(ring), np.zeros(len(ring))) for ring in rings]
    curved = [number for number, ring in enumerate(cleaned) if len(ring) >= 3]
    if curved:
        tracks = Tracks.of([cleaned[number] for number in curved])
        fitted = _fit(tracks, tolerance_mm, max(CORNER_REACH * tolerance_mm, corner_reach_mm))
        for number, one in zip(curved, fitted, strict=True):
            result[number] = one
    return result


def _clean(ring: Points) -> Points:
    return ring[np.hypot(*(np.roll(ring, -1, axis=0) - ring).T) > 1e-9] if len(ring) else ring


@dataclass(frozen=True)
class _Runs:
    """Stretches between corners, or whole smooth rings opened at a seam: `ring` (n,), from `low` to `high` (n,) on
    it, unit directions into them at both ends (n, 2)."""

    ring: Indices
    low: Reals
    high: Reals
    start: Points
    end: Points


@dataclass(frozen=True)
class _Spans:
    """Pieces of runs: `run` (n,), from `low` to `high` (n,), unit directions into them at both ends (n, 2)."""

    run: Indices
    low: Reals
    high: Reals
    start: Points
    end: Points

    def take(self, index: Flags | Indices | slice) -> "_Spans":
        return _Spans(self.run[index], self.low[index], self.high[index], self.start[index], self.end[index])

    def and_(self, *others: "_Spans") -> "_Spans":
        every = (self, *others)
        return _Spans(
            np.concatenate([s.run for s in every]),
            np.concatenate([s.low for s in every]),
            np.concatenate([s.high for s in every]),
            np.concatenate([s.start for s in every]),
            np.concatenate([s.end for s in every]),
        )

    def in_order(self) -> "_Spans":
        return self.take(np.lexsort((self.low, self.run)))


@dataclass(frozen=True)
class _Cubics:
    """For n spans: `control` (n, 4, 2), parameters of the samples `t` (n, SAMPLES), the worst miss at the samples
    (n,), where it is as a share of the span (n,), and whether a straight line does (n,)."""

    control: NDArray[np.float64]
    t: Reals
    worst: Reals
    where: Reals
    straight: Flags


def _fit(tracks: Tracks, tolerance: float, reach: float) -> list[Fitted]:
    corners = tracks.corners(reach)
    runs = _opened(tracks, corners, tolerance)
    spans = _shortest_chains(tracks, runs, _split(tracks, runs, tolerance), tolerance)
    smooth = np.array([len(corners[ring]) == 0 for ring in runs.ring])
    if smooth.any():
        # a smooth ring was opened anywhere: open it again at a node that was chosen, so that the seam costs no node
        runs, spans = _reopened(tracks, runs, spans, smooth, tolerance)
    return _exact(tracks, runs, spans, tolerance)


def _opened(tracks: Tracks, corners: list[Reals], tolerance: float) -> _Runs:
    ring = np.repeat(np.arange(len(corners)), [max(1, len(places)) for places in corners])
    low = np.concatenate([places if len(places) else np.zeros(1) for places in corners])
    high = np.concatenate(
        [
            np.append(places[1:], places[0] + length) if len(places) else np.array([length])
            for places, length in zip(corners, tracks.length, strict=True)
        ]
    )
    sharp = np.array([len(corners[number]) > 0 for number in ring])[:, None]
    smooth = tracks.directions(ring, low, (high - low) / 2, True, tolerance)
    start = np.where(sharp, tracks.directions(ring, low, high - low, False, tolerance), smooth)
    end = np.where(sharp, tracks.directions(ring, high, low - high, False, tolerance), -smooth)
    return _Runs(ring, low, high, start, end)


def _split(tracks: Tracks, runs: _Runs, tolerance: float) -> _Spans:
    """Spans that a cubic follows, in order: runs split where they are worst until it does."""
    pending = _Spans(np.arange(len(runs.ring)), runs.low, runs.high, runs.start, runs.end)
    done = pending.take(slice(0, 0))
    while len(pending.run):
        cubics = _cubics(tracks, runs, pending, tolerance)
        good = (cubics.worst <= AT_SAMPLES * tolerance) | (pending.high - pending.low <= 2 * tolerance)
        done = done.and_(pending.take(good))
        share = np.clip(cubics.where[~good], 0.25, 0.75)
        pending = _cut(tracks, runs, pending.take(~good), share, tolerance)
    return done.in_order()


def _cut(tracks: Tracks, runs: _Runs, spans: _Spans, share: Reals, tolerance: float) -> _Spans:
    """Two spans of each, cut at `share` of its length."""
    middle = spans.low + share * (spans.high - spans.low)
    direction = _smooth_directions(tracks, runs, spans.run, middle, tolerance)
    return replace(spans, high=middle, end=-direction).and_(replace(spans, low=middle, start=direction))


def _smooth_directions(tracks: Tracks, runs: _Runs, run: Indices, where: Reals, tolerance: float) -> Points:
    """Directions inside runs, from no further than the nearer end of the run: a corner lies there."""
    room = np.minimum(where - runs.low[run], runs.high[run] - where)
    return tracks.directions(runs.ring[run], where, np.maximum(room, 1e-9), True, tolerance)


def _shortest_chains(tracks: Tracks, runs: _Runs, spans: _Spans, tolerance: float) -> _Spans:
    """The fewest spans that a cubic follows, over the ends and middles of `spans`; of equal numbers the closer ones."""
    fine = _cut(tracks, runs, spans, np.full(len(spans.run), 0.5), tolerance).in_order()
    count = len(fine.run)
    longest = int(np.clip(MOST_FITS // count, LEAST_CHAIN, LONGEST_CHAIN))
    first = np.repeat(np.arange(count), longest)
    last = first + np.tile(np.arange(longest), count)
    inside = last < count
    first, last = first[inside], last[inside]
    inside = fine.run[first] == fine.run[last]
    first, last = first[inside], last[inside]
    chains = _Spans(fine.run[first], fine.low[first], fine.high[last], fine.start[first], fine.end[last])
    worst = np.concatenate(
        [
            _cubics(tracks, runs, chains.take(slice(at, at + BATCH)), tolerance).worst
            for at in range(0, len(first), BATCH)
        ]
    )
    good = (worst <= AT_SAMPLES * tolerance) | (first == last)
    cost = 1 + 0.2 * np.minimum(worst / tolerance, 1)
    best = np.concatenate([[0.0], np.full(count, np.inf)])
    came_from = np.zeros(count + 1, dtype=int)
    for a, b, price in zip(first[good].tolist(), last[good].tolist(), cost[good].tolist(), strict=True):
        if best[a] + price < best[b + 1]:
            best[b + 1], came_from[b + 1] = best[a] + price, a
    chosen = []
    at = count
    while at > 0:
        chosen.append((came_from[at], at - 1))
        at = came_from[at]
    a, b = np.array(chosen[::-1]).T
    return _Spans(fine.run[a], fine.low[a], fine.high[b], fine.start[a], fine.end[b])


def _reopened(tracks: Tracks, runs: _Runs, spans: _Spans, smooth: Flags, tolerance: float) -> tuple[_Runs, _Spans]:
    """Smooth rings opened at their middle node instead, chained anew, and the better of the two kept."""
    first = np.searchsorted(spans.run, np.arange(len(runs.ring) + 1))
    middle = (first[:-1] + first[1:]) // 2
    moved = np.where(smooth & (np.diff(first) > 1), spans.low[np.minimum(middle, len(spans.run) - 1)] - runs.low, 0.0)
    turned = np.where((moved > 0)[:, None], spans.start[np.minimum(middle, len(spans.run) - 1)], runs.start)
    low = runs.low + moved
    other = _Runs(runs.ring, low, runs.high + moved, turned, np.where((moved > 0)[:, None], -turned, runs.end))
    length = tracks.length[runs.ring[spans.run]]
    wraps = spans.low < low[spans.run] - 1e-12
    rolled = replace(
        spans, low=spans.low + np.where(wraps, length, 0), high=spans.high + np.where(wraps, length, 0)
    ).in_order()
    return other, _shortest_chains(tracks, other, rolled, tolerance)


def _cubics(tracks: Tracks, runs: _Runs, spans: _Spans, tolerance: float, aim: float = AT_SAMPLES) -> _Cubics:
    """One cubic for each span by least squares with the directions at its ends given (Schneider, section 5), improved
    while it misses by more than `aim` tolerances."""
    share = np.linspace(0, 1, SAMPLES)
    place = spans.low[:, None] + share * (spans.high - spans.low)[:, None]
    points = tracks.axes_at(runs.ring[spans.run][:, None], place)
    start, end = _by_axis(spans.start), _by_axis(spans.end)
    travelled = _long(np.diff(points)).sum(axis=1)
    t = np.tile(share, (len(place), 1))
    control = _least_squares(points, t, start, end, travelled)
    misses = _long(_Powers.of(control).at(t) - points)
    for _ in range(NEWTON_ROUNDS):
        worst = misses.max(axis=1)
        poor = np.flatnonzero((worst > aim * tolerance) & (worst < WORTH_IMPROVING * tolerance))
        if not len(poor):
            break
        here = points[:, poor]
        better = _nearer(here, _Powers.of(control[:, poor]), t[poor])
        better[:, 0], better[:, -1] = 0, 1
        better = np.maximum.accumulate(better, axis=1)
        tried = _least_squares(here, better, start[:, poor], end[:, poor], travelled[poor])
        missed = _long(_Powers.of(tried).at(better) - here)
        won = missed.max(axis=1) < misses[poor].max(axis=1)
        control[:, poor[won]], t[poor[won]], misses[poor[won]] = tried[:, won], better[won], missed[won]
    chord = points[..., -1] - points[..., 0]
    unit = chord / np.maximum(_long(chord), 1e-12)
    away = points - points[..., :1]
    off = np.abs(away[0] * unit[1, :, None] - away[1] * unit[0, :, None]).max(axis=1)
    agrees = np.minimum((start * unit).sum(axis=0), -(end * unit).sum(axis=0)) > STRAIGHT_AGREES
    straight = (off <= tolerance / 2) & agrees
    worst = np.where(straight, off, misses.max(axis=1))
    return _Cubics(np.moveaxis(control, 0, -1), t, worst, share[misses.argmax(axis=1)], straight)


def _by_axis(points: Points) -> Reals:
    """(2, …) of points (…, 2), as Tracks.axes_at gives them."""
    return np.ascontiguousarray(np.moveaxis(points, -1, 0))


def _long(vectors: Reals) -> Reals:
    """Lengths of vectors (2, …)."""
    lengths: Reals = np.hypot(vectors[0], vectors[1])
    return lengths


def _least_squares(points: Reals, t: Reals, start: Reals, end: Reals, travelled: Reals) -> Reals:
    """Control points (2, n, 4) of the cubics nearest to `points` (2, n, m) at parameters `t` (n, m), with directions
    (2, n) at their ends; `travelled` (n,): along the points."""
    s = 1 - t
    b1, b2 = 3 * t * s * s, 3 * t * t * s
    first, last = points[..., 0], points[..., -1]
    # the first two of Bernstein's polynomials and the last two together are 1
    rest = points - first[..., None] - (last - first)[..., None] * (t * t * (3 - 2 * t))
    c00, c11 = np.einsum("nm,nm->n", b1, b1), np.einsum("nm,nm->n", b2, b2)
    c01 = np.einsum("nm,nm->n", b1, b2) * (start * end).sum(axis=0)
    x0 = (np.einsum("nm,anm->an", b1, rest) * start).sum(axis=0)
    x1 = (np.einsum("nm,anm->an", b2, rest) * end).sum(axis=0)
    determinant = c00 * c11 - c01 * c01
    safe = np.where(np.abs(determinant) > 1e-12, determinant, 1.0)
    along, back = (x0 * c11 - x1 * c01) / safe, (c00 * x1 - c01 * x0) / safe
    chord = _long(last - first)
    usable = (np.abs(determinant) > 1e-12) & (np.minimum(along, back) > 1e-4 * travelled)
    usable &= np.maximum(along, back) < travelled
    along, back = np.where(usable, along, chord / 3), np.where(usable, back, chord / 3)
    return np.stack([first, first + along * start, last + back * end, last], axis=-1)


@dataclass(frozen=True)
class _Powers:
    """Cubics by the powers of their parameter: four coefficients (2, n, 1), of the third power first."""

    cubed: Reals
    squared: Reals
    once: Reals
    begin: Reals

    @classmethod
    def of(cls, control: Reals) -> "_Powers":
        """Of control points (2, n, 4)."""
        a, b, c, d = (control[..., index, None] for index in range(4))
        return cls(d - a + 3 * (b - c), 3 * (a - 2 * b + c), 3 * (b - a), a)

    def at(self, t: Reals) -> Reals:
        """Points (2, n, m) at parameters (n, m)."""
        points: Reals = ((self.cubed * t + self.squared) * t + self.once) * t + self.begin
        return points


def _nearer(points: Reals, cubics: _Powers, t: Reals) -> Reals:
    """One Newton step of `t` (n, m) towards the foot of `points` (2, n, m) on their cubic."""
    miss = cubics.at(t) - points
    d1 = (3 * cubics.cubed * t + 2 * cubics.squared) * t + cubics.once
    d2 = 6 * cubics.cubed * t + 2 * cubics.squared
    slope = (d1 * d1 + miss * d2).sum(axis=0)
    step = (miss * d1).sum(axis=0) / np.where(np.abs(slope) > 1e-12, slope, np.inf)
    nearer: Reals = np.clip(t - step, 0.0, 1.0)
    return nearer


def _exact(tracks: Tracks, runs: _Runs, spans: _Spans, tolerance: float) -> list[Fitted]:
    """Paths of the spans, tried at every point of the rings and cut in two where one lies too far."""
    misses = np.zeros(len(tracks.points))
    own, place, owner = _owned(tracks, runs, spans)
    settled: list[list[tuple[float, list[Points]]]] = [[] for _ in tracks.length]
    for round_ in range(LAST_SPLITS + 1):
        cubics = _cubics(tracks, runs, spans, tolerance, aim=FINAL_AIM)
        share = np.clip((place - spans.low[owner]) / np.maximum(spans.high - spans.low, 1e-12)[owner], 0, 1)
        missed = _misses(tracks.points[own], cubics, owner, share)
        worst, at = np.zeros(len(spans.run)), np.full(len(spans.run), 0.5)
        np.maximum.at(worst, owner, missed)
        at[owner[missed >= worst[owner]]] = share[missed >= worst[owner]]
        bad = worst > tolerance
        if round_ == LAST_SPLITS:  # no cubic will do: straight lines through the points themselves
            for span in np.flatnonzero(bad):
                through = tracks.points[own[owner == span]][np.argsort(place[owner == span])]
                lines = [point[None, :] for point in (*through, cubics.control[span, 3])]
                settled[runs.ring[spans.run[span]]].append((spans.low[span], lines))
            missed[bad[owner]] = 0
        misses[own] = missed
        for span in np.flatnonzero(~bad):
            segment = cubics.control[span, 3:] if cubics.straight[span] else cubics.control[span, 1:]
            settled[runs.ring[spans.run[span]]].append((spans.low[span], [segment]))
        if round_ == LAST_SPLITS or not bad.any():
            break
        again = bad[owner]
        own, place, owner = own[again], place[again], (np.cumsum(bad) - 1)[owner[again]]
        spans = _cut(tracks, runs, spans.take(bad), np.clip(at[bad], 0.2, 0.8), tolerance)
        owner = owner + np.where(place >= spans.high[owner], np.count_nonzero(bad), 0)
    fitted = []
    for ring, parts in enumerate(settled):
        segments = [segment for _, several in sorted(parts, key=lambda part: part[0]) for segment in several]
        here = misses[tracks.first[ring] : tracks.first[ring + 1] - 1]
        fitted.append(Fitted(Path(segments[-1][-1], tuple(segments), True), here))
    return fitted


def _owned(tracks: Tracks, runs: _Runs, spans: _Spans) -> tuple[Indices, Reals, Indices]:
    """Every point of the tracks by index, its place on its ring as the spans count it, and the span it belongs to."""
    ring = np.repeat(np.arange(len(tracks.length)), np.diff(tracks.first))
    own_ring = runs.ring[spans.run]
    opens = spans.low[np.searchsorted(own_ring, np.arange(len(tracks.length)))]
    place = tracks.ruler - tracks.begin[ring]
    place = np.where(place < opens[ring], place + tracks.length[ring], place)
    # one ruler for all rings, with room for two rounds of each
    shift = np.concatenate([[0.0], np.cumsum(2 * tracks.length + 1)])
    owner = np.searchsorted(spans.low + shift[own_ring], place + shift[ring], side="right") - 1
    return np.arange(len(tracks.points)), place, owner


def _misses(points: Points, cubics: _Cubics, owner: Indices, share: Reals) -> Reals:
    """Distance (n,) of `points` (n, 2) from the cubics that own them, at about `share` (n,) of their length."""
    low = np.minimum((share * (SAMPLES - 1)).astype(int), SAMPLES - 2)
    part = share * (SAMPLES - 1) - low
    t = (cubics.t[owner, low] * (1 - part) + cubics.t[owner, low + 1] * part)[:, None]
    control = _by_axis(cubics.control[owner])
    powers, here = _Powers.of(control), _by_axis(points)[..., None]
    for _ in range(2):
        t = _nearer(here, powers, t)
    misses = _long(powers.at(t) - here)[:, 0]
    first, chord = control[..., 0], control[..., 3] - control[..., 0]
    along = ((here[..., 0] - first) * chord).sum(axis=0) / np.maximum((chord**2).sum(axis=0), 1e-12)
    off = _long(first + np.clip(along, 0, 1) * chord - here[..., 0])
    distances: Reals = np.where(cubics.straight[owner], off, misses)
    return distances
