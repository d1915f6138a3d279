"""Which label of a web is filled from which row: rows follow each other along each roll."""

from collections.abc import Sequence
from math import ceil
from typing import Literal

from etiquette.core.planning.webs import Rolls, Web, cuts

From = Literal["head", "tail"]


def row_places(
    web: Web, rolls: Rolls, across: Sequence[str], name: str, count: int, begin: From = "head"
) -> list[tuple[int, int]]:
    """The page (from 0) and the label on it (as in `cuts`) of each of `count` rows of the design `name`, in the order
    of the rows. `across`: the design of each column, again and again; `begin`: at the end of a roll that is printed
    first, or last. Where lanes are slit apart each has rolls of its own, as `making` counts them; else labels beside
    each other follow each other."""
    boxes = cuts(web)
    columns = [column for column in range(web.columns) if across[column % len(across)] == name]
    held = sorted(range(len(boxes)), key=lambda number: (round(boxes[number][1], 6), boxes[number][0]))
    if rolls.slit:
        lanes = [[number for number in held if number % web.columns == column] for column in columns]
    else:
        lanes = [[number for number in held if number % web.columns in columns]]
    per_roll = rolls.per_roll or ceil(count / len(lanes))
    pages_a_roll = ceil(per_roll / len(lanes[0]))
    found = []
    for row in range(count):
        roll, place = divmod(row, per_roll)
        on_roll = min(per_roll, count - roll * per_roll)
        if begin == "tail":
            place = on_roll - 1 - place
        lane = lanes[roll % len(lanes)]
        page, label = divmod(place, len(lane))
        found.append((roll // len(lanes) * pages_a_roll + page, lane[label]))
    return found
