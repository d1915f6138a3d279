"""Pieces in straight rows: columns and rows, or as many as fit, centred or from the edge, every other row shifted by
half a step if wanted. Plain arithmetic on the boxes round the pieces, so it is exact."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from shapely.affinity import rotate

from etiquette.core.planning.problem import Layout, Piece, Placement, Problem, Unplaced

SLACK_MM = 1e-6
Place = Literal["centred", "from the edge", "from the right"]
LEAST_SHORTER_MM = 1.0
"""Less is not worth a glance."""
MOST_ON_SHEET = 10_000
"""More pieces than that no run holds."""


@dataclass(frozen=True)
class GridWish:
    """`columns` None: as many as fit; `rows` None: as many as a frame holds, else no more. The gaps lie between the
    boxes round the pieces; between two designs the greater of the two."""

    columns: int | None = None
    gap_across_mm: float = 2.0
    gap_along_mm: float = 2.0
    place: Place = "centred"
    staggered: bool = False
    rotation_deg: float = 0.0
    rows: int | None = None


@dataclass(frozen=True)
class Row:
    """One row of a grid: where its pieces' boxes begin across, and the box of each."""

    piece: Piece
    starts: tuple[float, ...]
    width: float
    height: float


def grid(problem: Problem, wish: GridWish, longest_mm: float | None = None) -> Layout:
    """Every design of `problem` in rows of its own, one design after the other, in frames (`sheet` from 0) at most
    `longest_mm` of work long. Pinned pieces and keep-outs are not looked at. What does not fit is named with the
    reason."""
    rows, unplaced = _rows(problem, wish)
    room = _room_along(problem, longest_mm)
    placements: list[Placement] = []
    copies: dict[str, int] = {}
    too_long: dict[str, int] = {}
    frame, tops = 0, {0: 0.0}
    area = 0.0
    for row, place in zip(rows, _along(rows, wish, problem.edge_mm, room), strict=True):
        if place is None:
            too_long[row.piece.id] = too_long.get(row.piece.id, 0) + len(row.starts)
            continue
        frame, y = place
        known = copies.get(row.piece.id, 0)
        placements += _stood(row, wish.rotation_deg, known, frame, y)
        copies[row.piece.id] = known + len(row.starts)
        area += row.piece.outline.area * len(row.starts)
        tops[frame] = y + row.height + problem.edge_mm
    unplaced += [
        Unplaced(name, count, f"It is longer than the {room:.0f} mm that one frame holds.")
        for name, count in too_long.items()
    ]
    length = sum(tops.values())
    stock = problem.width_mm * (length if problem.length_mm is None else problem.length_mm * (frame + 1))
    return Layout(
        round(length, 3),
        round(area / stock, 5) if placements else 0.0,
        0.0,
        "optimal",
        tuple(placements),
        tuple(unplaced),
    )


def _room_along(problem: Problem, longest_mm: float | None) -> float | None:
    """How long the work of one frame may be; None: endless."""
    if problem.length_mm is None:
        return longest_mm
    sheet = problem.length_mm - 2 * problem.edge_mm
    return sheet if longest_mm is None else min(longest_mm, sheet)


def _along(rows: Sequence[Row], wish: GridWish, edge_mm: float, room: float | None) -> list[tuple[int, float] | None]:
    """The frame of every row (from 0) and where it begins in it, or None where it is longer than a frame."""
    places: list[tuple[int, float] | None] = []
    frame, y, begun, stood = 0, edge_mm, False, 0
    for row in rows:
        if room is not None and row.height > room + SLACK_MM:
            places.append(None)
            continue
        full = room is not None and y + row.height > edge_mm + room + SLACK_MM
        if begun and (full or stood == wish.rows):
            frame, y, stood = frame + 1, edge_mm, 0
        places.append((frame, y))
        begun, stood, y = True, stood + 1, y + row.height + wish.gap_along_mm
    return places


@dataclass(frozen=True)
class Turned:
    """What a quarter turn more of all pieces of a grid gains: pieces on one sheet, whole sheets, length of a roll."""

    more: int = 0
    fewer_sheets: int = 0
    shorter_mm: float = 0.0


def quarter_turn(problem: Problem, wish: GridWish, longest_mm: float | None, on_sheets: bool) -> Turned | None:
    """What the same grid gains with its pieces turned by 90°; None: nothing, or less of it would fit."""
    other = replace(wish, rotation_deg=(wish.rotation_deg + 90) % 360)
    room = _room_along(problem, longest_mm)
    if on_sheets and len(problem.pieces) == 1:
        now, then = (_on_first(problem, one, room) for one in (wish, other))
        return Turned(more=then - now) if then > now else None
    left, frames, length = _extent(problem, wish, room)
    left_then, frames_then, length_then = _extent(problem, other, room)
    if left_then > left:
        return None
    if on_sheets:
        return Turned(fewer_sheets=frames - frames_then) if frames_then < frames else None
    return Turned(shorter_mm=length - length_then) if length_then < length - LEAST_SHORTER_MM else None


