"""A bed plan: blanks or sheets lie at fixed places on a flat bed, in rows of one size or set down one by one, and every
place gets one piece. Plain arithmetic, so it is exact."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from shapely import Point, Polygon, box
from shapely.affinity import rotate, scale, translate

from etiquette.core.planning.problem import Layout, Piece, Placement, Problem, Unplaced

SLACK_MM = 1e-6
Shape = Literal["rectangle", "ellipse"]
ROUND_STEPS = 64
"""Corners of a quarter of an ellipse."""


@dataclass(frozen=True)
class Place:
    """Where one blank lies: its left and its near edge from the corner of the bed, its size, and by how much the piece
    on it is turned. `takes`: the ids of the pieces that may lie on it; None: any."""

    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    rotation_deg: float = 0.0
    shape: Shape = "rectangle"
    takes: frozenset[str] | None = None

    @property
    def end(self) -> tuple[float, float]:
        """Its right and its far edge."""
        return self.x_mm + self.width_mm, self.y_mm + self.height_mm

    @property
    def outline(self) -> Polygon:
        if self.shape == "rectangle":
            return box(self.x_mm, self.y_mm, *self.end)
        middle = (self.x_mm + self.width_mm / 2, self.y_mm + self.height_mm / 2)
        return translate(scale(Point(0, 0).buffer(1, ROUND_STEPS), self.width_mm / 2, self.height_mm / 2), *middle)


@dataclass(frozen=True)
class Rim:
    """What its own marks take of a blank on each side of the piece, across and along; a blank narrower than `least_mm`
    has no room for them."""

    across_mm: float
    along_mm: float
    least_mm: float

    def room_mm(self, width_mm: float, height_mm: float) -> tuple[float, float]:
        """How large a piece may be on a blank."""
        if width_mm < self.least_mm - SLACK_MM:
            return 0.0, 0.0
        return max(0.0, width_mm - 2 * self.across_mm), max(0.0, height_mm - 2 * self.along_mm)


@dataclass(frozen=True)
class BedWish:
    """Places of one size in rows; the first begins at (first_across, first_along) from the corner of the bed.
    `columns`, `rows` None: as many as fit. Or the `places` of blanks that were set down one by one."""

    place_across_mm: float
    place_along_mm: float
    first_across_mm: float = 0.0
    first_along_mm: float = 0.0
    gap_across_mm: float = 0.0
    gap_along_mm: float = 0.0
    columns: int | None = None
    rows: int | None = None
    rotation_deg: float = 0.0
    places: tuple[Place, ...] = ()
    rim: Rim | None = None
    """Every blank is a frame of its own, with its marks on it; None: the bed is one."""


@dataclass(frozen=True)
class Bed:
    """The places on one bed: in rows from the leading edge, or in the order in which they were set down."""

    places: tuple[Place, ...]
    columns: int
    rows: int
    length_mm: float
    """From the bed's own edge to the end of the last place."""

    def of_boxes(self, boxes: Sequence[tuple[float, float, float, float]]) -> list[tuple[int, Place]]:
        """For each of `boxes` (x0, y0, x1, y1), which lie one on a place in the order of the places, bed after bed: on
        which bed (from 1) and on which place its middle lies. Raises ValueError when it lies on none."""
        found, bed, last = [], 1, -1
        for x0, y0, x1, y1 in boxes:
            x, y = (x0 + x1) / 2, (y0 + y1) / 2
            at = next(
                (n for n, one in enumerate(self.places) if one.x_mm < x < one.end[0] and one.y_mm < y < one.end[1]),
                None,
            )
            if at is None:
                raise ValueError("a piece lies on no place of its bed")
            bed += at <= last
            last = at
            found.append((bed, self.places[at]))
        return found


def bed_of(wish: BedWish, across_mm: float, along_mm: float) -> Bed:
    """The places on a bed of `across_mm` x `along_mm`; what does not lie on it, or lies on another blank, is left
    out."""
    if wish.places:
        faults = bed_faults(wish.places, across_mm, along_mm, wish.rim)
        on_it = tuple(place for number, place in enumerate(wish.places, 1) if number not in faults)
        return Bed(on_it, 0, 0, max((place.end[1] for place in on_it), default=0.0))
    columns = _fit(across_mm - wish.first_across_mm, wish.place_across_mm, wish.gap_across_mm, wish.columns)
    rows = _fit(along_mm - wish.first_along_mm, wish.place_along_mm, wish.gap_along_mm, wish.rows)
    across, along = wish.place_across_mm + wish.gap_across_mm, wish.place_along_mm + wish.gap_along_mm
    places = tuple(
        Place(
            wish.first_across_mm + column * across,
            wish.first_along_mm + row * along,
            wish.place_across_mm,
            wish.place_along_mm,
            wish.rotation_deg,
        )
        for row in range(rows)
        for column in range(columns)
    )
    return Bed(places, columns, rows, wish.first_along_mm + max(0.0, rows * along - wish.gap_along_mm))


def _lies_on(place: Place, across_mm: float, along_mm: float) -> bool:
    right, far = place.end
    return right <= across_mm + SLACK_MM and far <= along_mm + SLACK_MM


def bed_faults(places: Sequence[Place], across_mm: float, along_mm: float, rim: Rim | None = None) -> dict[int, str]:
    """What is wrong with blanks that were set down, by their number (from 1): off the bed, on one before it, or without
    room for their marks. Nothing is put on them."""
    faults: dict[int, str] = {}
    good: dict[int, Polygon] = {}
    for number, place in enumerate(places, 1):
        if not _lies_on(place, across_mm, along_mm):
            off = max(place.end[0] - across_mm, place.end[1] - along_mm)
            faults[number] = f"It reaches {off:.1f} mm off the bed, so nothing is put on it."
            continue
        if no_room := _no_room(place, rim):
            faults[number] = no_room
            continue
        outline = place.outline
        under = next((one for one, other in good.items() if outline.intersection(other).area > SLACK_MM), None)
        if under is None:
            good[number] = outline
        else:
            faults[number] = f"It lies on blank {under}, so nothing is put on it."
    return faults


