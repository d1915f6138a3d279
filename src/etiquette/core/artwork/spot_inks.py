"""Colours and layers of art given another meaning: named colours (spots) an ink of the shop, any of them an area of
white or clear."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import pikepdf
from pikepdf import Array, Dictionary, Name
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.vectors import Ink, PaintedPath, path_area
from etiquette.core.geometry.polygons import polygons_of, united

Plate = str
"""“white”, “clear”, or “special N”, an ink of the shop by its number."""
PLATES: tuple[Plate, ...] = ("white", "clear")
"""Those that every design may have."""
Part = Literal["keep", "fill", "stroke", "all"]
DEEPEST_OBJECTS = 60


@dataclass(frozen=True)
class ShopInk:
    """A colour of the shop's library: its name on the plate and what it looks like, CMYK shares from 0 to 1."""

    name: str
    cmyk: tuple[float, float, float, float]


@dataclass(frozen=True)
class Marked:
    """What of the art is an area of white, clear or a special ink and no colour: by named colours (spots), by
    other colours (#rrggbb), by layers."""

    spots: Mapping[str, Plate] = field(default_factory=dict)
    colours: Mapping[str, Plate] = field(default_factory=dict)
    layers: Mapping[str, Plate] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.spots or self.colours or self.layers)

    def plates_of(self, path: PaintedPath) -> tuple[Plate | None, Plate | None]:
        """The plates that the fill and the stroke of a path belong to, by the innermost layer first; None: they stay in
        the colour."""
        layer = next((self.layers[name] for name in reversed(path.layers) if name in self.layers), None)

        def plate(ink: Ink | None) -> Plate | None:
            if ink is None or layer:
                return layer if ink else None
            if len(ink.spots) > 1:
                return None
            return self.spots.get(ink.spots[0]) if ink.spots else self.colours.get(ink.colour)

        return plate(path.fill), plate(path.stroke)


def part_taken(path: PaintedPath, marked: Marked) -> Part:
    """What of a path goes from the colour because it is an area of white or clear."""
    fill, stroke = marked.plates_of(path)
    if (fill or not path.fill) and (stroke or not path.stroke) and (fill or stroke):
        return "all"
    return "fill" if fill else "stroke" if stroke else "keep"


def plate_areas(paths: Sequence[PaintedPath], marked: Marked) -> dict[Plate, list[Polygon]]:
    """The areas of each plate, in the millimetres of the page."""
    found: dict[Plate, list[BaseGeometry]] = defaultdict(list)
    for path in paths:
        fill, stroke = marked.plates_of(path)
        for plate, alone in ((fill, replace(path, stroke=None)), (stroke, replace(path, fill=None))):
            if plate:
                area = path_area(alone)
                found[plate].append(area if path.clip is None else area.intersection(path.clip))
    return {plate: polygons_of(united(areas)) for plate, areas in found.items()}


def recolour(pdf: pikepdf.Pdf, inks: Mapping[str, ShopInk]) -> int:
    """Make the spots named in `inks` inks of the shop, wherever a colour space names them (ISO 32000-1, 8.6.6.4 and
    8.6.6.5). Returns how many colour spaces were changed."""
    count = 0
    for thing in pdf.objects:
        count += _recolour(pdf, thing, inks, 0)
    return count


def _recolour(pdf: pikepdf.Pdf, thing: Any, inks: Mapping[str, ShopInk], depth: int) -> int:
    if depth > DEEPEST_OBJECTS:
        return 0
    if isinstance(thing, pikepdf.Array):
        here = _change_space(thing, inks)
        children = list(thing)
    elif isinstance(thing, (pikepdf.Dictionary, pikepdf.Stream)):
        here = 0
        children = [value for _, value in thing.items()]
    else:
        return 0
    # what is indirect comes by itself in the list of objects
    return here + sum(
        _recolour(pdf, child, inks, depth + 1)
        for child in children
        if isinstance(child, pikepdf.Object) and not child.is_indirect
    )


def _change_space(space: pikepdf.Array, inks: Mapping[str, ShopInk]) -> int:
    if len(space) >= 4 and space[0] == Name.Separation and isinstance(space[1], pikepdf.Name):
        ink = inks.get(str(space[1])[1:])
        if ink is None:
            return 0
        space[1] = Name("/" + ink.name)
        space[2] = Name.DeviceCMYK
        # a tint is a share of the full ink (ISO 32000-1, 7.10.3, exponential interpolation with N = 1)
        space[3] = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=Array(list(ink.cmyk)), N=1)
        return 1
    if len(space) >= 4 and space[0] == Name.DeviceN and isinstance(space[1], pikepdf.Array):
        names = [str(name)[1:] for name in space[1]]
        if not any(name in inks for name in names):
            return 0
        space[1] = Array([Name("/" + (inks[name].name if name in inks else name)) for name in names])
        return 1
    return 0
