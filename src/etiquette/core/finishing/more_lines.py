"""Further lines of a design, laid after the first one: a through cut round the backing, a split of the liner, a
perforated edge, a crease; and lines that came with the art, their loose ends joined."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from shapely import LineString

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import EdgeSettings, FinishLine, moved_line
from etiquette.core.geometry.curve_fitting import fit_rings
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.polygons import inside_of, offset, polygons_of, united

Course = Literal["edge", "hull", "box", "ellipse", "across", "along"]
"""Round all earlier lines at a distance (along them, or a hull, box or ellipse), or straight from edge to edge: across
the piece (upright) or along it (level)."""
JOINED_WITHIN_MM = 0.05
"""Ends of lines nearer than this belong together: drawings are often made of single strokes."""


@dataclass(frozen=True)
class MoreLine:
    """`offset_mm`: the distance from the lines before it; for a straight line how far it runs past the outline.
    `place_mm`: where a straight line lies, from the left or from the bottom of the outline."""

    kind: Kind
    course: Course
    offset_mm: float = 3.0
    corner_mm: float = 0.0
    place_mm: float = 10.0


def with_more(lines: Sequence[FinishLine], more: Sequence[MoreLine], tolerance_mm: float) -> list[FinishLine]:
    """`lines` and, after them, every line of `more` in order. Raises JobError when one finds no room."""
    every = list(lines)
    for number, wanted in enumerate(more, 1):
        rings = [inside_of(line.path, tolerance_mm / 5) for line in every if line.path.closed]
        outline = united([ring.buffer(0) for ring in rings])
        if outline.is_empty:
            raise JobError(
                f"There is no closed line yet for line {number + 1} to go by.",
                f"line {number + 1}",
                "Find the edge first.",
            )
        if wanted.course in ("across", "along"):
            every += _straight(outline, wanted, number)
            continue
        shape = EdgeSettings(
            offset_mm=wanted.offset_mm,
            corner_mm=wanted.corner_mm,
            tolerance_mm=tolerance_mm,
            follow=wanted.course,  # type: ignore[arg-type]
        )
        parts = polygons_of(moved_line(polygons_of(outline), shape))
        if not parts:
            raise JobError(
                f"Nothing is left of line {number + 1} that far inside.",
                f"line {number + 1}",
                "Use a smaller offset.",
            )
        fitted = fit_rings([np.asarray(part.exterior.coords)[:-1] for part in parts], tolerance_mm / 2)
        every += [FinishLine(wanted.kind, one.path) for one in fitted]
    return every


def _straight(outline: shapely.Geometry, wanted: MoreLine, number: int) -> list[FinishLine]:
    left, low, right, high = outline.bounds
    past = max(wanted.offset_mm, 0) + 1
    if wanted.course == "across":
        x = left + wanted.place_mm
        ruler = LineString([(x, low - past), (x, high + past)])
    else:
        y = low + wanted.place_mm
        ruler = LineString([(left - past, y), (right + past, y)])
    inside = shapely.intersection(ruler, offset(outline, wanted.offset_mm) if wanted.offset_mm else outline)
    pieces = [part for part in getattr(inside, "geoms", [inside]) if isinstance(part, LineString) and part.length > 0]
    if not pieces:
        raise JobError(
            f"Line {number + 1}, a straight one, misses the piece.",
            f"line {number + 1}",
            f"Place it between 0 and {(right - left if wanted.course == 'across' else high - low):.1f} mm.",
        )
    return [FinishLine(wanted.kind, Path.from_points(np.asarray(piece.coords), closed=False)) for piece in pieces]


def joined(lines: Sequence[FinishLine], within_mm: float = JOINED_WITHIN_MM) -> list[FinishLine]:
    """`lines` with open ones of the same kind joined end to end, and closed where their ends meet; a gap that can be
    seen is bridged by a straight stroke."""
    done = [line for line in lines if line.path.closed]
    kinds = dict.fromkeys(line.kind for line in lines if not line.path.closed)
    for kind in kinds:
        paths = [line.path for line in lines if line.kind == kind and not line.path.closed]
        once, doubles = _apart_from_doubles(paths)
        done += [FinishLine(kind, path) for path in (*_chained(once, within_mm), *doubles)]
    return done


def _apart_from_doubles(paths: list[Path]) -> tuple[list[Path], list[Path]]:
    """Paths, and those that lie on an earlier one from end to end: joined to it they would go there and back."""
    flat = [LineString(path.flatten(JOINED_WITHIN_MM)) for path in paths]
    tree = shapely.STRtree(flat)
    ends = shapely.get_point(flat, 0)
    doubles = {
        two
        for one, two in tree.query(ends, predicate="dwithin", distance=JOINED_WITHIN_MM).T.tolist()
        if one < two and flat[one].hausdorff_distance(flat[two]) <= 2 * JOINED_WITHIN_MM
    }
    return [path for number, path in enumerate(paths) if number not in doubles], [paths[two] for two in sorted(doubles)]


def closed(path: Path) -> Path:
    """`path` with its ends joined by a straight stroke; a closed one as it is."""
    if path.closed:
        return path
    return Path(path.start, (*path.segments, path.start[None, :]), True)


def _chained(paths: list[Path], within_mm: float) -> list[Path]:
    ends = np.array([end for path in paths for end in (path.start, path.segments[-1][-1])])
    tree = shapely.STRtree(shapely.points(ends))
    near = tree.query(shapely.points(ends), predicate="dwithin", distance=within_mm)
    partners: dict[int, list[int]] = {}
    for one, two in near.T.tolist():
        if one != two and one // 2 != two // 2:
            partners.setdefault(one, []).append(two)
    # where three or more ends meet it is not told which belong together: they stay apart
    partner = {one: two[0] for one, two in partners.items() if len(two) == 1 and partners.get(two[0]) == [one]}
    left = set(range(len(paths)))
    chains = []
    while left:
        first = next((n for n in sorted(left) if 2 * n not in partner or 2 * n + 1 not in partner), min(left))
        entering = 2 * first if 2 * first not in partner else 2 * first + 1
        if entering in partner:
            entering = 2 * first
        segments: list[Points] = []
        start = ends[entering]
        at = entering
        while at // 2 in left:
            left.discard(at // 2)
            path = paths[at // 2] if at % 2 == 0 else _turned(paths[at // 2])
            if segments and _apart(segments[-1][-1], path.start) > JOINED_WITHIN_MM:
                segments.append(path.start[None, :])
            segments += list(path.segments)
            out = at ^ 1
            if out not in partner:
                break
            at = partner[out]
        gap = _apart(segments[-1][-1], start)
        closes = len(segments) > 1 and gap <= within_mm
        if closes and gap > JOINED_WITHIN_MM:
            segments.append(start[None, :])
        elif closes:
            segments[-1] = np.vstack([segments[-1][:-1], start[None, :]])
        chains.append(Path(start, tuple(segments), closes))
    return chains


def _apart(one: Points, two: Points) -> float:
    return float(np.hypot(*(one - two)))


def _turned(path: Path) -> Path:
    """The path walked the other way."""
    ends = [path.start, *(segment[-1] for segment in path.segments)]
    segments = []
    for number in range(len(path.segments) - 1, -1, -1):
        controls = path.segments[number][:-1][::-1]
        segments.append(np.vstack([controls, ends[number][None, :]]))
    return Path(ends[-1], tuple(segments), path.closed)