def _no_room(place: Place, rim: Rim | None) -> str:
    """Why marks do not go on a blank that is a frame of its own; empty: they do."""
    if rim is None:
        return ""
    if place.shape == "ellipse":
        return "Marks stand at the corners of a blank, and a round one has none, so nothing is put on it."
    if min(rim.room_mm(place.width_mm, place.height_mm)) > 0:
        return ""
    return (
        f"Its own marks need a blank of {max(rim.least_mm, 2 * rim.across_mm):.0f} × {2 * rim.along_mm:.0f} mm and "
        "more, so nothing is put on it."
    )


def quarter_turn(wish: BedWish, across_mm: float, along_mm: float) -> int:
    """How many places more a bed holds with its blanks, and what lies on them, turned by 90°; negative: fewer. Blanks
    that were set down one by one stay as they lie."""
    if wish.places:
        return 0
    now, then = (bed_of(one, across_mm, along_mm) for one in (wish, turned(wish)))
    return len(then.places) - len(now.places)


def turned(wish: BedWish) -> BedWish:
    """The same blanks turned by 90°."""
    return replace(
        wish,
        place_across_mm=wish.place_along_mm,
        place_along_mm=wish.place_across_mm,
        rotation_deg=(wish.rotation_deg + 90) % 360,
    )


def _fit(room: float, size: float, gap: float, wanted: int | None) -> int:
    most = max(0, int((room + gap + SLACK_MM) // (size + gap)))
    return most if wanted is None else min(wanted, most)


def bed_plan(problem: Problem, wish: BedWish, longest_mm: float) -> Layout:
    """One piece in the middle of every place, design after design, in as many beds (`sheet` from 0) as are needed;
    where blanks are frames of their own, `sheet` counts those. Gaps, edges, pinned pieces and keep-outs are not looked
    at. What does not fit is named with the reason."""
    bed = bed_of(wish, problem.width_mm, longest_mm)
    on_place = [_fitting(problem.pieces, place, wish.rim) for place in bed.places]
    left = {piece.id: piece.count for piece in problem.pieces}
    laid: dict[str, int] = {}
    placements: list[Placement] = []
    area, sheet = 0.0, 0
    while True:
        before = len(placements)
        for place, fitting in zip(bed.places, on_place, strict=True):
            piece = next((one for one in problem.pieces if one.id in fitting and left[one.id]), None)
            if piece is None:
                continue
            x, y = fitting[piece.id]
            laid[piece.id] = laid.get(piece.id, 0) + 1
            left[piece.id] -= 1
            placements.append(
                Placement(
                    piece.id,
                    laid[piece.id],
                    len(placements) if wish.rim else sheet,
                    round(x, 6),
                    round(y, 6),
                    place.rotation_deg % 360,
                )
            )
            area += piece.outline.area
        if len(placements) == before:
            break
        sheet += 1
    unplaced = [
        Unplaced(piece.id, left[piece.id], _why_not(piece, wish, bed, problem.width_mm, longest_mm))
        for piece in problem.pieces
        if left[piece.id]
    ]
    length = sheet * bed.length_mm
    used = round(area / (problem.width_mm * length), 5) if placements else 0.0
    return Layout(round(length, 3), used, 0.0, "optimal", tuple(placements), tuple(unplaced))


def _fitting(pieces: Sequence[Piece], place: Place, rim: Rim | None) -> Mapping[str, tuple[float, float]]:
    """Where each of `pieces` that may and can lie on a place lies, in its middle."""
    across, along = rim.room_mm(place.width_mm, place.height_mm) if rim else (place.width_mm, place.height_mm)
    found = {}
    for piece in pieces:
        if place.takes is not None and piece.id not in place.takes:
            continue
        outline = rotate(piece.outline, place.rotation_deg, origin=(0, 0))
        left, low, right, high = outline.bounds
        x = place.x_mm + place.width_mm / 2 - (left + right) / 2
        y = place.y_mm + place.height_mm / 2 - (low + high) / 2
        fits = right - left <= across + SLACK_MM and high - low <= along + SLACK_MM
        if fits and place.shape == "ellipse":
            fits = translate(outline, x, y).difference(place.outline.buffer(SLACK_MM)).area < SLACK_MM
        if fits:
            found[piece.id] = (x, y)
    return found


def _why_not(piece: Piece, wish: BedWish, bed: Bed, across_mm: float, along_mm: float) -> str:
    if wish.places:
        if not any(place.takes is None or piece.id in place.takes for place in bed.places):
            return "No blank on the bed is for it."
        return "It is larger than every blank that is for it."
    if not bed.places:
        return (
            f"No place of {wish.place_across_mm:.1f} × {wish.place_along_mm:.1f} mm fits on "
            f"{across_mm:.0f} × {along_mm:.0f} mm."
        )
    left, low, right, high = rotate(piece.outline, wish.rotation_deg, origin=(0, 0)).bounds
    across, along = wish.place_across_mm, wish.place_along_mm
    holds = "a place is"
    if wish.rim:
        (across, along), holds = wish.rim.room_mm(across, along), "the marks of a place leave"
    return f"It is {right - left:.1f} × {high - low:.1f} mm, {holds} {across:.1f} × {along:.1f} mm."
