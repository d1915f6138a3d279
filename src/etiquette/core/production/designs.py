"""One design made ready: its finish lines, its print with bleed, its areas of white and clear."""

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

import numpy as np
from shapely import Polygon, affinity, box

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import Sorted
from etiquette.core.artwork.raster import Picture
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.errors import JobError
from etiquette.core.finishing.bleed import Bled, BleedRun, Box, bled, bleed_along, laid_over, region_of
from etiquette.core.finishing.checks import Finding, check_lines, doubt
from etiquette.core.finishing.coverage import Field, coverage, find_ground
from etiquette.core.finishing.lines import (
    Edged,
    EdgeSettings,
    FinishLine,
    LineReport,
    areas_from_pixels,
    areas_from_share,
    line_from_areas,
    line_from_pixels,
    line_round_page,
    report_of,
)
from etiquette.core.finishing.merging import merged
from etiquette.core.finishing.more_lines import JOINED_WITHIN_MM, MoreLine, closed, joined, with_more
from etiquette.core.finishing.spot_areas import Extent, spot_area
from etiquette.core.geometry.paths import Points

Progress = Callable[[float, str], Any]
Areas = Mapping[Plate, Sequence[Polygon]]
PLATES: tuple[Plate, ...] = ("white", "clear")


@dataclass(frozen=True)
class LineChange:
    """A change by hand to one line, counted from 0 in the order in which the lines are found: another kind, gone (kind
    None), its ends joined, moved to the right and up."""

    line: int
    kind: Kind | None
    close: bool = False
    move_mm: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class SpotSettings:
    """Where white, clear or a special ink goes, and by how much it is smaller than that. `area`: x, y, width, height in
    mm from the top left of the art."""

    extent: Extent = "none"
    choke_mm: float = 0.0
    area: Box | None = None


@dataclass(frozen=True)
class DesignSettings:
    """What is asked of a design. `own_lines_only`: no line is made beside those that came with the art; `merge_own`: of
    those that overlap, one outline."""

    name: str
    edge: EdgeSettings = field(default_factory=EdgeSettings)
    own_lines_only: bool = False
    more: tuple[MoreLine, ...] = ()
    changes: tuple[LineChange, ...] = ()
    join_mm: float = JOINED_WITHIN_MM
    merge_own: bool = False
    bleed_mm: float = 0.0
    spots: Mapping[Plate, SpotSettings] = field(default_factory=dict)


@dataclass(frozen=True)
class PageParts:
    """Vector art taken apart: what the line rules made of its paths (page millimetres), its size as it came, what it
    paints without its lines, as a picture and as areas (page millimetres), and the areas that its named colours
    mark."""

    sorted: Sorted
    width_mm: float
    height_mm: float
    picture: Picture
    areas: Sequence[Polygon]
    named: Areas = field(default_factory=dict)


@dataclass(frozen=True)
class BleedFound:
    """Where bleed is short, and where the picture of the print lies, in design millimetres."""

    short_mm: float
    runs: Sequence[BleedRun]
    place: Box
    whole: Box
    """The art itself."""


@dataclass(frozen=True)
class ReadyDesign:
    """The lines of a design, and what is printed of it: `picture`, the art with bleed (None: the art as it came), or
    `under`, bleed to be laid under a page. Areas in design millimetres."""

    lines: list[FinishLine]
    report: LineReport
    bleed: BleedFound
    findings: tuple[Finding, ...] = ()
    picture: Picture | None = None
    under: Picture | None = None
    spots: Areas = field(default_factory=dict)


