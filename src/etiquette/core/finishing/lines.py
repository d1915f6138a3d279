"""Finish lines: the paths a tool follows, and how one is made from pixels."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np
import shapely
from shapely import Polygon, STRtree
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.coverage import Field, coverage, find_ground, is_hard, told_apart
from etiquette.core.finishing.level_lines import rings_at_half
from etiquette.core.finishing.specks import all_specks, dust
from etiquette.core.geometry.curve_fitting import Fitted, fit_rings
from etiquette.core.geometry.paths import Path, Points, path_length, signed_area, smallest_radius
from etiquette.core.geometry.polygons import Join, offset, polygons_of, repaired, united

EDGE_SHARE = 0.4
"""Share of the tolerance that may be used up on the edge itself when the line is then moved away from it."""
EDGE_STEPS = 4
"""The curves of the edge become straight steps this much finer than they follow it."""
CLOSER = (4, 16)
"""So many times more closely a part is followed whose curves cross."""
HARD_EDGE_PX = 0.75
"""How closely an edge cut along whole pixels is followed: nearer, and its stairs come out; on masks of known shapes the
mean distance from the true edge is then 0.1 to 0.35 px."""
FEW_PX, FINE_PX = 32, 512
"""Of so few pixels along its longer side a picture is printed as squares that everybody sees: where its edge is cut
along them it is followed as drawn, the squares divided into so many in all."""
CORNER_PX, HARD_CORNER_PX = 2.5, 6.0
"""Chords over which a corner is told from a curve, on soft edges and on edges cut along whole pixels."""
MANY_PARTS = 20
"""So many parts on a ground that is not plain are rather the grain of a wall than a sheet of stickers (a value of our
own)."""
Holes = Literal["keep", "fill"]
Follow = Literal["edge", "hull", "box", "ellipse", "page"]
"""What the line follows: the edge of the art itself, a shape round it, or the rectangle of the whole picture or page,
which needs no ground and so is always to be had."""


@dataclass(frozen=True)
class FinishLine:
    """A path of one kind, in design millimetres: origin at the lower left of the art, y up. On a run, `piece` is the
    number of the piece it belongs to, from 1; None for lines of no piece."""

    kind: Kind
    path: Path
    piece: int | None = None


@dataclass(frozen=True)
class EdgeSettings:
    """How a line follows the edge of the art. Lengths in mm; `distance` is a difference of colour within which a pixel
    is ground, None for what the noise on the rim says; `area` is (x, y, width, height) from the top left;
    `page_rings`: instead of the whole page these are gone round, the outline first, then its holes, design
    millimetres."""

    kind: Kind = "kiss"
    ground: str = "auto"
    distance: float | None = None
    offset_mm: float = 2.0
    min_area_mm2: float = 4.0
    holes: Holes = "fill"
    merge_mm: float = 0.0
    corner_mm: float = 0.0
    tolerance_mm: float = 0.05
    follow: Follow = "edge"
    join: Join = "round"
    smooth_mm: float = 0.0
    area: tuple[float, float, float, float] | None = None
    page_rings: tuple[tuple[tuple[float, float], ...], ...] = ()

    @property
    def keeps_holes(self) -> bool:
        return self.holes == "keep"

    @property
    def leaves_the_edge(self) -> bool:
        """Whether the line is anything but the edge itself."""
        plain = self.follow == "edge" and not (self.merge_mm or self.smooth_mm)
        return not plain or bool(self.offset_mm or self.corner_mm)


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
    distance: float | None = None
    """Colour distance within which pixels were ground; None where nothing was told by its colour."""


class Edged(NamedTuple):
    """Lines round art, and the parts of it that were taken for specks, in design millimetres, the largest first.
    `doubtful`: the ground was told from a rim that is not plain, and art is all over the place: it may be none."""

    lines: list[FinishLine]
    report: LineReport
    specks: list[Polygon]
    doubtful: bool = False


MOST_LINES = 10_000
"""More lines round one piece of art are dust (a value of our own)."""
ROUND_ALL = "The line goes round the whole picture: there may be no ground."


def line_from_pixels(
    picture: Picture, width_mm: float, settings: EdgeSettings, progress: Callable[[float, str], None] = lambda *_: None
) -> Edged:
    """Finish lines round the art in `picture`, printed `width_mm` wide. Raises JobError when there is no edge."""
    mm_per_px = width_mm / picture.width_px
    height_mm = picture.height_px * mm_per_px
    if settings.follow == "page":
        return line_round_page(width_mm, height_mm, settings)
    ground = find_ground(picture, settings.ground)
    progress(0.1, "Telling the art from the ground")
    share, reach = told_apart(picture, ground, settings.distance)
    if settings.area:
        share = _only(share, settings.area, mm_per_px)
    elif share.min() > 127:  # all of it is art: its edge is the picture's, however few pixels that has
        found = line_round_page(width_mm, height_mm, settings)
        return found._replace(report=replace(found.report, ground=ground.words, warnings=[ROUND_ALL]))
    progress(0.4, "Following the edge")
    edge, rings, follow_mm = _edge(share, mm_per_px, settings, MOST_LINES)

    def upright(points: Points) -> Points:
        return np.column_stack([points[:, 0], height_mm - points[:, 1]])

    specks = sorted((Polygon(upright(ring)) for ring in rings), key=lambda speck: -speck.area)
    if not edge and specks:
        raise all_specks(specks, settings.min_area_mm2)
    if not edge:
        raise JobError(
            "No art was found: everything counts as ground.",
            "ground",
            "Pick another ground, or lower the colour distance.",
        )

    progress(0.6, "Moving the line")
    if settings.leaves_the_edge:
        fitted = _round(_shapes(edge, settings, follow_mm / EDGE_STEPS), settings, progress)
        misses = [np.concatenate([one.misses for one in stage]) for stage in (edge, fitted)]
    else:
        fitted = [one for one in edge if settings.keeps_holes or signed_area(one.path.flatten(0.1)) > 0]
        misses = [np.concatenate([one.misses for one in fitted])]
    lines = [FinishLine(settings.kind, one.path.mapped(upright)) for one in fitted]
    covered_rim = (share[[0, -1]].mean() > 127 and share[:, [0, -1]].mean() > 127) if settings.area is None else False
    warnings = [ROUND_ALL] if covered_rim else []
    doubtful = not ground.plain and len(edge) + len(specks) >= MANY_PARTS
    report = report_of(lines, misses, ground.words, len(specks), warnings)
    return Edged(lines, replace(report, distance=reach), specks, doubtful)


def areas_from_pixels(picture: Picture, width_mm: float, settings: EdgeSettings) -> list[Polygon]:
    """What of `picture` is art and not ground, in design millimetres. Empty when there is none."""
    share = coverage(picture, find_ground(picture, settings.ground), settings.distance)
    return areas_from_share(share, width_mm / picture.width_px, settings.tolerance_mm)


def areas_from_share(share: Field, mm_per_px: float, tolerance_mm: float) -> list[Polygon]:
    """What is covered by half and more, in mm from the lower left corner, y up. Empty when nothing is."""
    plain = EdgeSettings(offset_mm=0, min_area_mm2=0.05, holes="keep", tolerance_mm=tolerance_mm)
    edge, _, follow_mm = _edge(share, mm_per_px, plain)
    height_mm = share.shape[0] * mm_per_px
    shapes = _shapes(edge, plain, follow_mm / EDGE_STEPS)
    return [
        shapely.transform(shape, lambda points: np.column_stack([points[:, 0], height_mm - points[:, 1]]))
        for shape in shapes
    ]


def line_round_page(width_mm: float, height_mm: float, settings: EdgeSettings) -> Edged:
    """The rectangle of the whole picture or page, or what of it is a part, offset and rounded as `settings` say. Raises
    JobError."""
    rings = settings.page_rings
    plain = replace(settings, follow="edge", min_area_mm2=0.0, holes="keep", merge_mm=0.0, smooth_mm=0.0)
    found = line_from_areas([Polygon(rings[0], rings[1:]) if rings else shapely.box(0, 0, width_mm, height_mm)], plain)
    words = ["A rectangle round the whole of it: an edge of the art is not looked for."]
    return found._replace(report=replace(found.report, ground="none", warnings=words))


def line_from_areas(
    areas: Sequence[Polygon], settings: EdgeSettings, progress: Callable[[float, str], None] = lambda *_: None
) -> Edged:
    """Finish lines round painted areas (mm, y up), as they are: nothing is traced. Raises JobError when nothing is
    painted."""
    big = [area for area in areas if area.area >= settings.min_area_mm2]
    specks = sorted((area for area in areas if area.area < settings.min_area_mm2), key=lambda speck: -speck.area)
    if not big and specks:
        raise all_specks(specks, settings.min_area_mm2)
    if not big:
        raise JobError("The art paints nothing a line could go round.", "art", "Check what is in the file.")
    if not settings.keeps_holes:
        big = [Polygon(area.exterior) for area in big]
    else:
        big = [
            Polygon(area.exterior, [hole for hole in area.interiors if Polygon(hole).area >= settings.min_area_mm2])
            for area in big
        ]
    fitted = _round(big, settings, progress)
    lines = [FinishLine(settings.kind, one.path) for one in fitted]
    misses = [np.concatenate([one.misses for one in fitted])]
    return Edged(lines, report_of(lines, misses, "what is not painted", len(specks), []), specks)


def _round(shapes: list[Polygon], settings: EdgeSettings, progress: Callable[[float, str], None]) -> list[Fitted]:
    follow_mm = settings.tolerance_mm * (1 - EDGE_SHARE)
    parts = polygons_of(without_slits(moved_line(shapes, settings), follow_mm))
    if not parts:
        raise JobError(
            f"Nothing is left of the art when the line goes {-settings.offset_mm:g} mm inside it.",
            "offset",
            "Use a smaller offset.",
        )
    progress(0.8, "Fitting curves")
    return [one for part in _fitted(parts, follow_mm) for one in part]


def without_slits(outline: BaseGeometry, follow_mm: float) -> BaseGeometry:
    """`outline` with its slits filled that are narrower than curves can keep apart which follow it within `follow_mm`:
    no knife goes in and comes out again there. Other corners stay as they are."""
    return offset(offset(outline, follow_mm, join="mitre"), -follow_mm, join="mitre")


def _fitted(parts: list[Polygon], follow_mm: float) -> list[list[Fitted]]:
    """The outlines of each part, then its holes, as curves that do not cross: where they would, as in a neck thinner
    than the curves follow, that part is followed more closely, at last in straight steps."""
    rings = [[np.asarray(ring.coords)[:-1] for ring in (part.exterior, *part.interiors)] for part in parts]
    every = iter(fit_rings([ring for own in rings for ring in own], follow_mm))
    fitted = [[next(every) for _ in own] for own in rings]
    return [
        one if _is_simple(one, follow_mm) else _uncrossed(own, follow_mm)
        for one, own in zip(fitted, rings, strict=True)
    ]


def _uncrossed(rings: list[Points], follow_mm: float) -> list[Fitted]:
    for closer in CLOSER:
        fitted = fit_rings(rings, follow_mm / closer)
        if _is_simple(fitted, follow_mm):
            return fitted
    return [Fitted(Path.from_points(ring), np.zeros(len(ring))) for ring in rings]


def _is_simple(fitted: list[Fitted], follow_mm: float) -> bool:
    outline, *holes = (one.path.flatten(follow_mm / EDGE_STEPS) for one in fitted)
    return bool(Polygon(outline, holes).is_valid)


def report_of(
    lines: Sequence[FinishLine], misses: Sequence[np.ndarray], ground: str, specks: int, warnings: list[str]
) -> LineReport:
    """Readings of `lines`; `misses` are the distances lost at each stage of their making, which add up at worst."""
    return LineReport(
        ground=ground,
        lines=len(lines),
        nodes=sum(line.path.node_count for line in lines),
        length_mm=round(sum(path_length(line.path) for line in lines), 2),
        smallest_radius_mm=round(min([9999.0, *(smallest_radius(line.path) for line in lines)]), 3),
        max_deviation_mm=round(float(sum(stage.max(initial=0.0) for stage in misses)), 4),
        mean_deviation_mm=round(float(sum(stage.mean() for stage in misses if len(stage))), 4),
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


def _edge(
    share: Field, mm_per_px: float, settings: EdgeSettings, most: int | None = None
) -> tuple[list[Fitted], list[Points], float]:
    """The edge of the art as curves in mm from the top left, specks left out; the rings of those; and how closely the
    curves follow. Rings round art have positive area with y up, rings round holes negative. Raises JobError where there
    are more than `most`.

    An edge cut along whole pixels is known no better than to half a pixel, and followed more closely it would come out
    as stairs; of very few pixels the stairs are the art."""
    if max(share.shape) <= FEW_PX and is_hard(share):
        finer = FINE_PX // max(share.shape)
        share, mm_per_px = share.repeat(finer, axis=0).repeat(finer, axis=1), mm_per_px / finer
    rows, columns = np.flatnonzero(share.any(axis=1)), np.flatnonzero(share.any(axis=0))
    if not len(rows):
        return [], [], settings.tolerance_mm
    top, left = int(rows[0]), int(columns[0])
    part = share[top : rows[-1] + 1, left : columns[-1] + 1]
    rings = rings_at_half(part)
    areas = np.array([signed_area(ring) for ring in rings]) * mm_per_px**2
    wanted = (np.abs(areas) >= settings.min_area_mm2) & ((areas > 0) | (settings.keeps_holes))
    if most is not None and wanted.sum() > most:
        raise dust(np.sort(np.abs(areas[wanted]))[::-1], most)
    hard = is_hard(part)
    follow = settings.tolerance_mm * (EDGE_SHARE if settings.leaves_the_edge else 1)
    if hard:
        follow = max(follow, HARD_EDGE_PX * mm_per_px)
    moved = [(rings[number] + (left, top)) * mm_per_px for number in np.flatnonzero(wanted)]
    edge = fit_rings(moved, follow, (HARD_CORNER_PX if hard else CORNER_PX) * mm_per_px)
    small = np.flatnonzero((areas > 0) & (areas < settings.min_area_mm2))
    return edge, [(rings[number] + (left, top)) * mm_per_px for number in small], follow


def _shapes(edge: list[Fitted], settings: EdgeSettings, step_mm: float) -> list[Polygon]:
    """Polygons with holes from the curves of an edge."""
    rings = [one.path.flatten(step_mm) for one in edge]
    areas = [signed_area(ring) for ring in rings]
    outers = [Polygon(ring) for ring, area in zip(rings, areas, strict=True) if area > 0]
    holes = [Polygon(ring) for ring, area in zip(rings, areas, strict=True) if area < 0]
    if not outers or not holes:
        return [part for outer in outers for part in repaired(outer).geoms]
    inside = shapely.point_on_surface(holes)
    tree = STRtree(outers)
    own: list[list[Polygon]] = [[] for _ in outers]
    around: dict[int, int] = {}
    for hole, outer in tree.query(inside, predicate="within").T.tolist():
        if hole not in around or outers[outer].area < outers[around[hole]].area:
            around[hole] = outer
    for hole, outer in around.items():
        own[outer].append(holes[hole])
    shapes = [
        Polygon(outer.exterior, [hole.exterior for hole in inner]) for outer, inner in zip(outers, own, strict=True)
    ]
    return [part for shape in shapes for part in repaired(shape).geoms]


def _bridged(outline: BaseGeometry, merge_mm: float) -> BaseGeometry:
    """`outline` with a neck between islands nearer than `merge_mm`: growing and shrinking alone closes a narrow gap
    between round islands only to open it again."""
    islands = polygons_of(outline)
    tree = STRtree(islands)
    near = tree.query(islands, predicate="dwithin", distance=merge_mm)
    necks = [shapely.shortest_line(islands[a], islands[b]).buffer(merge_mm / 4) for a, b in near.T if a < b]
    return shapely.union_all([outline, *necks])


def moved_line(shapes: list[Polygon], settings: EdgeSettings) -> BaseGeometry:
    """Join, smooth, take the shape asked, offset, fill and round, in this order, so that a line never crosses
    itself."""
    fine = settings.tolerance_mm / 5
    outline = united(shapes)
    if settings.merge_mm > 0:
        outline = _closed(_bridged(outline, settings.merge_mm), settings.merge_mm / 2, fine)
    if settings.smooth_mm > 0:
        # closing fills notches narrower than twice the radius, opening takes away spurs thinner than that
        outline = _closed(outline, settings.smooth_mm, fine)
        outline = offset(offset(outline, -settings.smooth_mm, fine), settings.smooth_mm, fine)
    outline = _shape_round(outline, settings.follow, fine)
    outline = offset(outline, settings.offset_mm, fine, settings.join)
    if settings.holes == "fill":
        outline = united([Polygon(part.exterior) for part in polygons_of(outline)])
    if settings.corner_mm > 0:
        radius = settings.corner_mm
        outline = offset(offset(offset(outline, -radius, fine), 2 * radius, fine), -radius, fine)
    return outline.simplify(fine / 2)


def _closed(outline: BaseGeometry, radius_mm: float, fine_mm: float) -> BaseGeometry:
    return offset(offset(outline, radius_mm, fine_mm), -radius_mm, fine_mm)


def _shape_round(outline: BaseGeometry, follow: Follow, fine_mm: float) -> BaseGeometry:
    """`outline` itself, or the hull, upright box or upright ellipse round all of it. The ellipse has the proportions of
    the box and goes through its corners where the art fills them, else it is as small as the art allows."""
    if follow == "edge" or outline.is_empty:
        return outline
    if follow == "hull":
        return outline.convex_hull
    left, low, right, high = outline.bounds
    if follow == "box":
        return shapely.box(left, low, right, high)
    middle, half = np.array([left + right, low + high]) / 2, np.array([right - left, high - low]) / 2
    half = np.maximum(half, fine_mm)
    reach = np.hypot(*((shapely.get_coordinates(outline.convex_hull) - middle) / half).T).max()
    axes = half * reach
    count = max(64, int(np.ceil(np.pi / np.arccos(max(0.0, 1 - fine_mm / axes.max())))))
    angles = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return Polygon(middle + axes * np.column_stack([np.cos(angles), np.sin(angles)]))
