"""What a design takes on the stock."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from shapely import Point, Polygon, STRtree

from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.polygons import inside_of, polygons_of, united


def pieces_apart(lines: Sequence[FinishLine]) -> list[FinishLine]:
    """The lines of a page that holds several pieces, each with the number of its piece from 1: every closed line that
    lies in no other is a piece, with all that lies in it. A through cut round two kiss cuts or more only parts the
    sheet; that and strokes outside all pieces belong to none."""
    areas = [inside_of(line.path, 0.05).buffer(0) for line in lines]
    tree = STRtree(areas)

    def lies_in(number: int) -> set[int]:
        """The closed lines that one line lies in."""
        inside = tree.query(Point(lines[number].path.flatten(0.05)[0]), predicate="within")
        return {int(one) for one in inside if one != number and areas[one].area > areas[number].area}

    around = [lies_in(number) for number in range(len(lines))]
    closed = [number for number, area in enumerate(areas) if not area.is_empty]
    kissed = {number for number in closed if lines[number].kind == "kiss"}
    stickers = [number for number in kissed if not around[number] & kissed]
    kisses = Counter(outer for number in stickers for outer in around[number] if lines[outer].kind == "through")
    parts_sheet = {number for number, inside in kisses.items() if inside >= 2}
    outermost = [number for number in closed if number not in parts_sheet and not around[number] - parts_sheet]
    pieces = {number: count for count, number in enumerate(outermost, 1)}
    return [
        replace(line, piece=next((pieces[one] for one in (number, *around[number]) if one in pieces), None))
        for number, line in enumerate(lines)
    ]


def outline_of(lines: Sequence[FinishLine]) -> Polygon:
    """What a design takes on the stock: the hull of islands if it has several, else its outermost line."""
    rings = [inside_of(line.path, 0.02) for line in lines if line.path.closed]
    if not rings:  # loose strokes only: the piece is what they span
        rings = [shapely.MultiPoint(np.vstack([line.path.flatten(0.02) for line in lines])).convex_hull.buffer(0.1)]
    whole = united([ring.buffer(0) for ring in rings])
    parts = polygons_of(whole)
    outline = parts[0] if len(parts) == 1 else whole.convex_hull
    return Polygon(Polygon(outline.exterior).simplify(0.03).exterior)


def one_outline(lines: Sequence[FinishLine], within_mm: float) -> Polygon | None:
    """The outermost line of a design that is one piece, nowhere further than `within_mm` from it; None for several
    islands, or for loose strokes."""
    rings = [inside_of(line.path, within_mm) for line in lines if line.path.closed]
    parts = polygons_of(united([ring.buffer(0) for ring in rings]))
    return Polygon(parts[0].exterior) if len(parts) == 1 else None