def ready_picture(
    picture: Picture,
    width_mm: float,
    settings: DesignSettings,
    more: Areas,
    given: Sequence[FinishLine] | None = None,
    progress: Progress = lambda *_: None,
) -> ReadyDesign:
    """A picture printed `width_mm` wide. `more`: areas of white and clear from files of their own; `given`: lines to
    take instead of looking for the edge. Raises JobError when there is no edge."""
    edge = settings.edge
    size = (width_mm, width_mm * picture.height_px / picture.width_px)
    if given is None and settings.own_lines_only:
        raise JobError("A picture holds no lines of its own.", settings.name, "Choose what the line follows.")
    if given is not None:
        found = Edged(list(given), report_of(given, [np.zeros(1)], "lines of their own", 0, []), [])
    else:
        found = line_from_pixels(picture, width_mm, edge, progress)
    lines, report = _completed(found.lines, found.report, settings)
    findings = tuple(check_lines(lines, size, tolerance_mm=edge.tolerance_mm, specks=found.specks))
    if found.doubtful:
        findings = (doubt(size, len(found.lines) + len(found.specks)), *findings)
    progress(0.9, "Looking at the bleed")
    whole = edge.follow == "page"
    share = (
        coverage(picture, find_ground(picture, edge.ground), edge.distance)
        if settings.bleed_mm and not whole
        else picture.alpha
    )

    def art() -> Sequence[Polygon]:
        return [box(0, 0, *size)] if whole else areas_from_pixels(picture, width_mm, edge)

    spots = _spots(settings, lines, art, more, size[1])
    made, bleed = _bleed(lines, picture, share, width_mm, settings.bleed_mm, under=False)
    return ReadyDesign(lines, report, bleed, findings, made.picture if made else None, spots=spots)


def marked_areas(
    picture: Picture, width_mm: float, colours: Mapping[str, Plate], within: float, tolerance_mm: float
) -> tuple[Picture, Areas]:
    """A picture printed `width_mm` wide without what is painted in marked colours ("#rrggbb", and what is `within`
    CIEDE2000 of them), and where that is, by the plate that each colour means, in design millimetres."""
    pixels, areas = picture.pixels.copy(), defaultdict[Plate, list[Polygon]](list)
    for colour, plate in colours.items():
        art = coverage(picture, find_ground(picture, colour), within)
        there = np.minimum(picture.alpha, 255 - art)
        areas[plate] += areas_from_share(there, width_mm / picture.width_px, tolerance_mm)
        pixels[..., 3] = np.minimum(pixels[..., 3], art)
    return Picture(pixels, picture.dpi), areas


def ready_marked_picture(
    picture: Picture,
    width_mm: float,
    settings: DesignSettings,
    more: Areas,
    colours: Mapping[str, Plate],
    within: float,
    given: Sequence[FinishLine] | None = None,
    progress: Progress = lambda *_: None,
) -> ReadyDesign:
    """As `ready_picture`, of a picture some of whose colours mark areas of plates (see marked_areas): the line goes
    round all of the art, and what is printed of it is the rest."""
    if not colours:
        return ready_picture(picture, width_mm, settings, more, given, progress)
    tolerance = settings.edge.tolerance_mm
    alone, marked = marked_areas(picture, width_mm, colours, within, tolerance)
    ready = ready_picture(picture, width_mm, settings, both(marked, more), given, progress)
    if ready.picture is not None:
        alone, _ = marked_areas(ready.picture, width_mm, colours, within, tolerance)
    return replace(ready, picture=alone)


def ready_page(
    page: PageParts,
    width_mm: float,
    settings: DesignSettings,
    more: Areas,
    given: Sequence[FinishLine] | None = None,
    progress: Progress = lambda *_: None,
) -> ReadyDesign:
    """A page printed `width_mm` wide; the rest as for a picture. Raises JobError."""
    edge, scale = settings.edge, width_mm / page.width_mm
    size = (width_mm, page.height_mm * scale)
    areas = scaled(page.areas, scale)
    caught = caught_lines(page.sorted, scale, settings.join_mm)
    if settings.merge_own:
        caught = merged(caught, edge.tolerance_mm)
    specks: Sequence[Polygon] = ()
    if given is not None:
        own, report = list(given), report_of(given, [np.zeros(1)], "lines of their own", 0, [])
    elif settings.own_lines_only:
        if not caught:
            raise JobError(
                "The line rules catch nothing in this art.",
                settings.name,
                "Let the line follow the edge of the art, or change the line rules on the Shelf.",
            )
        own, report = caught, report_of(caught, [np.zeros(1)], "lines in the art", 0, [])
    else:
        progress(0.5, "Going round what is painted")
        if edge.follow == "page":
            round_it, report, specks, _ = line_round_page(*size, edge)
        else:
            round_it, report, specks, _ = line_from_areas(areas, edge, progress)
        own = round_it if edge.page_rings else [*round_it, *caught]  # a part of a page is cut to that part alone
        report = _with_all(own, report)
    lines, report = _completed(own, report, settings)
    strokes = [path.mapped(partial(np.multiply, scale)) for suspect in page.sorted.suspects for path in suspect.paths]
    findings = tuple(check_lines(lines, size, strokes, not settings.own_lines_only, edge.tolerance_mm, specks))
    named = both({plate: scaled(found, scale) for plate, found in page.named.items()}, more)
    spots = _spots(settings, lines, lambda: areas, named, size[1])
    progress(0.9, "Looking at the bleed")
    made, bleed = _bleed(lines, page.picture, page.picture.alpha, width_mm, settings.bleed_mm, under=True)
    seen = laid_over(page.picture, made, width_mm) if made else None
    return ReadyDesign(lines, report, bleed, findings, seen, made.picture if made else None, spots)


