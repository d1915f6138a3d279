"""Finish lines: the paths a tool follows, and how one is made from pixels."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
import shapely
from shapely import Polygon, STRtree
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.coverage import PLAIN_GROUND_DISTANCE, Field, coverage, find_ground
from etiquette.core.finishing.level_lines import rings_at_half
from etiquette.core.geometry.curve_fitting import fit_ring
from etiquette.core.geometry.paths import Path, Points, path_length, smallest_radius
from etiquette.core.geometry.polygons import offset, polygons_of, repaired

Kind = Literal["kiss", "through", "perforation", "crease", "score", "pen"]
DEVIATION_SAMPLES = 2000
"""Points of a ring at which its distance from the fitted curve is measured, at most about twice this many."""
KINDS: tuple[Kind, ...] = get_args(Kind)
Holes = Literal["keep", "fill"]


@dataclass(frozen=True)
class FinishLine:
    """A path of one kind, in design millimetres: origin at the lower left of the art, y up."""

    kind: Kind
    path: Path


@dataclass(frozen=True)
class EdgeSettings:
    """How a line follows the edge of the art. Lengths in mm; `area` is (x, y, width, height) from the top left."""

    kind: Kind = "kiss"
    ground: str = "auto"
    distance: float = PLAIN_GROUND_DISTANCE
    offset_mm: float = 2.0
    min_area_mm2: float = 4.0
    holes: Holes = "fill"
    outermost: bool = False
    merge_mm: float = 0.0
    corner_mm: float = 0.0
    tolerance_mm: float = 0.05
    area: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class LineReport:
    """What was made of the picture, for the readings beside it."""

    ground: str
    lines: int
    nodes: int
    length_mm: float
    smallest_radius_mm: float
    max_deviation_mm: float
    mean_deviation_mm: float
    specks_left_out: int
    warnings: list[str]


def line_from_pixels(
    picture: Picture, width_mm: float, settings: EdgeSettings, progress: Callable[[float, str], None] = lambda *_: None
) -> tuple[list[FinishLine], LineReport]:
    """Finish lines round the art in `picture`, printed `width_mm` wide. Raises JobError when there is no edge."""
    mm_per_px = width_mm / picture.width_px
    height_mm = picture.height_px * mm_per_px
    ground = find_ground(picture, settings.ground)
    progress(0.1, "Telling the art from the ground")
    share = coverage(picture, ground, settings.distance)
    if settings.area:
        share = _only(share, settings.area, mm_per_px)
    progress(0.4, "Following the edge")
    rings = rings_at_half(share)
    shapes, specks = _shapes([ring * mm_per_px for ring in rings], settings, mm_per_px)
    if not shapes:
        raise JobError(
            "No art was found: everything counts as ground.",
            "ground",
            "Pick another ground, or lower the colour distance.",
        )
    progress(0.6, "Moving the line")
    outline = _finished(shapes, settings)
    parts = polygons_of(outline)
    if not parts:
        raise JobError(
            f"Nothing is left of the art when the line goes {-settings.offset_mm:g} mm inside it.",
            "offset",
            "Use a smaller offset.",
        )
    progress(0.8, "Fitting curves")
    lines, deviations = [], [np.zeros(1)]
    for part in parts:
        for ring in (part.exterior, *part.interiors):
            points = np.asarray(ring.coords)[:-1]
            path = fit_ring(np.column_stack([points[:, 0], height_mm - points[:, 1]]), settings.tolerance_mm)
            lines.append(FinishLine(settings.kind, path))
            points = points[:: max(1, len(points) // DEVIATION_SAMPLES)]
            curve = shapely.LineString(path.flatten(settings.tolerance_mm / 10))
            deviations.append(shapely.distance(shapely.points(points[:, 0], height_mm - points[:, 1]), curve))
    misses = np.concatenate(deviations[1:])
    warnings = (
        ["The line goes round the whole picture: there may be no ground."]
        if (share[[0, -1]].mean() > 0.5 and share[:, [0, -1]].mean() > 0.5)
        else []
    )
    return lines, LineReport(
        ground=ground.words,
        lines=len(lines),
        nodes=sum(line.path.node_count for line in lines),
        length_mm=round(sum(path_length(line.path) for line in lines), 2),
        smallest_radius_mm=round(min(min(smallest_radius(line.path) for line in lines), 9999.0), 3),
        max_deviation_mm=round(float(misses.max()), 4),
        mean_deviation_mm=round(float(misses.mean()), 4),
        specks_left_out=specks,
        warnings=warnings,
    )


def _only(share: Field, area: tuple[float, float, float, float], mm_per_px: float) -> Field:
    """The coverage inside `area`; what lies outside is ground."""
    left, top, width, height = (value / mm_per_px for value in area)
    kept = np.zeros_like(share)
    window = np.s_[max(0, round(top)) : max(0, round(top + height)), max(0, round(left)) : max(0, round(left + width))]
    kept[window] = share[window]
    return kept


def _shapes(rings: list[Points], settings: EdgeSettings, mm_per_px: float) -> tuple[list[Polygon], int]:
    """Polygons with holes from the rings of a level line, specks left out. Returns them and the count of specks."""
    outers: list[Polygon] = []
    holes: list[Polygon] = []
    specks = 0
    for ring in rings:
        x, y = ring.T
        area = 0.5 * float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
        if abs(area) < settings.min_area_mm2:
            specks += area > 0
            continue
        shape = Polygon(ring).simplify(min(settings.tolerance_mm, mm_per_px) / 5)
        (outers if area > 0 else holes).append(shape)
    if not outers:
        return [], specks
    if settings.holes == "fill" or settings.outermost:
        return [part for outer in outers for part in repaired(outer).geoms], specks
    tree = STRtree(outers)
    own: list[list[Polygon]] = [[] for _ in outers]
    for hole in holes:
        around = [
            index
            for index in tree.query(hole.representative_point())
            if outers[index].contains(hole.representative_point())
        ]
        if around:
            own[min(around, key=lambda index: outers[index].area)].append(hole)
    shapes = [
        Polygon(outer.exterior, [hole.exterior for hole in inner]) for outer, inner in zip(outers, own, strict=True)
    ]
    return [part for shape in shapes for part in repaired(shape).geoms], specks


def _bridged(outline: BaseGeometry, merge_mm: float) -> BaseGeometry:
    """`outline` with a neck between islands nearer than `merge_mm`: growing and shrinking alone closes a narrow gap
    between round islands only to open it again."""
    islands = polygons_of(outline)
    tree = STRtree(islands)
    near = tree.query(islands, predicate="dwithin", distance=merge_mm)
    necks = [shapely.shortest_line(islands[a], islands[b]).buffer(merge_mm / 4) for a, b in near.T if a < b]
    return shapely.union_all([outline, *necks])


def _finished(shapes: list[Polygon], settings: EdgeSettings) -> BaseGeometry:
    """Merge, offset, fill and round, in this order, so that an offset line never crosses itself."""
    fine = settings.tolerance_mm / 5
    outline = shapely.union_all(shapes)
    if settings.merge_mm > 0:
        outline = offset(_bridged(outline, settings.merge_mm), settings.merge_mm / 2, fine)
        outline = offset(outline, -settings.merge_mm / 2, fine)
    outline = offset(outline, settings.offset_mm, fine)
    if settings.outermost or settings.holes == "fill":
        outline = shapely.union_all([Polygon(part.exterior) for part in polygons_of(outline)])
    if settings.corner_mm > 0:
        radius = settings.corner_mm
        outline = offset(offset(offset(outline, -radius, fine), 2 * radius, fine), -radius, fine)
    return outline.simplify(fine / 2)
