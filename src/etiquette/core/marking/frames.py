"""Where marks, codes, arrow and slug of a frame stand, round work that is already laid out.

The head row and the tail row lie outside the work, so nothing in them can touch a piece; the side marks stand beside
the work by their clear zone. The order from the leading edge: roller margin, row of marks and code, gap, work, gap,
row, roller margin.
"""

from dataclasses import dataclass

from shapely import Polygon, box

from etiquette.core.errors import JobError
from etiquette.core.marking.codes import MODULE_MM, FrameCode, code_side_mm
from etiquette.core.marking.slugs import SLUG_HEIGHT_MM, slug_width_mm

CODE_TO_WORK_MM = 5.08
"""0.2 in between code and work (common practice, no published source)."""
QUIET_MODULES = 2
"""Light rim of a code; ISO/IEC 16022 asks for one module."""
ARROW_LENGTH_MM, ARROW_WIDTH_MM = 10.0, 6.0
BESIDE_MM = 5.0
"""Free space between things that stand in one row."""
ROUNDING_MM = 0.01
"""Places of pieces are rounded: work may come out wider by so much."""
INSIDE_STOCK_MM = 5.0
"""A mark's clear zone ends at least this far inside the edge of the stock: printers leave a rim unprinted."""


@dataclass(frozen=True)
class MarkRecipe:
    """Round registration marks. `spacing_mm`: the largest distance between neighbours along a side."""

    diameter_mm: float = 6.0
    clear_mm: float = 3.0
    spacing_mm: float = 400.0
    head_margin_mm: float = 10.16
    tail_margin_mm: float = 30.48


@dataclass(frozen=True)
class Reach:
    """How far the mark reader of a cutter travels."""

    across_mm: float
    along_mm: float


@dataclass(frozen=True)
class Where:
    """Where a frame may lie on its stock. `usable_mm`: how much of the width may be used, in the middle of the stock, and
    `narrowest` says whose limit that is; `left_mm`: where the clear zone of the left marks begins, None for centred;
    `lead_mm` stays free before the frame; `sheet_mm`: the length of the sheet it lies on, None for a roll."""

    usable_mm: float
    narrowest: str = "the stock"
    left_mm: float | None = None
    lead_mm: float = 0.0
    sheet_mm: float | None = None


@dataclass(frozen=True)
class Mark:
    id: str
    x: float
    y: float


@dataclass(frozen=True)
class CodePlace:
    """A frame code: lower left corner, side; `code` says what it carries."""

    code: FrameCode
    x: float
    y: float
    side: float

    @property
    def centre(self) -> tuple[float, float]:
        return (self.x + self.side / 2, self.y + self.side / 2)


@dataclass(frozen=True)
class FramePlan:
    """Everything of a frame but its pieces, in run millimetres (x across from the left edge, y along from the leading
    edge). `shift` is what the work moves by from where it was nested."""

    marks: tuple[Mark, ...]
    codes: tuple[CodePlace, CodePlace]
    arrow: Polygon
    slug: str
    slug_at: tuple[float, float]
    shift: tuple[float, float]
    width_mm: float
    length_mm: float
    work: tuple[float, float, float, float]


def beside_work_mm(recipe: MarkRecipe) -> float:
    """What marks and their clear zones need on each side of the work."""
    return 2 * recipe.clear_mm + recipe.diameter_mm


def printable_mm(stock_width_mm: float) -> float:
    """The width of a stock without its rims."""
    return stock_width_mm - 2 * INSIDE_STOCK_MM


def longest_work_mm(recipe: MarkRecipe, reach: Reach) -> float:
    """The longest work whose marks at head and tail still lie within the reach of the cutter."""
    side = code_side_mm(FrameCode("AAAAAA", "head").payload)
    return reach.along_mm - 2 * (_half_row(recipe, side) + CODE_TO_WORK_MM)


def longest_on_sheet_mm(recipe: MarkRecipe, sheet_mm: float, lead_mm: float = 0.0) -> float:
    """The longest work of a frame that lies on one sheet with all its margins."""
    ends = 2 * (2 * _half_row(recipe, code_side_mm(FrameCode("AAAAAA", "head").payload)) + CODE_TO_WORK_MM)
    return sheet_mm - lead_mm - recipe.head_margin_mm - recipe.tail_margin_mm - ends


def _half_row(recipe: MarkRecipe, side: float) -> float:
    """Half of what the row of marks and code at each end takes along the feed."""
    return max(side / 2 + QUIET_MODULES * MODULE_MM, recipe.diameter_mm / 2 + recipe.clear_mm)


