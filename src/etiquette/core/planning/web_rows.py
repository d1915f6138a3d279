"""Which label of a web is filled from which row: rows follow each other along each roll."""

from collections.abc import Sequence
from math import ceil
from typing import Literal

from etiquette.core.errors import JobError
from etiquette.core.planning.webs import Rolls, Web, cuts

From = Literal["head", "tail"]
MOST_NAMED = 200
"""Stretches of rows that may be named."""


def named_rows(words: str, count: int) -> list[int]:
    """The rows that are named as “12, 15-18, 40-”, of a table of `count`, each once and in order; nothing named: all.
    Raises JobError."""
    if not words.strip():
        return list(range(1, count + 1))
    found: set[int] = set()
    for part in words.split(",")[:MOST_NAMED]:
        low, dash, high = (one.strip() for one in part.partition("-"))
        try:
            first, last = int(low or 1) if dash else int(low), (int(high or count) if dash else int(low))
        except ValueError:
            raise JobError(f"“{part.strip()}” names no rows.", words, "Write 12, 15-18 or 40-.") from None
        if not 1 <= first <= last <= count:
            raise JobError(
                f"There are rows 1 to {count}; {part.strip()} was asked for.", words, "Ask for some of them."
            )
        found.update(range(first, last + 1))
    return sorted(found)


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
