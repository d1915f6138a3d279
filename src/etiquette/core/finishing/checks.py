"""Checks of finish lines, each finding with its place and, where one is safe, its repair."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, Literal

import numpy as np
import shapely
from shapely import LineString, Polygon, STRtree
from shapely.validation import explain_validity

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.specks import keeping_mm2
from etiquette.core.geometry.paths import Path, Points, path_length, signed_area
from etiquette.core.geometry.polygons import united

What = Literal["open", "crossing", "twice", "left out", "doubtful", "tight", "weed", "outside", "nodes", "printed"]

ASKS_FOR_EYES: frozenset[What] = frozenset({"open", "crossing", "twice", "left out", "doubtful", "outside", "printed"})
"""Findings with which a line may cut what it should not: nothing takes it as it is before a person has seen it. The
others cost time at the knife or by hand."""
KNIFE_TURNS_MM = 0.5
"""The inner radius that a drag knife follows without lifting the film (common practice, no published source)."""
ROUND_TO_MM = 0.6
"""What the repair rounds to: a little more, because a fitted curve wobbles within its tolerance."""
SEEN_MM2 = 0.2
"""A part of the art that is smaller is a speck of dust to the eye: a dot of half a millimetre (a value of our own)."""
SLACK_MM = 0.05
REACH_MM = 0.3
TURN_REACH_MM = 0.15
WEED_MM2, WEED_WIDTH_MM = 7.0, 1.5
"""A hole smaller or narrower than this cannot be gripped (common practice, no published source)."""
SAME_MM = 0.1
SLIP_MM = 2.0
"""Ends nearer than this were meant to meet."""
PRINTED_MM = 0.4
OUTSIDE_MM = 0.5
MOST_NODES, NODES_A_MM, FEW_NODES = 1500, 2.5, 120
MOST_OF_A_KIND = 20
"""Of one kind of finding so many are shown; more of them have one cause, and its repair mends all."""


@dataclass(frozen=True)
class Finding:
    """What is wrong, in words; where, in design millimetres (y up); and what would mend it, if anything safe does:
    settings that change, or a line (by number) that is closed or goes."""

    what: What
    title: str
    words: str
    x: float
    y: float
    repair: str | None = None
    changes: dict[str, Any] = field(default_factory=dict)
    line: int | None = None
    act: Literal["close", "out"] | None = None


def check_lines(
    lines: Sequence[FinishLine],
    size_mm: tuple[float, float],
    printed: Sequence[Path] = (),
    made: bool = True,
    tolerance_mm: float = 0.05,
    specks: Sequence[Polygon] = (),
) -> list[Finding]:
    """Findings in the order in which they matter. `size_mm` is the size of the art; `printed` are thin strokes that
    stay in the print; `made` tells lines made here, which settings can mend, from lines that came with the art;
    `specks` are parts of the art that no line was made for, the largest first."""
    flat = [line.path.flatten(0.02) for line in lines]
    found = [
        *_open(lines),
        *_crossing(lines, flat),
        *_twice(lines, flat),
        *_left_out(lines, flat, specks),
        *_printed(flat, printed),
        *_outside(flat, size_mm, made),
        *_small_holes(lines, flat, made),
        *_tight(lines, made),
        *_nodes(lines, made, tolerance_mm),
    ]
    counts: dict[str, int] = {}
    kept = []
    for finding in found:
        counts[finding.what] = counts.get(finding.what, 0) + 1
        if counts[finding.what] <= MOST_OF_A_KIND:
            kept.append(finding)
    return kept


def doubt(size_mm: tuple[float, float], parts: int) -> Finding:
    """What is said of lines round `parts` that may be no art: a photographed page, a wall of bricks."""
    words = f"{parts} parts on a ground that is not plain"
    repair = ("Take a rectangle", {"follow": "page"})
    return _at(np.array(size_mm) / 2, "doubtful", "The edge is doubtful", words, *repair)


def _open(lines: Sequence[FinishLine]) -> list[Finding]:
    """A kiss or through line has to come back to its start, unless it is one straight stroke from edge to edge. A gap
    no wider than a slip of the hand is closed by a stroke; where other ends are as near, all near ends are joined."""
    found = []
    ends = {
        number: np.array([line.path.start, line.path.segments[-1][-1]])
        for number, line in enumerate(lines)
        if not line.path.closed
    }
    for number, line in enumerate(lines):
        straight = len(line.path.segments) == 1 and len(line.path.segments[0]) == 1
        if line.path.closed or line.kind not in ("kiss", "through") or straight:
            continue
        start, end = line.path.start, line.path.segments[-1][-1]
        gap = float(np.hypot(*(end - start)))
        # a line that lies on this one from end to end is no continuation of it
        others = [pair for owner, pair in ends.items() if owner != number and not _same_ends(pair, ends[number])]
        nearest = min((float(np.hypot(*(pair - end).T).min()) for pair in others), default=np.inf)
        words = f"its ends are {gap:.2f} mm apart"
        if nearest < gap and nearest <= SLIP_MM:
            within = float(np.ceil(nearest * 20 + 1) / 20)
            repair = _at(
                start,
                "open",
                "The line is open",
                f"another end is {nearest:.2f} mm away",
                "Join the ends",
                {"join_mm": within},
            )
        elif gap <= SLIP_MM:
            repair = replace(_at(start, "open", "The line is open", words, "Close it"), line=number, act="close")
        else:
            repair = _at(start, "open", "The line is open", f"{words}; close it in the art")
        found.append(repair)
    return found


def _same_ends(one: Points, two: Points) -> bool:
    return bool(min(np.abs(one - two).max(), np.abs(one[::-1] - two).max()) <= SAME_MM)


def _crossing(lines: Sequence[FinishLine], flat: list[Points]) -> list[Finding]:
    found = []
    for line, points in zip(lines, flat, strict=True):
        if LineString(points).is_simple:
            continue
        reason = explain_validity(Polygon(points)) if line.path.closed and len(points) > 3 else ""
        numbers = reason[reason.find("[") + 1 : reason.find("]")].split() if "[" in reason else []
        place = np.array([float(number) for number in numbers[:2]]) if len(numbers) >= 2 else _first_crossing(points)
        found.append(_at(place, "crossing", "The line crosses itself", "the piece would fall apart there"))
    return found


def _first_crossing(points: Points) -> Points:
    steps = [LineString(pair) for pair in pairwise(points)]
    tree = STRtree(steps)
    for one, two in tree.query(steps, predicate="crosses").T.tolist():
        if abs(one - two) > 1:
            crossing: Points = shapely.get_coordinates(steps[one].intersection(steps[two]))[0]
            return crossing
    start: Points = points[0]
    return start


def _twice(lines: Sequence[FinishLine], flat: list[Points]) -> list[Finding]:
    shapes = [LineString(points) for points in flat]
    tree = STRtree(shapes)
    found = []
    for one, two in tree.query(shapes, predicate="dwithin", distance=SAME_MM).T.tolist():
        near = one < two and np.abs(np.subtract(shapes[one].bounds, shapes[two].bounds)).max() <= SAME_MM
        if near and shapes[one].hausdorff_distance(shapes[two]) <= SAME_MM:
            if lines[one].kind == lines[two].kind:
                cut_twice = _at(flat[one][0], "twice", "Two lines lie on each other", "cut twice", "Take one out")
                found.append(replace(cut_twice, line=two, act="out"))
            else:
                words = f"{lines[one].kind} and {lines[two].kind}"
                found.append(_at(flat[one][0], "twice", "Two lines lie on each other", words))
    return found


def _left_out(lines: Sequence[FinishLine], flat: list[Points], specks: Sequence[Polygon]) -> list[Finding]:
    """Parts of the art that were taken for specks and do not lie inside a piece: they are cut through, or cut off."""
    rings = [Polygon(p) for line, p in zip(lines, flat, strict=True) if line.path.closed and len(p) > 3]
    pieces = united(rings)
    shapely.prepare(pieces)
    found = []
    for speck in specks:
        if speck.area < SEEN_MM2 or pieces.covers(speck):
            continue
        place = shapely.get_coordinates(speck.representative_point())[0]
        how = "is cut through" if pieces.intersects(speck) else "stays outside the line"
        keep = keeping_mm2(speck.area)
        repair = (f"Keep parts from {keep:g} mm²", {"min_area_mm2": keep})
        found.append(_at(place, "left out", "A part is left out", f"{speck.area:.2g} mm² of art {how}", *repair))
    return found


def _printed(flat: list[Points], printed: Sequence[Path]) -> list[Finding]:
    if not flat:
        return []
    lines = shapely.multilinestrings([LineString(points) for points in flat])
    shapely.prepare(lines)
    found = []
    for path in printed:
        points = path.flatten(0.05)
        if shapely.dwithin(lines, shapely.points(points), PRINTED_MM).all():
            found.append(
                _at(points[0], "printed", "A stroke along the line is printed", "add a line rule that catches it")
            )
    return found


def _outside(flat: list[Points], size: tuple[float, float], made: bool) -> list[Finding]:
    """Lines that came with the art should lie on it; lines made here may lie outside by their offset."""
    if made:
        return []
    found = []
    for points in flat:
        over = np.maximum(np.maximum(-points, points - np.array(size)), 0).max(axis=1)
        worst = int(over.argmax())
        if over[worst] > OUTSIDE_MM:
            found.append(_at(points[worst], "outside", "The line leaves the art", f"by {over[worst]:.1f} mm"))
    return found


def _small_holes(lines: Sequence[FinishLine], flat: list[Points], made: bool) -> list[Finding]:
    rings = [
        Polygon(p).buffer(0) if line.path.closed and len(p) > 3 else Polygon()
        for line, p in zip(lines, flat, strict=True)
    ]
    tree = STRtree(rings)
    found = []
    for inner, outer in tree.query(rings, predicate="within").T.tolist():
        if inner == outer or lines[inner].kind != lines[outer].kind or rings[inner].is_empty:
            continue
        hole = rings[inner]
        if hole.area < WEED_MM2 or hole.buffer(-WEED_WIDTH_MM / 2).is_empty:
            place = shapely.get_coordinates(hole.representative_point())[0]
            words = f"a hole of {hole.area:.1f} mm² cannot be gripped"
            found.append(
                _at(place, "weed", "Too small to weed", words, "Fill it", {"holes": "fill"})
                if made
                else _at(place, "weed", "Too small to weed", words)
            )
    return found


def _tight(lines: Sequence[FinishLine], made: bool) -> list[Finding]:
    found = []
    for line in lines:
        if line.path.closed and line.kind in ("kiss", "through"):
            for place, radius in tight_places(line.path):
                words = (
                    f"inner corner {radius:.1f} mm, needs {KNIFE_TURNS_MM} mm"
                    if radius >= 0.05
                    else f"sharp inner corner, needs {KNIFE_TURNS_MM} mm"
                )
                repair = ("Round it", {"corner_mm": ROUND_TO_MM}) if made else (None, {})
                found.append(_at(place, "tight", "Tighter than the knife turns", words, *repair))
    return found


def tight_places(path: Path, least_mm: float = KNIFE_TURNS_MM) -> list[tuple[Points, float]]:
    """Places where a closed path turns inward on a smaller radius than `least_mm`, and that radius.

    Measured by circles through points TURN_REACH_MM before and after each place; neighbours are one place.
    """
    points = path.flatten(1e-3)
    if signed_area(points) < 0:
        points = points[::-1]
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    total = float(travelled[-1])
    if total < 8 * REACH_MM:
        return []
    at = np.arange(0, total, TURN_REACH_MM / 3)

    def along(where: np.ndarray) -> Points:
        where = where % total
        return np.stack([np.interp(where, travelled, points[:, axis]) for axis in (0, 1)], axis=1)

    before, here, after = along(at - TURN_REACH_MM), along(at), along(at + TURN_REACH_MM)
    one, two, chord = here - before, after - here, after - before
    cross = one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]
    sides = np.hypot(*one.T) * np.hypot(*two.T) * np.hypot(*chord.T)
    radius = sides / np.maximum(2 * np.abs(cross), 1e-12)
    tight = (cross < 0) & (radius < least_mm - SLACK_MM)
    found: list[tuple[Points, float]] = []
    for index in np.flatnonzero(tight)[np.argsort(radius[tight])]:
        if all(np.hypot(*(here[index] - other)) > 2 * least_mm for other, _ in found):
            # at a sharp corner the circle only shows how far apart its points were
            corner = radius[index] < 0.75 * TURN_REACH_MM
            found.append((here[index], 0.0 if corner else float(radius[index])))
    return found


def _nodes(lines: Sequence[FinishLine], made: bool, tolerance_mm: float) -> list[Finding]:
    found = []
    for line in lines:
        nodes, length = line.path.node_count, path_length(line.path)
        if nodes > MOST_NODES or (nodes > FEW_NODES and nodes > NODES_A_MM * length):
            words = f"{nodes} on {length:.0f} mm make a cutter stutter"
            looser = round(min(2 * tolerance_mm, 1.0), 3)
            repair = (
                (f"Follow within {looser:g} mm", {"tolerance_mm": looser})
                if made and looser > tolerance_mm
                else (None, {})
            )
            found.append(_at(line.path.start, "nodes", "Too many nodes", words, *repair))
    return found


def _at(
    place: Points, what: What, title: str, words: str, repair: str | None = None, changes: dict[str, Any] | None = None
) -> Finding:
    return Finding(what, title, words, round(float(place[0]), 3), round(float(place[1]), 3), repair, changes or {})