def with_last_filled(problem: Problem, wish: GridWish, longest_mm: float | None) -> Problem:
    """The same with so many more of the last design that the last frame is full."""
    room = _room_along(problem, longest_mm)
    _, frames, _ = _extent(problem, wish, room)
    last = problem.pieces[-1]

    def fits(more: int) -> bool:
        pieces = (*problem.pieces[:-1], replace(last, count=last.count + more))
        left, taken, _ = _extent(replace(problem, pieces=pieces), wish, room)
        return not left and taken == frames

    low, high = 0, 1
    while fits(high) and high < MOST_ON_SHEET:
        low, high = high, 2 * high
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return replace(problem, pieces=(*problem.pieces[:-1], replace(last, count=last.count + low)))


def _on_first(problem: Problem, wish: GridWish, room: float | None) -> int:
    """How many of the only design one frame holds."""
    (piece,) = problem.pieces
    rows, _ = _rows(replace(problem, pieces=(replace(piece, count=MOST_ON_SHEET),)), wish)
    places = _along(rows, wish, problem.edge_mm, room)
    return sum(len(row.starts) for row, place in zip(rows, places, strict=True) if place and place[0] == 0)


def _extent(problem: Problem, wish: GridWish, room: float | None) -> tuple[int, int, float]:
    """How many pieces stay out, how many frames the others take and how long these are together."""
    rows, unplaced = _rows(problem, wish)
    left, tops = sum(one.count for one in unplaced), {0: 0.0}
    for row, place in zip(rows, _along(rows, wish, problem.edge_mm, room), strict=True):
        if place is None:
            left += len(row.starts)
        else:
            tops[place[0]] = place[1] + row.height
    return left, len(tops), sum(tops.values())


def _stood(row: Row, rotation_deg: float, known: int, frame: int, y: float) -> list[Placement]:
    """The pieces of a row on their line, numbered from the copy after `known`."""
    left, low, _, _ = rotate(row.piece.outline, rotation_deg, origin=(0, 0)).bounds
    return [
        Placement(row.piece.id, copy, frame, round(x - left, 6), round(y - low, 6), rotation_deg % 360)
        for copy, x in enumerate(row.starts, known + 1)
    ]


def one_each(problem: Problem, turns: Mapping[str, float] = {}) -> Layout:
    """Every copy by itself, as it is or turned by `turns` (degrees, by piece): one to a frame. Whether it has room is
    for its frame to say."""
    places = [(piece, copy) for piece in problem.pieces for copy in range(1, piece.count + 1)]
    boxes = {one.id: rotate(one.outline, turns.get(one.id, 0.0), origin=(0, 0)).bounds for one in problem.pieces}
    length = sum(boxes[piece.id][3] - boxes[piece.id][1] for piece, _ in places)
    area = sum(piece.outline.area for piece, _ in places)
    return Layout(
        length_mm=length,
        utilisation=area / (problem.width_mm * length) if length else 0.0,
        seconds=0.0,
        stopped="optimal",
        placements=tuple(
            Placement(piece.id, copy, frame, -boxes[piece.id][0], -boxes[piece.id][1], turns.get(piece.id, 0.0))
            for frame, (piece, copy) in enumerate(places)
        ),
        unplaced=(),
    )


def _rows(problem: Problem, wish: GridWish) -> tuple[list[Row], list[Unplaced]]:
    rows: list[Row] = []
    unplaced: list[Unplaced] = []
    room = problem.width_mm - 2 * problem.edge_mm
    for piece in problem.pieces:
        left, low, right, high = rotate(piece.outline, wish.rotation_deg, origin=(0, 0)).bounds
        width, height = right - left, high - low
        pitch = width + wish.gap_across_mm
        fit = int((room + wish.gap_across_mm + SLACK_MM) // pitch)
        columns = fit if wish.columns is None else min(wish.columns, fit)
        if columns < 1:
            if piece.count:
                unplaced.append(
                    Unplaced(
                        piece.id,
                        piece.count,
                        f"It is {width:.1f} mm wide; the stock has {max(room, 0.0):.1f} mm between its edges.",
                    )
                )
            continue
        rows += _rows_of(piece, wish, problem.edge_mm, room, columns, width, height)
    return rows, unplaced


def _rows_of(
    piece: Piece, wish: GridWish, edge: float, room: float, columns: int, width: float, height: float
) -> list[Row]:
    pitch = width + wish.gap_across_mm
    whole = columns * pitch - wish.gap_across_mm
    shift = pitch / 2
    # a shifted row holds as many only where half a step is left over
    shifted = columns if whole + shift <= room + SLACK_MM else columns - 1
    block = max(whole, shift + shifted * pitch - wish.gap_across_mm) if wish.staggered and shifted else whole
    begin = edge + ((room - block) / 2 if wish.place == "centred" else 0.0)
    rows: list[Row] = []
    left = piece.count
    while left > 0:
        odd = wish.staggered and len(rows) % 2 == 1 and shifted > 0
        here = min(left, shifted if odd else columns)
        first = begin + (shift if odd else 0.0)
        starts = [first + number * pitch for number in range(here)]
        if wish.place == "from the right":  # the same as from the left, seen from the other edge
            starts = [2 * edge + room - width - start for start in reversed(starts)]
        rows.append(Row(piece, tuple(starts), width, height))
        left -= here
    return rows
