"""A reading session: find the code, then every mark of its frame, from windows of pixels alone. A page that brings its
own marks has no code: it begins where the sheet was laid.

The head is anything that returns a window for a place. Each mark that is found sharpens the guess of where the next one
lies, so the search starts at the code and goes outward; a mark that is not where it was expected gets three tries in a
widening square."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, Self

import numpy as np

from etiquette.core.aligning.fitting import ReadMark
from etiquette.core.aligning.mark_finding import SeenMark, find_marks
from etiquette.core.aligning.models import estimate
from etiquette.core.aligning.windows import SeenCode, Window, find_code, may_hold_code, side_by_side
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points
from etiquette.core.marking.frame_plans import FramePlan, Mark
from etiquette.core.marking.marks import MarkRecipe

ASTRAY_MM = 35.0
"""How far beyond its clear zone a mark may lie from where it is expected: hands lay a sheet so much askew, and film has
moved it since (an assumption of our own)."""
OVERLAP = 0.6
"""The windows of a widening search lie so much of their width apart: a mark on the rim of one is whole in the next."""
CODE_SEARCH_RINGS = 8
STRETCH_MM = 250.0
"""Marks within so much along the feed are read without moving the media on."""

Look = Callable[[float, float], Window]
"""Moves the head to (x, y) on the cutter and returns what it sees."""
Told = Callable[[str, int, int], bool]
"""Told words, steps done, steps in all; returns False to stop."""


class ReadingHeld(Exception):
    """The operator held the reading."""


@dataclass(frozen=True)
class Begun:
    """What is known before a mark is read: where one place of the plan was seen on the cutter, and how far the sheet is
    turned."""

    planned: tuple[float, float]
    seen: tuple[float, float]
    angle_deg: float

    @classmethod
    def at_code(cls, plan: FramePlan, seen: SeenCode) -> Self:
        """A sheet whose code was `seen`: its middle is where the plan has it, and it tells the turn."""
        place = next(code for code in plan.codes if code.code == seen.code)
        return cls(place.centre, (seen.x, seen.y), seen.angle_deg)

    @classmethod
    def at_end(cls, plan: FramePlan, end: Literal["head", "tail"], waits: tuple[float, float], in_mm: float) -> Self:
        """A sheet without a code, as it was laid: the head waits at `waits`, in the middle of its width and `in_mm` in
        from the end that lies first."""
        turned = end == "tail"
        return cls((plan.width_mm / 2, plan.length_mm - in_mm if turned else in_mm), waits, 180.0 if turned else 0.0)


@dataclass(frozen=True)
class Reading:
    marks: tuple[ReadMark, ...]
    tries: dict[str, int]
    """How many rings of windows were looked at for each mark; 1: it lay where it was expected."""
    looked_mm: dict[str, float]
    """How far from where it was expected each mark was looked for."""


class CodeNotFound(JobError):
    """No frame code lies where it was looked for."""


def find_frame_code(look: Look, start: tuple[float, float], told: Told = lambda *_: True) -> SeenCode:
    """The first code from `start` on, along the strip first and then in a widening search.

    Raises JobError when there is none, ReadingHeld when told to stop.
    """
    first = look(*start)
    step = min(first.pixels.shape) * first.mm_per_px * 0.5
    places = _spiral(start, step, CODE_SEARCH_RINGS)
    lively = set[tuple[float, float]]()
    for number, (x, y) in enumerate(places):
        if not told("Looking for the code", number, len(places)):
            raise ReadingHeld
        window = look(x, y)
        if not may_hold_code(window):
            continue
        seen = find_code(window)
        if seen:
            # once more with the code in the middle: there the lens and the edge of the window do least harm
            return find_code(look(seen.x, seen.y)) or seen
        lively.add((x, y))
    # a row of bars may be wider than the window: windows beside each other see it whole
    for x, y in places[: len(places) // 2 : 2]:
        if (x, y) not in lively:
            continue
        if not told("Looking for a code of bars", len(places), len(places)):
            raise ReadingHeld
        seen = find_code(side_by_side([look(x + n * 1.8 * step, y) for n in (-1, 0, 1)]), kinds=("code 128",))
        if seen:
            return seen
    raise CodeNotFound(
        "No frame code was found near the loading line.",
        "head",
        "Check that the sheet lies under the head, printed side up, and load it again.",
    )


def _spiral(start: tuple[float, float], step: float, rings: int) -> list[tuple[float, float]]:
    """Places in square rings round `start`, nearest first, those before the loading line left out."""
    offsets = [(i, j) for i in range(-rings, rings + 1) for j in range(-1, rings // 2)]
    offsets.sort(key=lambda at: (max(abs(at[0]) / 2, abs(at[1])), abs(at[1]), abs(at[0])))
    return [(start[0] + i * step, start[1] + j * step) for i, j in offsets]


def read_marks(look: Look, begun: Begun, plan: FramePlan, recipe: MarkRecipe, told: Told = lambda *_: True) -> Reading:
    """Every mark of `plan`, stretch by stretch away from where it begins. Raises ReadingHeld when told to stop."""
    known_plan, known_seen = [begun.planned], [begun.seen]
    order = reading_order(plan.marks, begun.planned)
    found: dict[str, SeenMark] = {}
    tries: dict[str, int] = {}
    looked: dict[str, float] = {}
    for number, mark in enumerate(order):
        if not told(f"Reading mark {number + 1} of {len(order)}", number, len(order)):
            raise ReadingHeld
        expected, *others = expected_places(
            [mark, *(m for m in order if m != mark)], known_plan, known_seen, begun.angle_deg
        )
        one, tries[mark.id], looked[mark.id] = _searched(look, expected, np.array(others), recipe)
        if one:
            if not found:  # a read mark is far better known than the corners of a code
                known_plan, known_seen = [], []
            found[mark.id] = one
            known_plan.append((mark.x, mark.y))
            known_seen.append((one.x, one.y))
    marks = tuple(
        ReadMark(m.id, (m.x, m.y), (found[m.id].x, found[m.id].y) if m.id in found else None) for m in plan.marks
    )
    return Reading(marks, tries, looked)


def reading_order(marks: Sequence[Mark], start: tuple[float, float]) -> list[Mark]:
    """The marks in stretches away from `start`, so that the media under a long frame moves one way and not to and fro
    for every mark; within a stretch across, from the side where the one before ended."""
    stretches: dict[int, list[Mark]] = {}
    for mark in marks:
        stretches.setdefault(int(abs(mark.y - start[1]) / STRETCH_MM), []).append(mark)
    order: list[Mark] = []
    x = start[0]
    for number in sorted(stretches):
        across = sorted(stretches[number], key=lambda mark: mark.x)
        if abs(across[0].x - x) > abs(across[-1].x - x):
            across.reverse()
        order += across
        x = across[-1].x
    return order


def expected_places(
    marks: Sequence[Mark], plan: Sequence[tuple[float, float]], seen: Sequence[tuple[float, float]], angle_deg: float
) -> Points:
    """Where `marks` should lie (n, 2), from what is known so far: one point and the angle of the code, or a
    similarity."""
    targets = np.array([[mark.x, mark.y] for mark in marks])
    if len(plan) >= 2:
        return estimate("similarity", np.array(plan), np.array(seen))(targets)
    turn = np.radians(angle_deg)
    rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    return np.asarray(np.array(seen[0]) + (targets - np.array(plan[0])) @ rotation.T)


def _searched(look: Look, expected: Points, others: Points, recipe: MarkRecipe) -> tuple[SeenMark | None, int, float]:
    """The mark nearest to `expected` (2,), how many rings of windows it took, and how far in mm they cover all round.
    What lies nearer to where one of the `others` (n, 2) is expected is that one."""

    def away(one: SeenMark) -> float:
        return float(np.hypot(one.x - expected[0], one.y - expected[1]))

    def is_it(one: SeenMark) -> bool:
        return not len(others) or away(one) < np.hypot(*(others - (one.x, one.y)).T).min()

    x, y = expected.tolist()
    ring, step, covered = 0, 0.0, 0.0
    while covered < recipe.out_mm + ASTRAY_MM:
        seen: list[SeenMark] = []
        for i, j in _ring(ring):
            window = look(x + i * step, y + j * step)
            seen += [one for one in find_marks(window, recipe) if is_it(one)]
        side = min(window.pixels.shape) * window.mm_per_px
        step = OVERLAP * side
        ring, covered = ring + 1, side / 2 + step * ring
        if seen:
            near = min(seen, key=away)
            middle = find_marks(look(near.x, near.y), recipe)
            better = min(middle, key=lambda one: (one.x - near.x) ** 2 + (one.y - near.y) ** 2, default=near)
            return better, ring, covered
    return None, ring, covered


def _ring(number: int) -> list[tuple[int, int]]:
    """Steps across and along of the windows in one ring of a square round the first."""
    every = range(-number, number + 1)
    return [(i, j) for i in every for j in every if max(abs(i), abs(j)) == number]
