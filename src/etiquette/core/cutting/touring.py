"""A short way through many places: nearest neighbour, then 2-opt and Or-opt until nothing gains, then small kicks.

Local search with neighbour lists as in J. L. Bentley, "Fast algorithms for geometric traveling salesman problems", ORSA
Journal on Computing 4(4), 1992; the kick is the segment exchange ("double bridge") of O. Martin, S. Otto, E. Felten,
"Large-step Markov chains for the traveling salesman problem", Complex Systems 5, 1991, kept to a short window so that
it costs the same in a long tour as in a short one. Deterministic."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from etiquette.core.geometry.paths import Points

NEIGHBOURS = 8
KICKS_A_PLACE = 30
MOST_KICKS = 30_000
KICK_WINDOW = 40
LONGEST_MOVED = 3
ALL_WITH_ALL, AT_ONCE = 2000, 256
"""So many places are compared each with each, so many rows at once: sooner done than a tree is loaded (1 s)."""


def tour(places: Points, start: Points) -> NDArray[np.intp]:
    """The order (n,) in which to visit `places` (n, 2) from `start` (2,), ending anywhere."""
    count = len(places)
    if count < 3:
        return np.argsort(((places - start) ** 2).sum(axis=1), kind="stable")
    whole = np.vstack([start, places]).astype(float)
    near = neighbours_of(whole, min(NEIGHBOURS, count))
    order = _nearest_first(whole)
    kicks = min(MOST_KICKS, KICKS_A_PLACE * count)
    _improve(whole, order, near, kicks)
    return np.asarray(order[1:] - 1, dtype=np.intp)


def neighbours_of(places: Points, count: int) -> NDArray[np.int64]:
    """The `count` nearest others of each of `places` (n, 2), the nearest first (n, count)."""
    if len(places) > ALL_WITH_ALL:
        from scipy.spatial import cKDTree

        _, near = cKDTree(places).query(places, count + 1)
        return np.asarray(near[:, 1:], dtype=np.int64)
    found = []
    for first in range(0, len(places), AT_ONCE):
        some = places[first : first + AT_ONCE]
        away = ((some[:, None] - places) ** 2).sum(axis=2)
        rows = np.arange(len(some))
        away[rows, first + rows] = np.inf
        near = np.argpartition(away, count - 1, axis=1)[:, :count]
        found.append(np.take_along_axis(near, np.argsort(away[rows[:, None], near], axis=1, kind="stable"), axis=1))
    return np.concatenate(found).astype(np.int64)


@njit(cache=True, nogil=True)
def _nearest_first(places):  # type: ignore[no-untyped-def]
    count = len(places)
    order = np.zeros(count, np.int64)
    left = np.arange(1, count)
    at, remaining = 0, count - 1
    for step in range(1, count):
        best, found = np.inf, 0
        for k in range(remaining):
            dx, dy = places[left[k], 0] - places[at, 0], places[left[k], 1] - places[at, 1]
            away = dx * dx + dy * dy
            if away < best:
                best, found = away, k
        at = left[found]
        order[step] = at
        remaining -= 1
        left[found] = left[remaining]
    return order


@njit(cache=True, nogil=True, inline="always")
def _gap(places, a, b):  # type: ignore[no-untyped-def]
    """Distance; -1 stands for the open end, which costs nothing."""
    if a < 0 or b < 0:
        return 0.0
    dx, dy = places[a, 0] - places[b, 0], places[a, 1] - places[b, 1]
    return np.sqrt(dx * dx + dy * dy)


@njit(cache=True, nogil=True, inline="always")
def _reverse(order, where, low, high):  # type: ignore[no-untyped-def]
    while low < high:
        order[low], order[high] = order[high], order[low]
        where[order[low]], where[order[high]] = low, high
        low += 1
        high -= 1


@njit(cache=True, nogil=True)
def _gain(places, order, where, near, place):  # type: ignore[no-untyped-def]
    """Make the first move about `place` that shortens the way; returns what it gained, 0 when there is none."""
    i, count = where[place], len(order)
    before = _gap(places, place, order[i - 1]) if i > 0 else 0.0
    after = _gap(places, place, order[i + 1]) if i + 1 < count else 0.0
    for k in range(near.shape[1]):
        other = near[place, k]
        apart = _gap(places, place, other)
        if apart < max(before, after):  # else nothing about place can be won by going to other
            won = _turned_round(places, order, where, i, where[other])
            if won > 0.0:
                return won
        if i > 0:
            won = _moved(places, order, where, i, where[other], apart)
            if won > 0.0:
                return won
    return 0.0


@njit(cache=True, nogil=True, inline="always")
def _turned_round(places, order, where, i, j):  # type: ignore[no-untyped-def]
    """2-opt: what stands at i and j become neighbours, what lies between is turned round."""
    low, high = min(i, j), max(i, j)
    if high <= low + 1:
        return 0.0
    a, b, c = order[low], order[low + 1], order[high]
    d = order[high + 1] if high + 1 < len(order) else -1
    won = _gap(places, a, b) + _gap(places, c, d) - _gap(places, a, c) - _gap(places, b, d)
    if won > 1e-9:
        _reverse(order, where, low + 1, high)
        return won
    if low > 0:
        a, b, c, d = order[low - 1], order[low], order[high - 1], order[high]
        won = _gap(places, a, b) + _gap(places, c, d) - _gap(places, a, c) - _gap(places, b, d)
        if won > 1e-9:
            _reverse(order, where, low, high - 1)
            return won
    return 0.0


@njit(cache=True, nogil=True, inline="always")
def _moved(places, order, where, i, j, apart):  # type: ignore[no-untyped-def]
    """Or-opt: a short stretch that begins or ends at position i moves beside position j, either way round; the two
    places are `apart`."""
    count = len(order)
    for length in range(1, LONGEST_MOVED + 1):
        for side in range(1 if length == 1 else 2):
            first = i if side == 0 else i - length + 1
            last = first + length - 1
            if first < 1 or last >= count or first <= j <= last:
                continue
            s, e = order[first], order[last]
            p, n = order[first - 1], (order[last + 1] if last + 1 < count else -1)
            freed = _gap(places, p, s) + _gap(places, e, n) - _gap(places, p, n)
            if freed <= apart:
                continue
            for behind in (j, j - 1):
                if behind < 0 or behind == first - 1 or behind == last:
                    continue
                left, right = order[behind], (order[behind + 1] if behind + 1 < count else -1)
                straight = _gap(places, left, s) + _gap(places, e, right)
                turned = _gap(places, left, e) + _gap(places, s, right)
                won = freed + _gap(places, left, right) - min(straight, turned)
                if won > 1e-9:
                    _move(order, where, first, last, behind, turned < straight)
                    return won
    return 0.0


@njit(cache=True, nogil=True, inline="always")
def _move(order, where, first, last, behind, turned):  # type: ignore[no-untyped-def]
    """Put the stretch first..last behind position `behind` (outside it), by reversals only."""
    if turned:
        _reverse(order, where, first, last)
    if behind > last:
        _reverse(order, where, first, last)
        _reverse(order, where, last + 1, behind)
        _reverse(order, where, first, behind)
    else:
        _reverse(order, where, first, last)
        _reverse(order, where, behind + 1, first - 1)
        _reverse(order, where, behind + 1, last)


@njit(cache=True, nogil=True)
def _settle(places, order, where, near, stack, waiting, top):  # type: ignore[no-untyped-def]
    """Work off the places on the stack until none of them gains; returns what was gained."""
    gained = 0.0
    while top > 0:
        top -= 1
        place = stack[top]
        waiting[place] = False
        while True:
            i = where[place]
            touched = (order[i - 1] if i > 0 else place, order[i + 1] if i + 1 < len(order) else place)
            won = _gain(places, order, where, near, place)
            if won == 0.0:
                break
            gained += won
            i = where[place]
            for other in (
                touched[0],
                touched[1],
                order[i - 1] if i > 0 else place,
                order[i + 1] if i + 1 < len(order) else place,
            ):
                if not waiting[other]:
                    waiting[other] = True
                    stack[top] = other
                    top += 1
    return gained


@njit(cache=True, nogil=True)
def _improve(places, order, near, kicks):  # type: ignore[no-untyped-def]
    count = len(order)
    where = np.empty(count, np.int64)
    for i in range(count):
        where[order[i]] = i
    stack, waiting = np.arange(count), np.ones(count, np.bool_)
    _settle(places, order, where, near, stack, waiting, count)
    if count < 8:
        return
    seed = np.uint64(20240229)
    kept = np.empty(count, np.int64)
    for _ in range(kicks):
        window = min(KICK_WINDOW, count - 1)
        seed = seed * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
        low = 1 + int((seed >> np.uint64(33)) % np.uint64(count - window)) if count > window else 1
        cuts = np.empty(3, np.int64)
        for k in range(3):
            seed = seed * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            cuts[k] = low + int((seed >> np.uint64(33)) % np.uint64(window))
        cuts.sort()
        a, b, c = cuts[0], cuts[1], cuts[2]  # order[a..b-1] and order[b..c-1] change places
        if a == b or b == c:
            continue
        kept[:] = order
        before_a, at_a, at_b, end_b, end_c = order[a - 1], order[a], order[b], order[b - 1], order[c - 1]
        after = order[c] if c < count else -1
        lost = (
            _gap(places, before_a, at_b) + _gap(places, end_c, at_a) + _gap(places, end_b, after)
            - _gap(places, before_a, at_a) - _gap(places, end_b, at_b) - _gap(places, end_c, after)
        )  # fmt: skip
        _reverse(order, where, a, b - 1)
        _reverse(order, where, b, c - 1)
        _reverse(order, where, a, c - 1)
        top = 0
        for place in (before_a, at_a, at_b, end_b, end_c, after):
            if place >= 0 and not waiting[place]:
                waiting[place] = True
                stack[top] = place
                top += 1
        if _settle(places, order, where, near, stack, waiting, top) < lost + 1e-9:
            for i in range(count):
                order[i] = kept[i]
                where[kept[i]] = i
