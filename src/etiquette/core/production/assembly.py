"""The assembly picture of a tiled graphic: which tile hangs where, how large it is, and how far it overlaps."""

from collections.abc import Collection, Sequence
from html import escape

import numpy as np
from shapely import Polygon

from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen, figure
from etiquette.core.planning.tiles import Seams, Tile, TileWish

INK, RULE, PAPER, PINE, KRAFT = "#20262b", "#c9c8be", "#fbfaf6", "#0f5c4e", "#b98a54"
ROOM = 0.07
"""Free round the graphic for its measures, as a share of its longer side."""


def assembly_svg(
    wish: TileWish, seams: Seams, made: Sequence[Tile], off: Collection[int], picture: str, width: str = "100%"
) -> str:
    """A drawing of all tiles in their places, as SVG: `picture` is the address of the graphic's picture. Tiles that
    were lifted off are blank."""
    longest = max(wish.width_mm, wish.height_mm)
    room, thin, letter = ROOM * longest, longest / 900, longest / 50
    left, top = -room, -room
    box = f"{figure(left)} {figure(top)} {figure(wish.width_mm + 2 * room)} {figure(wish.height_mm + 2 * room)}"
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}" width="{width}" '
        f'font-family="Archivo Variable, sans-serif">',
        f'<image href="{escape(picture, quote=True)}" x="0" y="0" width="{figure(wish.width_mm)}" '
        f'height="{figure(wish.height_mm)}" preserveAspectRatio="none" opacity="0.55"/>',
    ]
    for tile in made:
        parts.append(_tile(wish, tile, tile.number in off, thin, letter))
    parts += _openings(wish, thin)
    parts += _measures(wish, seams, room, thin, letter)
    return "".join([*parts, "</svg>"])


def _tile(wish: TileWish, tile: Tile, is_off: bool, thin: float, letter: float) -> str:
    look = f'fill="{PAPER}" stroke="{RULE}"' if is_off else f'fill="none" stroke="{INK}"'
    drawn = (
        f'<path d="{_d(tile.outline, wish.height_mm)}" fill-rule="evenodd" {look} stroke-width="{figure(2 * thin)}"/>'
    )
    if is_off:
        return drawn
    x, y = tile.outline.representative_point().coords[0]
    y = wish.height_mm - y
    width, height = (tile.outline.bounds[2] - tile.outline.bounds[0], tile.outline.bounds[3] - tile.outline.bounds[1])
    size = min(letter * 1.6, 0.3 * min(width, height))
    words = f"{figure(width, 0)} × {figure(height, 0)} mm"
    note = min(letter * 0.75, 0.9 * width / (0.6 * len(words)))
    wide = 0.6 * note * len(words)
    return (
        f'{drawn}<circle cx="{figure(x)}" cy="{figure(y)}" r="{figure(size)}" fill="{PAPER}" stroke="{INK}" '
        f'stroke-width="{figure(thin)}"/><text x="{figure(x)}" y="{figure(y + 0.36 * size)}" text-anchor="middle" '
        f'font-size="{figure(size)}" font-weight="700" fill="{INK}">{tile.number}</text>'
        f'<rect x="{figure(x - wide / 2)}" y="{figure(y + size + 0.2 * note)}" width="{figure(wide)}" '
        f'height="{figure(1.4 * note)}" rx="{figure(note / 4)}" fill="{PAPER}"/>'
        f'<text x="{figure(x)}" y="{figure(y + size + 1.2 * note)}" text-anchor="middle" font-size="{figure(note)}" '
        f'fill="{INK}">{words}</text>'
    )


def _openings(wish: TileWish, thin: float) -> list[str]:
    return [
        f'<rect x="{figure(x)}" y="{figure(wish.height_mm - y - h)}" width="{figure(w)}" height="{figure(h)}" '
        f'fill="{PAPER}" stroke="{KRAFT}" stroke-width="{figure(2 * thin)}"/>'
        for x, y, w, h in wish.openings
    ]


def _measures(wish: TileWish, seams: Seams, room: float, thin: float, letter: float) -> list[str]:
    """Where every seam stands, from the left edge under the graphic and from its foot beside it; overlaps as bands."""
    parts, high = [], wish.height_mm
    first = wish.overlap_mm
    second = wish.overlap_mm if wish.carried == "both" else 0.0
    for x in seams.across:
        parts.append(_band(x - second, 0, first + second, high))
        parts.append(
            f'<path d="M{figure(x)} 0V{figure(high + room / 3)}" stroke="{PINE}" stroke-width="{figure(1.5 * thin)}"/>'
        )
    for y in seams.along:
        parts.append(_band(0, high - y - second, wish.width_mm, first + second))
        d = f"M{figure(-room / 3)} {figure(high - y)}H{figure(wish.width_mm)}"
        parts.append(f'<path d="{d}" stroke="{PINE}" stroke-width="{figure(1.5 * thin)}"/>')
    text = f'font-size="{figure(letter * 0.8)}" fill="{INK}"'
    for x in (0.0, *sorted(seams.across), wish.width_mm):
        at = f'x="{figure(x)}" y="{figure(high + room / 3 + letter)}"'
        parts.append(f'<text {at} text-anchor="middle" {text}>{figure(x, 1)}</text>')
    for y in (0.0, *sorted(seams.along), high):
        at = f'x="{figure(-room / 3 - letter / 4)}" y="{figure(high - y + letter / 3)}"'
        parts.append(f'<text {at} text-anchor="end" {text}>{figure(y, 1)}</text>')
    return parts


def _band(x: float, y: float, width: float, height: float) -> str:
    if min(width, height) <= 0:
        return ""
    place = f'x="{figure(x)}" y="{figure(y)}" width="{figure(width)}" height="{figure(height)}"'
    return f'<rect {place} fill="{PINE}" fill-opacity="0.22"/>'


def _d(polygon: Polygon, height_mm: float) -> str:
    pen = SvgPen(height_mm)
    for ring in (polygon.exterior, *polygon.interiors):
        Path.from_points(np.asarray(ring.coords)[:-1]).draw(pen)
    return pen.data


PAGE = """<!doctype html><html><head><meta charset="utf-8"><style>
@page { size: A4 landscape; margin: 12mm }
body { font: 11pt/1.4 "Archivo Variable", sans-serif; color: #20262b; margin: 0 }
h1 { font-size: 18pt; margin: 0 } p { margin: 1mm 0 3mm; color: #5c666b } svg { max-height: 150mm }
</style></head><body><h1>NAME</h1><p>WORDS</p>DRAWING</body></html>"""


def assembly_page(name: str, wish: TileWish, made: Sequence[Tile], off: Collection[int], drawing: str) -> str:
    """The drawing on a sheet of A4, with what holds for all tiles, as HTML."""
    count = len([tile for tile in made if tile.number not in off])
    how = "edge to edge" if not wish.overlap_mm else (
        f"each tile {figure(wish.overlap_mm, 1)} mm past the seam" if wish.carried == "both"
        else f"the left or upper tile {figure(wish.overlap_mm, 1)} mm past the seam, under the next"
    )  # fmt: skip
    words = (
        f"{figure(wish.width_mm, 1)} × {figure(wish.height_mm, 1)} mm in {count} tiles, numbered from the top left; "
        f"{how}. Measures in mm from the left and from the foot."
    )
    page = PAGE.replace("NAME", escape(name)).replace("WORDS", escape(words))
    return page.replace("DRAWING", drawing)
