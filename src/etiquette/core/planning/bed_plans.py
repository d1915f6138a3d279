"""A bed plan: blanks or sheets lie at fixed places on a flat bed, and every place gets one piece, whatever its shape.
Plain arithmetic, so it is exact."""

from dataclasses import dataclass

from shapely.affinity import rotate

from etiquette.core.planning.problem import Layout, Placement, Problem, Unplaced

SLACK_MM = 1e-6


@dataclass(frozen=True)
class BedWish:
    """Places of one size in rows; the first begins at (first_across, first_along) from the corner of the bed.
    `columns`, `rows` None: as many as fit."""

    place_across_mm: float
    place_along_mm: float
    first_across_mm: float = 0.0
    first_along_mm: float = 0.0
    gap_across_mm: float = 0.0
    gap_along_mm: float = 0.0
    columns: int | None = None
    rows: int | None = None
    rotation_deg: float = 0.0


@dataclass(frozen=True)
class Bed:
    """Where the places begin on one bed, row by row from the leading edge."""

    corners: tuple[tuple[float, float], ...]
    columns: int
    rows: int
    length_mm: float
    """From the bed's own edge to the end of the last row."""


def bed_of(wish: BedWish, across_mm: float, along_mm: float) -> Bed:
    """The places on a bed of `across_mm` x `along_mm`; more columns or rows than fit are left out."""
    columns = _fit(across_mm - wish.first_across_mm, wish.place_across_mm, wish.gap_across_mm, wish.columns)
    rows = _fit(along_mm - wish.first_along_mm, wish.place_along_mm, wish.gap_along_mm, wish.rows)
    across, along = wish.place_across_mm + wish.gap_across_mm, wish.place_along_mm + wish.gap_along_mm
    corners = tuple(
        (wish.first_across_mm + column * across, wish.first_along_mm + row * along)
        for row in range(rows)
        for column in range(columns)
    )
    return Bed(corners, columns, rows, wish.first_along_mm + max(0.0, rows * along - wish.gap_along_mm))


def _fit(room: float, size: float, gap: float, wanted: int | None) -> int:
    most = max(0, int((room + gap + SLACK_MM) // (size + gap)))
    return most if wanted is None else min(wanted, most)


def bed_plan(problem: Problem, wish: BedWish, longest_mm: float) -> Layout:
    """One piece in the middle of every place, design after design, in as many beds (`sheet` from 0) as are needed.
    Gaps, edges, pinned pieces and keep-outs are not looked at. What does not fit is named with the reason."""
    bed = bed_of(wish, problem.width_mm, longest_mm)
    placements: list[Placement] = []
    unplaced: list[Unplaced] = []
    area = 0.0
    for piece in problem.pieces:
        if not piece.count:
            continue
        left, low, right, high = rotate(piece.outline, wish.rotation_deg, origin=(0, 0)).bounds
        if not bed.corners:
            unplaced.append(
                Unplaced(
                    piece.id,
                    piece.count,
                    f"No place of {wish.place_across_mm:.1f} × {wish.place_along_mm:.1f} mm fits on "
                    f"{problem.width_mm:.0f} × {longest_mm:.0f} mm.",
                )
            )
            continue
        if right - left > wish.place_across_mm + SLACK_MM or high - low > wish.place_along_mm + SLACK_MM:
            unplaced.append(
                Unplaced(
                    piece.id,
                    piece.count,
                    f"It is {right - left:.1f} × {high - low:.1f} mm, a place is {wish.place_across_mm:.1f} × "
                    f"{wish.place_along_mm:.1f} mm.",
                )
            )
            continue
        for copy in range(1, piece.count + 1):
            sheet, place = divmod(len(placements), len(bed.corners))
            x, y = bed.corners[place]
            at_x = x + wish.place_across_mm / 2 - (left + right) / 2
            at_y = y + wish.place_along_mm / 2 - (low + high) / 2
            placements.append(Placement(piece.id, copy, sheet, round(at_x, 6), round(at_y, 6), wish.rotation_deg % 360))
            area += piece.outline.area
    beds = placements[-1].sheet + 1 if placements else 0
    length = beds * bed.length_mm
    used = round(area / (problem.width_mm * length), 5) if placements else 0.0
    return Layout(round(length, 3), used, 0.0, "optimal", tuple(placements), tuple(unplaced))