def plan_frame(
    work: tuple[float, float, float, float],
    stock_width_mm: float,
    recipe: MarkRecipe,
    reach: Reach,
    frame_code: str,
    slug: str,
    where: Where | None = None,
) -> FramePlan:
    """Marks and codes round `work` (x0, y0, x1, y1 as nested), which lies in the middle between the marks.

    Raises JobError when the rules of the mark set, the machines or the sheet leave no room.
    """
    where = where or Where(printable_mm(stock_width_mm))
    x0, y0, x1, y1 = work
    head, tail = FrameCode(frame_code, "head"), FrameCode(frame_code, "tail")
    side = code_side_mm(head.payload)
    quiet = QUIET_MODULES * MODULE_MM
    half_row = _half_row(recipe, side)
    mark_out = recipe.diameter_mm / 2 + recipe.clear_mm
    row_needs = _row_width(recipe, side, slug)
    width = max(x1 - x0, row_needs)
    taken = width + 2 * beside_work_mm(recipe)
    usable = where.usable_mm
    if where.left_mm is not None:
        usable = min(usable, stock_width_mm - INSIDE_STOCK_MM - where.left_mm)
    if taken > usable + ROUNDING_MM:
        raise JobError(
            f"Work and marks need {taken:.0f} mm across; {where.narrowest} leaves {usable:.0f} mm.",
            "width of the run",
            "Use a wider stock or machine, smaller marks, or nest again.",
        )
    centre = stock_width_mm / 2 if where.left_mm is None else where.left_mm + taken / 2
    left, right = centre - width / 2 - mark_out, centre + width / 2 + mark_out
    head_row = where.lead_mm + recipe.head_margin_mm + half_row
    work_start = head_row + half_row + CODE_TO_WORK_MM
    work_end = work_start + (y1 - y0)
    tail_row = work_end + CODE_TO_WORK_MM + half_row
    length = tail_row + half_row + recipe.tail_margin_mm
    if where.sheet_mm is not None:
        if length > where.sheet_mm + 1e-6:
            raise JobError(f"Work, marks and margins need {length:.0f} mm; the sheet is {where.sheet_mm:.0f} mm long.", "length of the run", "Use longer sheets, or nest again.")  # fmt: skip
        length = where.sheet_mm
    _refuse_beyond_reach(right - left, tail_row - head_row, reach)
    code_x = centre + mark_out + BESIDE_MM
    slug_x = code_x + side + quiet + BESIDE_MM
    arrow_x = left + mark_out + BESIDE_MM
    return FramePlan(
        marks=_marks((left, centre, right), (head_row, tail_row), recipe),
        codes=(CodePlace(head, code_x, head_row - side / 2, side), CodePlace(tail, code_x, tail_row - side / 2, side)),
        arrow=feed_arrow(arrow_x, head_row - ARROW_LENGTH_MM / 2),
        slug=slug,
        slug_at=(slug_x, head_row - SLUG_HEIGHT_MM / 2),
        shift=(centre - (x0 + x1) / 2, work_start - y0),
        width_mm=stock_width_mm,
        length_mm=length,
        work=(centre - (x1 - x0) / 2, work_start, centre + (x1 - x0) / 2, work_end),
    )


def _row_width(recipe: MarkRecipe, side: float, slug: str) -> float:
    """The head row is one line: corner, arrow, middle mark, code, slug, corner; the right half is the longer one."""
    mark_out = recipe.diameter_mm / 2 + recipe.clear_mm
    right = mark_out + BESIDE_MM + side + QUIET_MODULES * MODULE_MM + BESIDE_MM + slug_width_mm(slug) + BESIDE_MM
    return 2 * right


def _marks(across: tuple[float, float, float], rows: tuple[float, float], recipe: MarkRecipe) -> tuple[Mark, ...]:
    """Corners, the middles of head and tail, and between the corners of each side one mark or more, as near as the
    recipe asks, unless the frame is so short that their clear zones would meet. The first four are the corners: near
    right, near left, far right, far left."""
    (left, centre, right), (head, tail) = across, rows
    marks = [(right, head), (left, head), (right, tail), (left, tail), (centre, head), (centre, tail)]
    between = max(1, -int(-(tail - head) // recipe.spacing_mm) - 1)
    if (tail - head) / (between + 1) < recipe.diameter_mm + 2 * recipe.clear_mm:
        between = 0
    for step in range(1, between + 1):
        y = head + (tail - head) * step / (between + 1)
        marks += [(left, y), (right, y)]
    return tuple(Mark(f"m{number + 1}", x, y) for number, (x, y) in enumerate(marks))


def _refuse_beyond_reach(across: float, along: float, reach: Reach) -> None:
    for needed, limit, way, cure in (
        (across, reach.across_mm, "across", "Nest narrower, or choose a cutter with a longer reach."),
        (along, reach.along_mm, "along the feed", "Put fewer pieces in this run and the rest in a second one."),
    ):
        if needed > limit:
            raise JobError(
                f"The marks lie {needed:.0f} mm apart {way}; this cutter reads {limit:.0f} mm.", "marks", cure
            )


def feed_arrow(x: float, y: float) -> Polygon:
    """An arrow that points to the leading edge, its tip at `y`, its left side at `x`."""
    half, neck = ARROW_WIDTH_MM / 2, ARROW_WIDTH_MM / 8
    head = ARROW_LENGTH_MM * 0.45
    middle, end = x + half, y + ARROW_LENGTH_MM
    return Polygon(
        [
            (middle, y),
            (middle + half, y + head),
            (middle + neck, y + head),
            (middle + neck, end),
            (middle - neck, end),
            (middle - neck, y + head),
            (middle - half, y + head),
        ]
    )


def clear_zones(plan: FramePlan, recipe: MarkRecipe) -> list[Polygon]:
    """What pieces and their bleed keep out of: round each mark, each code with its quiet zone, the arrow."""
    radius = recipe.diameter_mm / 2 + recipe.clear_mm
    quiet = QUIET_MODULES * MODULE_MM
    zones = [box(mark.x - radius, mark.y - radius, mark.x + radius, mark.y + radius) for mark in plan.marks]
    zones += [
        box(code.x - quiet, code.y - quiet, code.x + code.side + quiet, code.y + code.side + quiet)
        for code in plan.codes
    ]
    return [*zones, plan.arrow]
