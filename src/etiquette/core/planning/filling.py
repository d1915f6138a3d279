"""Filling what is left: more copies of chosen designs wherever they still fit between what lies there."""

from collections.abc import Sequence
from dataclasses import replace

from etiquette.core.planning.constructing import Raster, Sheet
from etiquette.core.planning.nesting import prepared
from etiquette.core.planning.problem import Placement, Problem

MOST_ADDED = 5000


def filled_up(problem: Problem, placements: Sequence[Placement], frame: int, names: Sequence[str]) -> list[Placement]:
    """New placements on `frame`, by turns one of each design in `names`, until none fits any more. `problem.length_mm`
    is where the frame ends; what lies there stays as it is."""
    held = tuple(replace(one, sheet=0) for one in placements if one.sheet == frame)
    wanted = tuple(piece for piece in problem.pieces if piece.id in names)
    raster, stamps = prepared(replace(problem, pieces=wanted))
    raster = Raster.of(problem, raster.cell)
    sheet = Sheet(replace(problem, pinned=held), stamps, raster, 0)
    copies = {name: max([one.copy for one in placements if one.id == name], default=0) for name in names}
    added: list[Placement] = []
    left = [piece for piece in wanted if stamps[piece.id]]
    while left and len(added) < MOST_ADDED:
        for piece in list(left):
            laid = sheet.place(piece)
            if laid is None:
                left.remove(piece)
                continue
            copies[piece.id] += 1
            placed = raster.placement(laid, copies[piece.id])
            added.append(replace(placed, sheet=frame, x_mm=round(placed.x_mm, 4), y_mm=round(placed.y_mm, 4)))
    return added
