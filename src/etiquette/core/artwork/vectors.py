"""Vector art as the readers of PDF, SVG and DXF give it: painted paths with their colours, spots and layers."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pyclipr
import shapely
from shapely import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.geometry.matrices import Matrix, applied, inverted
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.polygons import polygons_of, united

MOST_PATHS = 200_000
"""A drawing with more painted paths is refused: nobody can look through it, and no knife follows it."""

LARGEST_MM, SMALLEST_MM = 50_000.0, 0.5
STEPS_A_MM = 100_000
"""Rings are filled on a grid as fine as this: far finer than anything is printed or cut."""

Cap = Literal["butt", "round", "square"]
Join = Literal["round", "mitre", "bevel"]
CAP_STYLES: dict[Cap, str] = {"butt": "flat", "round": "round", "square": "square"}
"""As GEOS calls them."""
Seen = Literal["whole", "partly", "not"]
"""How much is to be seen of what is painted: partly where a soft mask or a picture's own lets something through."""


@dataclass(frozen=True)
class Ink:
    """What a path is painted with: `colour` as #rrggbb, empty when only the `spots` say it."""

    colour: str
    spots: tuple[str, ...] = ()


@dataclass(frozen=True)
class PaintedPath:
    """One act of painting: `paths` in mm with the origin at the lower left of the art, y up. `number` counts the acts
    of painting in the file, so that one can be taken out again; `layers` are the names of the layers and groups it lies
    in, outermost first; `step` is the kind of line its processing step names (ISO 19593-1)."""

    number: int
    paths: tuple[Path, ...]
    fill: Ink | None
    stroke: Ink | None
    stroke_mm: float = 0.0
    even_odd: bool = False
    cap: Cap = "butt"
    join: Join = "mitre"
    layers: tuple[str, ...] = ()
    step: Kind | None = None
    clip: BaseGeometry | None = None
    seen: Seen = "whole"
    pen: Matrix | None = None
    """From a pen as wide as 1 to the page, in mm, where that is no circle: drawn in a space stretched one way."""

    @property
    def spots(self) -> tuple[str, ...]:
        """The named colours that the path is painted in."""
        return tuple(name for ink in (self.fill, self.stroke) if ink for name in ink.spots)


@dataclass(frozen=True)
class VectorPage:
    """One page or drawing. `size_known`: whether the file gives real units; `images` are the places of pictures in
    it, `texts` the number of text strings, `hidden` the layers that are switched off in it."""

    width_mm: float
    height_mm: float
    size_known: bool
    paths: tuple[PaintedPath, ...]
    images: tuple[Polygon, ...] = ()
    texts: int = 0
    hidden: tuple[str, ...] = ()
    unreached: tuple[str, ...] = ()
    """Spots in which text and pictures are painted, which rules for paths do not reach."""
    veiled: tuple[BaseGeometry, ...] = ()
    """The places of pictures and shadings that are seen in part only; those in `images` are whole."""
    unreached_layers: tuple[str, ...] = ()
    """Layers in which text and pictures lie."""
    clips_by_text: bool = False
    """Whether letters are what something else is seen through."""
    undrawn: tuple[str, ...] = ()
    """What the file holds and nobody draws, in words: `3 texts`."""


def refuse_odd_size(width_mm: float, height_mm: float, name: str) -> None:
    """Raises JobError when a page is too small or too large to be one."""
    if not is_printable(width_mm, height_mm):
        raise JobError(
            f"The page is {width_mm:.3g} × {height_mm:.3g} mm, which cannot be printed.",
            name,
            "Set its size in the program it came from.",
        )


def is_printable(width_mm: float, height_mm: float) -> bool:
    """Whether a page can be so large: not smaller than what is seen, nor larger than what any machine prints."""
    size = np.array([width_mm, height_mm])
    return bool(np.isfinite(size).all() and size.min() >= SMALLEST_MM and size.max() <= LARGEST_MM)


def painted_area(page: VectorPage, tolerance_mm: float = 0.01, traced: Sequence[Polygon] = ()) -> list[Polygon]:
    """The union of all that is painted on the page: fills, strokes at their width, pictures, and `traced`, what is to
    be seen in the places that are seen in part only. What hangs off the page is cut off, as in print; a white ground
    that covers the whole page is left out."""
    paths = [path for path in page.paths if path.seen == "whole" and not is_white_ground(path, page)]
    return polygons_of(_on_page(page, [*page.images, *traced, *_areas_of(paths, tolerance_mm)]))


def veiled_places(page: VectorPage, tolerance_mm: float = 0.01) -> list[Polygon]:
    """Where something is painted that is seen in part only: what of it is seen has to be looked at."""
    paths = [path for path in page.paths if path.seen == "partly" and not is_white_ground(path, page)]
    return polygons_of(_on_page(page, [*page.veiled, *_areas_of(paths, tolerance_mm)]))