def both(some: Areas, more: Areas) -> Areas:
    """The areas of every plate from two sources."""
    return {plate: [*some.get(plate, ()), *more.get(plate, ())] for plate in {**some, **more}}


def caught_lines(found: Sorted, scale: float, join_mm: float) -> list[FinishLine]:
    """The lines that the rules caught, `scale` times as large, their ends joined."""
    lines = [
        FinishLine(one.kind, path.mapped(partial(np.multiply, scale)))
        for one in found.caught
        for path in one.path.paths
    ]
    return joined(lines, join_mm)


def completed(lines: list[FinishLine], settings: DesignSettings) -> list[FinishLine]:
    """`lines` with the further lines, and with the changes made by hand. Raises JobError when none is left."""
    changes = {change.line: change for change in settings.changes}
    kept = []
    for number, line in enumerate(with_more(lines, list(settings.more), settings.edge.tolerance_mm)):
        change = changes.get(number)
        if change is None:
            kept.append(line)
        elif change.kind is not None:
            path = closed(line.path) if change.close else line.path
            kept.append(FinishLine(change.kind, path.mapped(partial(_moved, by=change.move_mm))))
    if not kept:
        raise JobError("Every line was taken out by hand.", settings.name, "Undo, or let the line follow the art.")
    return kept


def scaled(areas: Sequence[Polygon], factor: float) -> list[Polygon]:
    """`areas` grown `factor` times about the origin."""
    return [affinity.scale(area, factor, factor, origin=(0, 0)) for area in areas]


def _moved(points: Points, by: tuple[float, float]) -> Points:
    return np.asarray(points + by)


def _completed(
    lines: list[FinishLine], report: LineReport, settings: DesignSettings
) -> tuple[list[FinishLine], LineReport]:
    if not settings.more and not settings.changes:
        return lines, report
    every = completed(lines, settings)
    return every, _with_all(every, report)


def _with_all(lines: list[FinishLine], report: LineReport) -> LineReport:
    """The report of all `lines`, with the deviations of `report`, which belong to the line that was found."""
    whole = report_of(lines, [], report.ground, report.specks_left_out, report.warnings)
    return replace(
        report, **{name: getattr(whole, name) for name in ("lines", "nodes", "length_mm", "smallest_radius_mm")}
    )


def _spots(
    settings: DesignSettings,
    lines: list[FinishLine],
    art: Callable[[], Sequence[Polygon]],
    more: Areas,
    height_mm: float,
) -> Areas:
    """The areas of every plate: of the art, the lines or a rectangle on it, and `more`."""
    made = {}
    for plate in dict.fromkeys([*PLATES, *settings.spots, *more]):
        asked = settings.spots.get(plate, SpotSettings())
        area = None
        if asked.area and asked.extent == "area":
            x, y, wide, high = asked.area
            area = box(x, height_mm - y - high, x + wide, height_mm - y)
        printed = art() if asked.extent == "art" else ()
        made[plate] = spot_area(asked.extent, printed, lines, asked.choke_mm, more.get(plate, ()), area)
    return made


def _bleed(
    lines: list[FinishLine], picture: Picture, share: Field, width_mm: float, bleed_mm: float, under: bool
) -> tuple[Bled | None, BleedFound]:
    """Bleed when it is asked for, and where it is short."""
    whole = (0.0, 0.0, width_mm, width_mm * picture.height_px / picture.width_px)
    region = region_of(lines, bleed_mm) if bleed_mm else []
    made = bled(picture, share, region, width_mm, under) if region else None
    printed, place = (made.picture.alpha, made.box) if made else (picture.alpha, whole)
    runs, short = bleed_along(lines, printed, place)
    return made, BleedFound(round(short, 2), runs, place, whole)
