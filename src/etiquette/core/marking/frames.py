"""Where marks, codes, arrow and slug of a frame stand, round work that is already laid out.

The head row and the tail row lie outside the work, so nothing in them can touch a piece; the side marks stand beside
the work by their clear zone. The order from the leading edge: roller margin, row of marks and code, gap, work, gap,
row, roller margin."""

from dataclasses import dataclass

from shapely import Polygon

from etiquette.core.errors import JobError
from etiquette.core.marking.codes import FrameCode, quiet_modules
from etiquette.core.marking.frame_plans import Along, CodePlace, FramePlan, Mark, Reach, Side, Where, code_size_mm
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.slugs import SLUG_HEIGHT_MM, slug_width_mm
from etiquette.core.marking.strips import least_width_mm, strip_within

CODE_TO_WORK_MM = 5.0
"""Between code and work: as much as a hand-laid sheet is askew over the length of a code, and its quiet zone."""
ARROW_LENGTH_MM, ARROW_WIDTH_MM = 10.0, 6.0
BESIDE_MM = 5.0
"""Free space between things that stand in one row."""
PLACES_MM = 0.001
"""Layout files round places to 0.0001 mm: work may come out wider by less than this."""
INSIDE_STOCK_MM = 5.0
"""A mark's clear zone ends at least this far inside the edge of the stock: printers leave a rim unprinted."""
SHARE_BEFORE: dict[Along, float] = {"head": 0.0, "middle": 0.5, "tail": 1.0}
"""How much of what a sheet is longer than its frame lies before it."""


def beside_work_mm(recipe: MarkRecipe) -> float:
    """What bleed, marks and their clear zones need on each side of the work."""
    return recipe.aside_mm + 2 * recipe.out_mm


def printable_mm(stock_width_mm: float) -> float:
    """The width of a stock without its rims."""
    return stock_width_mm - 2 * INSIDE_STOCK_MM


def width_between_marks_mm(stock_width_mm: float, recipe: MarkRecipe, where: Where) -> float:
    """How wide the work may be."""
    usable = usable_mm(stock_width_mm, where)
    if recipe.place == "stock":
        return min(
            usable - 2 * beside_work_mm(recipe),
            stock_width_mm - 2 * (recipe.inset_mm + recipe.out_mm + recipe.aside_mm),
        )
    return usable - 2 * beside_work_mm(recipe)


def usable_mm(stock_width_mm: float, where: Where) -> float:
    """How much of the width of a stock may be used from where it begins."""
    if where.from_edge_mm is None:
        return where.usable_mm
    return min(where.usable_mm, stock_width_mm - INSIDE_STOCK_MM - where.from_edge_mm)


def longest_work_mm(recipe: MarkRecipe, reach: Reach) -> float:
    """The longest work whose marks at head and tail still lie within the reach of the cutter."""
    return reach.along_mm - 2 * (_half_row(recipe) + _row_to_work(recipe))


def longest_on_sheet_mm(recipe: MarkRecipe, sheet_mm: float, lead_mm: float = 0.0) -> float:
    """The longest work of a frame that lies on one sheet with all its margins."""
    ends = 2 * (2 * _half_row(recipe) + _row_to_work(recipe))
    return sheet_mm - lead_mm - recipe.head_margin_mm - recipe.tail_margin_mm - ends


def _half_row(recipe: MarkRecipe) -> float:
    """Half of what the row of marks and code at each end takes along the feed."""
    height = code_size_mm(recipe.code, recipe.code_module_mm)[1]
    return max(height / 2 + quiet_modules(recipe.code)[1] * recipe.code_module_mm, recipe.out_mm)


def _row_to_work(recipe: MarkRecipe) -> float:
    """Between the row of marks and code at each end and the work."""
    return CODE_TO_WORK_MM + recipe.inset_work_mm


