"""From finish lines to the strokes of a tool: in order, bent to the sheet, led for the knife, with time and stops."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.knife import led
from etiquette.core.cutting.media import Media
from etiquette.core.cutting.ordering import cutting_order
from etiquette.core.cutting.profiles import DeviceProfile, ToolCard
from etiquette.core.cutting.spans import Span, between_ties, part, perforated
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path, Points

KIND_ORDER: tuple[Kind, ...] = ("pen", "crease", "score", "kiss", "perforation", "through")
"""What marks or bends comes before what cuts, and a kiss cut before what frees the sheet (common practice, no
published source)."""
SLOWS_DEG = 20.0
"""A tool comes to rest where its way turns by more than this."""

Carry = Callable[[Points], Points]


@dataclass(frozen=True)
class Stroke:
    """One path of a tool without lifting: `points` (n, 2) in cutter millimetres; `line` is the number of the finish
    line it follows, `light` a light span of a perforation, `across` one that runs across the grain."""

    kind: Kind
    points: Points
    line: int = 0
    light: bool = False
    across: bool = False


@dataclass(frozen=True)
class ToolTurn:
    """One tool at work: its kind, the first of its strokes, the seconds they take, and what has to be changed by hand
    before, empty when nothing."""

    kind: Kind
    first: int
    seconds: float
    change: str


@dataclass(frozen=True)
class Motion:
    """All strokes in the order they are made, with length, travel and time (without what hands take)."""

    strokes: tuple[Stroke, ...]
    cut_mm: float
    travel_mm: float
    seconds: float
    turns: tuple[ToolTurn, ...] = ()


def plan_motion(
    lines: Sequence[FinishLine],
    profile: DeviceProfile,
    tools: Mapping[Kind, ToolCard],
    carry: Carry = lambda points: points,
    start: Points | None = None,
    media: Media | None = None,
    ranks: Sequence[int] | None = None,
) -> Motion:
    """Strokes for `lines`, each point carried by `carry` (a fit) before anything is made of it; curves are flattened
    first, finely enough that the knife stays within the profile's tolerance of the bent curve. `start`: where the tool
    is, (0, 0) by default. `media`: what is known of the stock under the knife: through cuts under a roller keep ties,
    those from side to side come last. `ranks`, one a line: each tool follows lines of a lower rank first, whatever the
    way between them."""
    strokes: list[Stroke] = []
    turns: list[ToolTurn] = []
    at = np.zeros(2) if start is None else start
    heading = np.radians(profile.rest_heading_deg)
    for kind in KIND_ORDER:
        numbers = [number for number, line in enumerate(lines) if line.kind == kind]
        if not numbers:
            continue
        card = tools.get(kind, ToolCard())
        shapes = _carried([lines[number].path for number in numbers], profile.flat_mm, carry)
        closed = [lines[number].path.closed for number in numbers]
        first = len(strokes)
        apart = media if kind == "through" else None
        ranked = None if ranks is None else [ranks[number] for number in numbers]
        for index, entry in _in_order(shapes, closed, at, profile, apart, ranked):
            whole = _entered(shapes[index], closed[index], entry)
            own = apart.card_for(whole, card) if apart else card
            drawn = lines[numbers[index]].path.flatten(profile.flat_mm)
            passes, across = card.passes_of(drawn), card.is_across(drawn)
            for points, light in _spans(whole, closed[index], kind, own) * passes:
                if card.offset_mm > 0:
                    points, heading = led(points, card.offset_mm, heading, profile.rest_mm)
                strokes.append(Stroke(kind, points, numbers[index], light, across))
            at = strokes[-1].points[-1]
        turns.append(
            ToolTurn(kind, first, _seconds(strokes[first:], card, profile), _change(turns, kind, tools, profile))
        )
    cut = sum(_length(stroke.points) for stroke in strokes)
    travel = _travel(strokes, np.zeros(2) if start is None else start)
    return Motion(tuple(strokes), cut, travel, sum(turn.seconds for turn in turns), tuple(turns))


def _in_order(
    shapes: Sequence[Points],
    closed: Sequence[bool],
    at: Points,
    profile: DeviceProfile,
    media: Media | None,
    ranks: Sequence[int] | None,
) -> list[tuple[int, int]]:
    """The order of the shapes of one tool, and where each is entered. What severs the stock comes after all else, and
    the nearest to the leading edge first: what lies before it falls off."""
    last = [number for number, shape in enumerate(shapes) if media and media.severed_by(shape)]
    before = [number for number in range(len(shapes)) if number not in set(last)]
    order, entries = cutting_order(
        [shapes[n] for n in before],
        [closed[n] for n in before],
        at,
        profile.stretch_mm,
        None if ranks is None else [ranks[n] for n in before],
    )
    last.sort(key=lambda number: float(shapes[number][:, 1].max()))
    return [*((before[index], entry) for index, entry in zip(order, entries, strict=True)), *((n, 0) for n in last)]


def _carried(paths: Sequence[Path], tolerance_mm: float, carry: Carry) -> list[Points]:
    """The paths as points, carried all at once."""
    flat = [path.flatten(tolerance_mm) for path in paths]
    return np.split(carry(np.vstack(flat)), np.cumsum([len(points) for points in flat])[:-1])


def _entered(points: Points, closed: bool, entry: int) -> Points:
    """The shape from where it is entered."""
    if not closed:
        return points[::-1] if entry else points
    ring = points[:-1] if np.allclose(points[0], points[-1]) else points
    turned = np.roll(ring, -entry, axis=0)
    return np.vstack([turned, turned[:1]])


def _spans(points: Points, closed: bool, kind: Kind, card: ToolCard) -> list[tuple[Points, bool]]:
    """What of a line is followed without lifting, in order, and whether lightly."""
    if kind == "perforation":
        deep = perforated(points, closed, card.deep_mm, card.light_mm)
        if not card.light_force_gf:
            return [(part(points, span), False) for span in deep]
        total = _length(points)
        ends = [*deep[1:], (deep[0][0] + total, 0.0)] if closed else deep[1:]
        light: list[Span] = [(one[1], other[0]) for one, other in zip(deep, ends, strict=False)]
        both = sorted([(span, False) for span in deep] + [(span, True) for span in light if span[1] - span[0] > 1e-6])
        return [(part(points, span), lightly) for span, lightly in both]
    if kind == "through" and card.tie_mm > 0:
        return [(part(points, span), False) for span in between_ties(points, closed, card.tie_mm, card.tie_every_mm)]
    if closed and card.overcut_mm > 0:
        return [(part(points, (0.0, _length(points) + card.overcut_mm)), False)]
    return [(points, False)]


def _change(before: Sequence[ToolTurn], kind: Kind, tools: Mapping[Kind, ToolCard], profile: DeviceProfile) -> str:
    """What hands have to put in before `kind`: the first tools are put in before the start, and a machine with several
    holders has room for as many different ones."""
    wanted = tools.get(kind, ToolCard()).tool
    held = dict.fromkeys(tools.get(turn.kind, ToolCard()).tool for turn in before)
    return wanted if before and wanted not in list(held)[-profile.tools :] and len(held) >= profile.tools else ""


def _length(points: Points) -> float:
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def _travel(strokes: Sequence[Stroke], start: Points) -> float:
    """The way with the tool lifted, from `start`."""
    if not strokes:
        return 0.0
    ends = np.vstack([start, *(stroke.points[-1:] for stroke in strokes[:-1])])
    return float(np.hypot(*(np.array([stroke.points[0] for stroke in strokes]) - ends).T).sum())


def _seconds(strokes: Sequence[Stroke], card: ToolCard, profile: DeviceProfile) -> float:
    """Time of a tool: it comes to rest at every sharp turn and speeds up again, and every stroke is one lift."""
    runs = np.concatenate([_straight_runs(stroke.points) for stroke in strokes])
    ways = [
        float(np.hypot(*(after.points[0] - before.points[-1])))
        for before, after in zip(strokes[:-1], strokes[1:], strict=True)
    ]
    cutting = run_seconds(runs, card.speed_mm_s, profile.acceleration_mm_s2)
    travel = run_seconds(np.array(ways), profile.travel_mm_s, profile.acceleration_mm_s2)
    return float(cutting.sum() + travel.sum()) + len(strokes) * profile.lift_seconds


def _straight_runs(points: Points) -> NDArray[np.float64]:
    """Lengths between the places where a tool comes to rest."""
    steps = np.diff(points, axis=0)
    lengths = np.hypot(*steps.T)
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    turned = np.abs((np.diff(heading) + np.pi) % (2 * np.pi) - np.pi)
    starts = np.concatenate([[0], np.flatnonzero(turned > np.radians(SLOWS_DEG)) + 1])
    return np.asarray(np.add.reduceat(lengths, starts))


def run_seconds(lengths: NDArray[np.float64], speed: float, acceleration: float) -> NDArray[np.float64]:
    """Time (n,) of moves of `lengths` (n,) mm from rest to rest: up with `acceleration`, on with `speed`, down again; a
    short move turns round before it is at speed."""
    ramp = speed**2 / acceleration
    return np.where(lengths >= ramp, lengths / speed + speed / acceleration, 2 * np.sqrt(lengths / acceleration))


def path_of(stroke: Stroke) -> Path:
    """A stroke as an open path, mm."""
    return Path.from_points(stroke.points, closed=False)
