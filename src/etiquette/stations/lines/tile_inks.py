"""White and clear that come as files of their own, taken apart with a graphic: what of them lies on a tile is a drawing
of its own, because a part of a picture need not show any more what of it is ground."""

from collections.abc import Iterator, Sequence

import numpy as np
from shapely import MultiPolygon, box, union_all
from shapely.affinity import translate
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen, figure
from etiquette.core.geometry.polygons import polygons_of
from etiquette.core.planning.tiles import Tile
from etiquette.sandbox.art import ArtRead, read_art
from etiquette.stations.designs import DesignState
from etiquette.stations.line_finding import areas_of_files
from etiquette.stations.shop import Shop

Inks = dict[Plate, ArtRead]


def inks_of_tiles(shop: Shop, state: DesignState, made: Sequence[Tile]) -> Iterator[Inks]:
    """For each of `made` what is painted on it in white and in clear by files of their own; nothing where none is.
    Raises JobError."""
    areas = areas_of_files(shop, state.document, state.document.width_mm or 0.0) if made else {}
    whole = {plate: union_all(held) for plate, held in areas.items()}
    for tile in made:
        x, y, *_ = tile.printed
        parts = {plate: translate(area.intersection(box(*tile.printed)), -x, -y) for plate, area in whole.items()}
        yield {
            plate: read_art(_drawn(part, tile.size_mm), f"{plate}.svg")[0]
            for plate, part in parts.items()
            if polygons_of(part)
        }


def _drawn(area: BaseGeometry, size_mm: tuple[float, float]) -> bytes:
    """An area as SVG, mm."""
    width, height = map(figure, size_mm)
    pen = SvgPen(size_mm[1])
    for part in MultiPolygon(polygons_of(area)).geoms:
        for ring in (part.exterior, *part.interiors):
            Path.from_points(np.asarray(ring.coords)[:-1]).draw(pen)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}mm" height="{height}mm" '
        f'viewBox="0 0 {width} {height}"><path fill="#000" fill-rule="evenodd" d="{pen.data}"/></svg>'
    ).encode()