def plan_frame(
    work: tuple[float, float, float, float],
    stock_width_mm: float,
    recipe: MarkRecipe,
    reach: Reach,
    frame_code: str,
    slug: str,
    where: Where | None = None,
    with_strip: bool = False,
    arrow_side: Side = "left",
) -> FramePlan:
    """Marks and codes round `work` (x0, y0, x1, y1 as nested), which lies in the middle between the marks. `slug` is
    cut off where its room ends, after its first word at the earliest. `with_strip`: colour patches in the tail row.
    `arrow_side`: where the feed arrow stands; the slug stands on the other one.

    Raises JobError, naming the rule, when the mark set, the machines or the sheet leave no room.
    """
    where = where or Where(printable_mm(stock_width_mm))
    x0, y0, x1, y1 = work
    half_row = _half_row(recipe)
    row = _Row.of(recipe, slug, with_strip, arrow_side)
    left, right = _sides(max(x1 - x0, row.needs), stock_width_mm, recipe, where)
    centre = (left + right) / 2
    ends = where.lead_mm + recipe.head_margin_mm + recipe.tail_margin_mm + where.sever_mm
    needs = ends + 2 * (2 * half_row + _row_to_work(recipe)) + (y1 - y0)
    length = length_on_sheet(needs, where, f"Work, marks and margins need {needs:.0f} mm")
    head_row = before_mm(length - needs, where) + recipe.head_margin_mm + half_row
    work_start = head_row + half_row + _row_to_work(recipe)
    work_end = work_start + (y1 - y0)
    tail_row = work_end + _row_to_work(recipe) + half_row
    refuse_beyond_reach(right - left, tail_row - head_row, reach)
    height = code_size_mm(recipe.code, recipe.code_module_mm)[1]
    code_x = centre + row.code_at

    def code(end: str, middle: float) -> CodePlace:
        return CodePlace(FrameCode(frame_code, end), code_x, middle - height / 2, recipe.code, recipe.code_module_mm)  # type: ignore[arg-type]

    arrow_x, slug_x, slug_end = row.places(left, right)
    middle = _middle_of_work(x1 - x0, (left, right), stock_width_mm, recipe, where)
    return FramePlan(
        marks=_marks((left, centre, right), (head_row, tail_row), recipe),
        codes=(code("head", head_row), code("tail", tail_row)),
        arrow=feed_arrow(arrow_x, head_row - ARROW_LENGTH_MM / 2),
        slug=row.slug_within(slug_end - slug_x),
        slug_at=(slug_x, head_row - SLUG_HEIGHT_MM / 2),
        shift=(middle - (x0 + x1) / 2, work_start - y0),
        width_mm=stock_width_mm,
        length_mm=length,
        work=(middle - (x1 - x0) / 2, work_start, middle + (x1 - x0) / 2, work_end),
        code=frame_code,
        strip=strip_within(left + row.aside, centre - row.aside, tail_row) if with_strip else None,
    )


def blank_rim_mm(recipe: MarkRecipe, slug: str, arrow_side: Side = "left") -> tuple[float, float, float]:
    """What marks and codes take of a blank that is a frame of its own: on each side across, at each end, and how wide
    it has to be at least. The same at both ends, so that the piece lies in the middle of its blank."""
    across = -width_between_marks_mm(0.0, recipe, Where(0.0)) / 2
    along = 2 * _half_row(recipe) + _row_to_work(recipe) + max(recipe.head_margin_mm, recipe.tail_margin_mm)
    return across, along, _Row.of(recipe, slug, arrow_side=arrow_side).needs + 2 * across


def plan_blank(
    corner: tuple[float, float],
    size: tuple[float, float],
    recipe: MarkRecipe,
    reach: Reach,
    frame_code: str,
    slug: str,
    arrow_side: Side = "left",
) -> FramePlan:
    """A blank with its own marks: `corner` on the bed and `size`, mm. Raises JobError as plan_frame does."""
    (x, y), (width, height) = corner, size
    across, along, _ = blank_rim_mm(recipe, slug, arrow_side)
    work = (x + across, y + along, x + width - across, y + height - along)
    lead = max(0.0, recipe.tail_margin_mm - recipe.head_margin_mm)
    where = Where(width, "the blank", lead_mm=lead, sheet_mm=height)
    return plan_frame(work, width, recipe, reach, frame_code, slug, where, arrow_side=arrow_side)


def before_mm(spare: float, where: Where) -> float:
    """What stays free before a frame whose sheet is longer than it needs by `spare`."""
    return spare * SHARE_BEFORE[where.along] + (0.0 if where.along == "tail" else where.lead_mm)


def length_on_sheet(length: float, where: Where, words: str) -> float:
    """The length of a frame: that of its sheet, where it lies on one. Raises JobError, which begins with `words`."""
    if where.sheet_mm is None:
        return length
    if length > where.sheet_mm + 1e-6:
        raise JobError(
            f"{words}; the sheet is {where.sheet_mm:.0f} mm long.",
            "length of the run",
            "Use longer sheets, or nest again.",
        )
    return where.sheet_mm