def _areas_of(paths: Sequence[PaintedPath], tolerance_mm: float) -> list[BaseGeometry]:
    """What `paths` cover. Strokes that are drawn alike are widened together: a technical drawing has ten thousand, and
    one by one they take several times as long."""
    alike: dict[tuple[float, Cap, Join], list[Points]] = defaultdict(list)
    found = list[BaseGeometry]()
    for path in paths:
        if path.fill or not path.stroke or path.stroke_mm <= 0 or path.pen or path.clip is not None:
            found.append(_within_clip(path, tolerance_mm))
        else:
            rings = (one.flatten(tolerance_mm) for one in path.paths if one.segments)
            alike[path.stroke_mm, path.cap, path.join] += rings
    for (width, cap, join), lines in alike.items():
        found += _widened(lines, width, _quarter(width, tolerance_mm), cap, join)
    return found


def _within_clip(path: PaintedPath, tolerance_mm: float) -> BaseGeometry:
    area = path_area(path, tolerance_mm)
    return area if path.clip is None else _sound(area).intersection(_sound(path.clip))


def _on_page(page: VectorPage, areas: Iterable[BaseGeometry]) -> BaseGeometry:
    sheet = shapely.box(0, 0, page.width_mm, page.height_mm)
    whole = united([_sound(area) for area in areas if not area.is_empty])
    return whole if sheet.covers(whole) else whole.intersection(sheet)


def _sound(area: BaseGeometry) -> BaseGeometry:
    """`area` where it crosses itself put right: a picture's place that is turned inside out, a clip like a bow tie."""
    return area if area.is_valid else shapely.make_valid(area)


def path_area(path: PaintedPath, tolerance_mm: float = 0.01) -> BaseGeometry:
    """What one act of painting covers, without its clip."""
    parts: list[BaseGeometry] = []
    rings = [one.flatten(tolerance_mm) for one in path.paths if one.segments]
    if path.fill:
        parts.append(filled(rings, path.even_odd))
    if path.stroke and path.stroke_mm > 0:
        quarter = _quarter(path.stroke_mm, tolerance_mm)
        if path.pen:  # drawn where the pen is round, and stretched with it
            lines = [applied(inverted(path.pen), line) for line in rings]
            parts += [_carried(area, path.pen) for area in _widened(lines, 1.0, quarter, path.cap, path.join)]
        else:
            parts += _widened(rings, path.stroke_mm, quarter, path.cap, path.join)
    return united(parts) if len(parts) > 1 else _sound(parts[0]) if parts else MultiPolygon()


def _quarter(width_mm: float, tolerance_mm: float) -> int:
    """Steps of a quarter of a round end or corner of a stroke so wide."""
    if width_mm <= 2 * tolerance_mm:
        return 2
    return int(np.clip(np.ceil(np.pi / 4 / np.arccos(max(0.0, 1 - 2 * tolerance_mm / width_mm))), 2, 32))


def _widened(lines: Sequence[Points], width: float, quarter: int, cap: Cap, join: Join) -> list[BaseGeometry]:
    """What strokes along `lines` cover, each (n, 2)."""
    of = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    drawn = shapely.linestrings(np.concatenate(lines), indices=of) if len(lines) else ()
    return list(shapely.buffer(drawn, width / 2, quad_segs=quarter, cap_style=CAP_STYLES[cap], join_style=join))


def _carried(area: BaseGeometry, matrix: Matrix) -> BaseGeometry:
    return shapely.transform(area, lambda points: applied(matrix, points))


def filled(rings: list[np.ndarray], even_odd: bool) -> BaseGeometry:
    """Rings (n, 2), which may cross themselves and each other, filled by the even-odd or the non-zero rule."""
    clipper = pyclipr.Clipper()
    clipper.scaleFactor = STEPS_A_MM
    closed = [np.asarray(ring, dtype=float) for ring in rings if len(ring) > 2]
    if not closed:
        return MultiPolygon()
    clipper.addPaths(closed, pyclipr.PathType.Subject, False)
    rule = pyclipr.FillRule.EvenOdd if even_odd else pyclipr.FillRule.NonZero
    areas = list(_areas(clipper.execute2(pyclipr.ClipType.Union, rule)))
    return _sound(areas[0]) if len(areas) == 1 else united(areas)


def _areas(node: Any) -> Iterator[Polygon]:
    """The areas of a tree of rings, in which holes are the children of what they are in, and islands those of holes."""
    for outer in node.children:
        yield Polygon(outer.polygon, [hole.polygon for hole in outer.children])
        for hole in outer.children:
            yield from _areas(hole)


def is_white_ground(path: PaintedPath, page: VectorPage) -> bool:
    """Whether it is a white ground over the whole page: paper, and no art."""
    if path.stroke or not path.fill or path.fill.colour != "#ffffff" or path.fill.spots:
        return False
    bounds = np.array([(*one.flatten(0.1).min(axis=0), *one.flatten(0.1).max(axis=0)) for one in path.paths])
    slack = 0.005 * max(page.width_mm, page.height_mm)
    return bool(
        (bounds[:, :2].min(axis=0) <= slack).all()
        and (bounds[:, 2:].max(axis=0) >= (page.width_mm - slack, page.height_mm - slack)).all()
    )
