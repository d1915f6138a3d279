"""About what is saved when several jobs share a run instead of each having one of its own: said before anything is
nested, from the boxes of their designs alone."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Boxes:
    """`count` pieces of `width` × `height` mm."""

    width: float
    height: float
    count: int


def saved_mm(runs: Sequence[Sequence[Boxes]], room_mm: float, gap_mm: float, ends_mm: float) -> float:
    """How much shorter one run of all of `runs` is than each by itself, on stock with `room_mm` for work; every run
    takes `ends_mm` for marks and margins. 0 where a piece is wider than the room either way."""
    alone = sum(rows_mm(one, room_mm, gap_mm) + ends_mm for one in runs)
    together = rows_mm([box for one in runs for box in one], room_mm, gap_mm) + ends_mm
    return max(0.0, alone - together)


def rows_mm(boxes: Sequence[Boxes], room_mm: float, gap_mm: float) -> float:
    """Length of rows that are filled one after the other, the tallest pieces first; a row goes on with the next design
    where one ends."""
    length = left = row = 0.0
    for box in sorted((_lying(one, room_mm) for one in boxes), key=lambda one: -one.height):
        if box.width > room_mm:
            continue
        for _ in range(box.count):
            if left < box.width:
                length += row + (gap_mm if row else 0.0)
                left, row = room_mm, box.height
            left -= box.width + gap_mm
    return length + row


def _lying(box: Boxes, room_mm: float) -> Boxes:
    """The way round that takes less length for all of its pieces."""
    turned = Boxes(box.height, box.width, box.count)
    return min((box, turned), key=lambda one: _alone_mm(one, room_mm))


def _alone_mm(box: Boxes, room_mm: float) -> float:
    columns = int(room_mm // box.width) if box.width > 0 else 0
    return -(-box.count // columns) * box.height if columns else float("inf")
