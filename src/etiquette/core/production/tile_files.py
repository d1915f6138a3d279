"""The print file and the cut of one tile by itself, off any roll: what is printed of it, ticks and words round it."""

import numpy as np
import shapely
from shapely import Polygon, affinity

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.raster import Picture
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.marking.frame_plans import FramePlan, Note
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.tile_marks import ROOM_MM, WORDS_MM, Tick, TileMarks, marks_beside, words_of
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.tiles import Tile
from etiquette.core.printing.art_forms import Art, PageArt, PictureArt, SpotArt
from etiquette.core.printing.plates import PlateWish
from etiquette.core.production.frames import SPOTS, FrameDesign, FrameFiles, frame_files


def part_of(art: Art, tile: Tile) -> Art:
    """What a tile prints of the whole graphic, in the tile's own millimetres; pixels between whole ones are for `tiles`
    to avoid."""
    x0, y0, x1, y1 = tile.printed
    size, clip = (x1 - x0, y1 - y0), clip_of(tile)
    if isinstance(art, PageArt):
        return PageArt(art.pdf, art.width_mm, art.height_mm, clip, at=(-x0, -y0))
    px = art.width_mm / art.picture.width_px
    left, right = round(x0 / px), round(x1 / px)
    top, low = round((art.height_mm - y1) / px), round((art.height_mm - y0) / px)
    pixels = np.ascontiguousarray(art.picture.pixels[top:low, left:right])
    return PictureArt(Picture(pixels, art.picture.dpi), *size, clip)


def clip_of(tile: Tile) -> Polygon:
    """Where a tile prints, its own millimetres: all of what it is printed of but its openings."""
    x0, y0, x1, y1 = tile.printed
    holes = [shapely.Polygon(ring) for ring in tile.outline.interiors]
    whole = shapely.box(x0, y0, x1, y1).difference(shapely.union_all(holes)) if holes else shapely.box(x0, y0, x1, y1)
    return affinity.translate(whole, -x0, -y0)


def tile_lines(tile: Tile, kind: Kind) -> list[FinishLine]:
    """The cuts of a tile, its openings first, in its own millimetres."""
    x0, y0, _, _ = tile.printed
    outline = affinity.translate(tile.outline, -x0, -y0)
    rings = [*outline.interiors, outline.exterior]
    return [FinishLine(kind, Path.from_points(np.asarray(ring.coords)[:-1])) for ring in rings]


def tile_marks(tile: Tile, name: str, count: int, rows: int, columns: int) -> TileMarks:
    """Ticks and words of a tile, its own millimetres."""
    words = words_of(name, tile.number, count, tile.row, tile.column, rows, columns)
    return marks_beside(tile.size_mm, ticks_of(tile), words)


def ticks_of(tile: Tile) -> list[Tick]:
    """At every seam, and where the neighbour's cut edge lies if that is another place; the tile's own millimetres."""
    x0, y0, _, _ = tile.printed
    ticks = []
    for one in tile.neighbours:
        across = one.side in ("left", "right")
        places = dict.fromkeys((one.seam_mm, one.edge_mm))
        ticks += [Tick(across, place - (x0 if across else y0), place == one.seam_mm) for place in places]
    return ticks


def tile_file(art: Art, tile: Tile, marks: TileMarks, title: str, kind: Kind, wish: PlateWish) -> FrameFiles:
    """The pages and lines of a tile, with room round it for its ticks and words. `art`: the whole graphic."""
    width, height = tile.size_mm
    moved = tuple((a + ROOM_MM, b + ROOM_MM, c + ROOM_MM, d + ROOM_MM) for a, b, c, d in marks.ticks)
    x, y = marks.words_at
    plan = FramePlan(
        marks=(), codes=(), arrow=Polygon(), slug="", slug_at=(0.0, 0.0), shift=(0.0, 0.0),
        width_mm=width + 2 * ROOM_MM, length_mm=height + 2 * ROOM_MM,
        work=(ROOM_MM, ROOM_MM, ROOM_MM + width, ROOM_MM + height), own_marks=True,
        black=moved, notes=(Note(marks.words, x + ROOM_MM, y + ROOM_MM, WORDS_MM),),
    )  # fmt: skip
    lines = tile_lines(tile, kind)
    clip = clip_of(tile)
    design = FrameDesign(part_of(art, tile), lines, clip, {ink: SpotArt((), clip) for ink in SPOTS})
    placed = [Placement("tile", 1, 0, ROOM_MM, ROOM_MM, 0.0)]
    return frame_files({"tile": design}, placed, plan, MarkRecipe(), title, wish)
