"""Settings that are proposed from the art itself: what its rim, its parts and its corners are like."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import ceil
from typing import Any

import numpy as np
import shapely
from shapely import Polygon, STRtree

from etiquette.core.finishing.bleed import BleedRun
from etiquette.core.finishing.checks import Finding, What
from etiquette.core.finishing.lines import ROUND_ALL, EdgeSettings, FinishLine, LineReport

SMALL_MM = 6.0
"""A piece narrower than this is hard to take off its liner, and comes off by itself sooner than others (a value of our
own)."""
MOST_PARTS = 120
BLEED_MM = 1.5
"""Bleed that is proposed: what is needed (core.finishing.bleed) and half as much again for the shift of a sheet."""
SHORT_SHARE = 0.5
"""Along so much of its length art ends at the line before bleed is proposed: else it is a detail that runs out."""
MENDED: dict[What, tuple[str, str]] = {
    "left out": (
        "One part of the art would be cut through or cut off: it is kept.",
        "{} parts of the art would be cut through or cut off: they are kept.",
    ),
    "tight": (
        "One inner corner is tighter than the knife turns: it is rounded.",
        "{} inner corners are tighter than the knife turns: they are rounded.",
    ),
}
"""Findings whose repair is safe wherever it is wanted."""


@dataclass(frozen=True)
class Proposal:
    """What the art asks for: reasons in words, and the settings (of a design's document) that answer them."""

    why: tuple[str, ...] = ()
    changes: dict[str, Any] = field(default_factory=dict)


def propose(
    settings: EdgeSettings,
    lines: Sequence[FinishLine],
    report: LineReport,
    findings: Sequence[Finding],
    runs: Sequence[BleedRun],
    bleed_mm: float,
) -> Proposal:
    """From lines that were made with `settings`; `runs` are the stretches along which art ends at the line."""
    if settings.follow != "page" and (ROUND_ALL in report.warnings or any(one.what == "doubtful" for one in findings)):
        # nothing else that was found of such a line is worth a setting
        return Proposal(
            ("There is no plain ground round it: a rectangle is what it can have.",),
            {"follow": "page", "offset_mm": 0.0, "bleed_mm": max(bleed_mm, BLEED_MM)},
        )
    why: list[str] = []
    changes: dict[str, Any] = {}
    if settings.follow == "edge" and (apart := parts_that_belong_together(lines)):
        parts, narrowest, gap = apart
        together = ceil(2 * (gap + 2 * max(settings.offset_mm, 0.0)) + 0.2) / 2
        if together > settings.merge_mm:
            why.append(
                f"Of {parts} parts the narrowest is {narrowest:.1f} mm: one line round all of them holds together."
            )
            changes["merge_mm"] = together
    for what, (one, many) in MENDED.items():
        found = [finding for finding in findings if finding.what == what and _changes(finding, settings)]
        if found:
            why.append(one if len(found) == 1 else many.format(len(found)))
            for finding in found:
                changes |= {key: min(value, changes.get(key, value)) for key, value in finding.changes.items()}
    if bleed_mm < BLEED_MM and _short_share(lines, runs) >= SHORT_SHARE:
        why.append("Its colour ends at the line: bleed covers what a sheet shifts.")
        changes["bleed_mm"] = BLEED_MM
    return Proposal(tuple(why), changes)


def _changes(finding: Finding, settings: EdgeSettings) -> bool:
    return any(getattr(settings, key) != value for key, value in finding.changes.items())


def parts_that_belong_together(lines: Sequence[FinishLine]) -> tuple[int, float, float] | None:
    """Of closed lines that stand no further apart than they are high, as letters and words do, one of them too narrow
    for a piece: how many, the narrowest (mm), and the widest gap that has to be bridged to make one of them (mm). None:
    there are no such."""
    rings = [
        ring.simplify(0.1)
        for line in lines
        if line.path.closed and line.kind == "kiss" and len(points := line.path.flatten(0.1)) > 3
        if (ring := Polygon(points)).is_valid
    ]
    if len(rings) < 2:
        return None
    inner = {one for one, other in STRtree(rings).query(rings, predicate="within").T.tolist() if one != other}
    parts = [ring for number, ring in enumerate(rings) if number not in inner]
    if not 2 <= len(parts) <= MOST_PARTS:
        return None
    narrow = [_width(part) for part in parts]
    if min(narrow) >= SMALL_MM:
        return None
    from scipy.sparse.csgraph import minimum_spanning_tree  # here: pages read proposals, and never make one

    # no distance at all would count as no edge
    apart = np.maximum(shapely.distance(np.array(parts)[:, None], np.array(parts)[None, :]), 1e-6)
    gap = float(minimum_spanning_tree(np.triu(apart, 1)).data.max())
    heights = [part.bounds[3] - part.bounds[1] for part in parts]
    return (len(parts), min(narrow), gap) if gap <= float(np.median(heights)) else None


def _width(part: Polygon) -> float:
    """The short side of the smallest rectangle round it, mm."""
    corners = np.asarray(part.minimum_rotated_rectangle.exterior.coords)
    return float(np.hypot(*(corners[1:3] - corners[:2]).T).min())


def _short_share(lines: Sequence[FinishLine], runs: Sequence[BleedRun]) -> float:
    """Of the length of all closed lines, what runs along art that ends there."""
    length = sum(shapely.length(shapely.LineString(one.path.flatten(0.1))) for one in lines if one.path.closed)
    short = sum(
        shapely.length(shapely.LineString(run.points)) for run in runs if run.state == "short" and len(run.points) > 1
    )
    return float(short / length) if length else 0.0