@dataclass(frozen=True)
class _Row:
    """The head row is one line: corner, arrow, middle mark, code, slug, corner; with the arrow on the right corner,
    slug, middle mark, code, arrow, corner; the tail row has the strip on the left. Where the code begins from the
    middle and what stands beside it, how wide the rows have to be for the first word of the slug and the shortest
    strip, and how far both keep from marks."""

    slug: str
    code_at: float
    past_code: float
    needs: float
    aside: float
    arrow_side: Side

    @classmethod
    def of(cls, recipe: MarkRecipe, slug: str, with_strip: bool = False, arrow_side: Side = "left") -> "_Row":
        quiet = quiet_modules(recipe.code)[0] * recipe.code_module_mm
        beside = max(BESIDE_MM, quiet)
        code_at = recipe.out_mm + beside
        past_code = code_at + code_size_mm(recipe.code, recipe.code_module_mm)[0] + beside
        least = slug_width_mm(slug.split(" ")[0])
        aside = recipe.out_mm + BESIDE_MM
        if arrow_side == "left":
            half = past_code + least + BESIDE_MM
        else:
            half = max(past_code + ARROW_WIDTH_MM + BESIDE_MM, least + 2 * aside)
        if with_strip:
            half = max(half, least_width_mm() + 2 * aside)
        return cls(slug, code_at, past_code, 2 * half, aside, arrow_side)

    def places(self, left: float, right: float) -> tuple[float, float, float]:
        """Where the arrow begins, and where the slug begins and its room ends, between the marks at both sides."""
        middle = (left + right) / 2
        if self.arrow_side == "left":
            return left + self.aside, middle + self.past_code, right - self.aside
        return right - self.aside - ARROW_WIDTH_MM, left + self.aside, middle - self.aside

    def slug_within(self, room_mm: float) -> str:
        """As much of the slug as has room."""
        fit = int((room_mm + 1e-6) // slug_width_mm("0"))
        return self.slug[: max(fit, len(self.slug.split(" ")[0]))].rstrip()


def _sides(width: float, stock_width_mm: float, recipe: MarkRecipe, where: Where) -> tuple[float, float]:
    """The middles of the left and the right marks round something `width` wide. Raises JobError."""
    taken = width + 2 * beside_work_mm(recipe)
    usable = usable_mm(stock_width_mm, where)
    if taken > usable + PLACES_MM:
        raise JobError(
            f"Work and marks need {taken:.0f} mm across; {where.narrowest} leaves {usable:.0f} mm.",
            "width of the run",
            "Use a wider stock or machine, smaller marks, or nest again.",
        )
    if recipe.place == "stock":
        left, right = recipe.inset_mm, stock_width_mm - recipe.inset_mm
        if recipe.inset_mm < recipe.out_mm - 1e-6:
            raise JobError(
                f"Marks {recipe.inset_mm:.1f} mm inside the edge would leave the stock with their clear zone; they "
                f"need {recipe.out_mm:.1f} mm.",
                "mark set",
                "Raise the inset, or make marks or clear zone smaller.",
            )
        aside = recipe.out_mm + recipe.aside_mm
        if width + 2 * aside > right - left + PLACES_MM:
            raise JobError(
                f"The work is {width:.0f} mm wide; marks {recipe.inset_mm:.0f} mm inside the stock leave "
                f"{right - left - 2 * aside:.0f} mm between them.",
                "width of the run",
                "Lower the inset, use a wider stock, or nest again.",
            )
    else:
        centre = stock_width_mm / 2 if where.from_edge_mm is None else where.from_edge_mm + taken / 2
        if where.side == "right":
            centre = stock_width_mm - centre
        aside = width / 2 + recipe.aside_mm + recipe.out_mm
        left, right = centre - aside, centre + aside
    if min(left, stock_width_mm - right) < recipe.cutter_edge_mm - 1e-6:
        raise JobError(
            f"The cutter reads marks from {recipe.cutter_edge_mm:.0f} mm inside the edge of the stock; these stand "
            f"{min(left, stock_width_mm - right):.0f} mm inside.",
            "marks",
            "Nest narrower, or choose another mark set or cutter.",
        )
    return left, right


def _middle_of_work(
    width: float, marks: tuple[float, float], stock_width_mm: float, recipe: MarkRecipe, where: Where
) -> float:
    """Midway between the marks; where these stay at the edges of the stock, as near to the edge as is asked for."""
    left, right = marks
    if recipe.place != "stock" or where.from_edge_mm is None:
        return (left + right) / 2
    inside = recipe.out_mm + recipe.aside_mm
    asked = where.from_edge_mm + beside_work_mm(recipe) + width / 2
    if where.side == "right":
        asked = stock_width_mm - asked
    return min(max(asked, left + inside + width / 2), right - inside - width / 2)


def _marks(across: tuple[float, float, float], rows: tuple[float, float], recipe: MarkRecipe) -> tuple[Mark, ...]:
    """The first four are the corners: near right, near left, far right, far left; two marks stand in opposite corners.
    With "more": the middles of head and tail, and between the corners of each side one mark or more, as near as the
    recipe asks, unless the frame is so short that their clear zones would meet."""
    (left, centre, right), (head, tail) = across, rows
    corners = [(right, head), (left, head), (right, tail), (left, tail)]
    if recipe.count == "none":
        return ()
    if recipe.count == "2":
        marks = [corners[0], corners[3]]
    elif recipe.count in ("3", "4"):
        marks = corners[: int(recipe.count)]
    else:
        marks = [*corners, (centre, head), (centre, tail)]
        between = max(1, -int(-(tail - head) // recipe.spacing_mm) - 1)
        if (tail - head) / (between + 1) < 2 * recipe.out_mm:
            between = 0
        for step in range(1, between + 1):
            y = head + (tail - head) * step / (between + 1)
            marks += [(left, y), (right, y)]
    return tuple(Mark(f"m{number + 1}", x, y) for number, (x, y) in enumerate(marks))


def refuse_beyond_reach(across: float, along: float, reach: Reach) -> None:
    """Raises JobError when marks lie further apart, in mm, than the cutter reads."""
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
