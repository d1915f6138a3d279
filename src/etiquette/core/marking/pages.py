"""Pages that bring their own marks: as they came, with a code of ours before and behind them or none."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from shapely import Polygon

from etiquette.core.errors import JobError
from etiquette.core.marking.codes import End, FrameCode, quiet_modules
from etiquette.core.marking.frame_plans import CodePlace, FramePlan, Mark, Reach, Side, Where, code_size_mm
from etiquette.core.marking.frames import (
    ARROW_LENGTH_MM,
    ARROW_WIDTH_MM,
    BESIDE_MM,
    CODE_TO_WORK_MM,
    INSIDE_STOCK_MM,
    PLACES_MM,
    before_mm,
    feed_arrow,
    length_on_sheet,
    refuse_beyond_reach,
)
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.slugs import SLUG_HEIGHT_MM, slug_width_mm


def plan_page(
    size_mm: tuple[float, float],
    marks: Sequence[tuple[float, float]],
    stock_width_mm: float,
    reach: Reach,
    frame_code: str,
    where: Where,
    beside: MarkRecipe | None = None,
    slug: str = "",
    arrow_side: Side = "left",
) -> FramePlan:
    """A page as wide and high as `size_mm` that brings its own `marks` (millimetres from its lower left corner): it and
    they stay as they are, in the middle of the stock or from the edge that `where` names. With `beside` a code of that
    mark set stands before and behind it, clear of the page, the feed arrow at `arrow_side` and `slug` in line with the
    first.

    Raises JobError when it is wider than may be used, or its marks lie further apart than the cutter reads.
    """
    width, height = size_mm
    usable = min(stock_width_mm, where.usable_mm + 2 * INSIDE_STOCK_MM)
    if width > usable + PLACES_MM:
        raise JobError(
            f"The page is {width:.0f} mm wide; {where.narrowest} leaves {usable:.0f} mm.",
            "width of the page",
            "Use a wider stock or machine, or make the page narrower in Lines.",
        )
    row = _code_row_mm(beside) if beside else 0.0
    margins = (beside.head_margin_mm, beside.tail_margin_mm) if beside else (0.0, 0.0)
    needs = where.lead_mm + sum(margins) + 2 * row + height + where.sever_mm
    length = length_on_sheet(needs, where, f"The page{' and its codes are' if beside else ' is'} {needs:.0f} mm long")
    low = before_mm(length - needs, where) + margins[0] + row
    left = (stock_width_mm - width) / 2 if where.from_edge_mm is None else where.from_edge_mm
    if where.side == "right":
        left = stock_width_mm - width - left
    shift = (left, low)
    places = [(x + left, y + low) for x, y in marks]
    across, along = np.ptp(np.array(places), axis=0) if places else (0.0, 0.0)
    refuse_beyond_reach(float(across), float(along), reach)
    bare = FramePlan(
        marks=tuple(Mark(f"m{number + 1}", x, y) for number, (x, y) in enumerate(places)),
        codes=(),
        arrow=Polygon(),
        slug="",
        slug_at=shift,
        shift=shift,
        width_mm=stock_width_mm,
        length_mm=length,
        work=(left, low, left + width, low + height),
        code=frame_code,
        own_marks=True,
    )
    return _with_codes(bare, beside, slug, (low - row, low + height + row), arrow_side) if beside else bare


def _code_row_mm(recipe: MarkRecipe) -> float:
    """How far a row that holds a code, and neither pieces nor marks, reaches from a page."""
    height = code_size_mm(recipe.code, recipe.code_module_mm)[1]
    quiet = quiet_modules(recipe.code)[1] * recipe.code_module_mm
    return max(height + quiet, ARROW_LENGTH_MM) + max(CODE_TO_WORK_MM, quiet)


def _with_codes(
    plan: FramePlan, recipe: MarkRecipe, slug: str, ends: tuple[float, float], arrow_side: Side
) -> FramePlan:
    """A page with a code before and behind it, each in the middle of its width, at the outer ends of their rows, the
    arrow and the slug on its sides. The slug is cut off where its room ends, after its first word at the earliest."""
    width, height = code_size_mm(recipe.code, recipe.code_module_mm)
    aside, above = (modules * recipe.code_module_mm for modules in quiet_modules(recipe.code))
    free = max(BESIDE_MM, aside)
    left, _, right, _ = plan.work
    x, first = (left + right - width) / 2, ends[0] + above
    arrow_x, slug_x, slug_end = x - free - ARROW_WIDTH_MM, x + width + free, right
    if arrow_side == "right":
        arrow_x, slug_x, slug_end = x + width + free, left, x - free
    fit = max(int((slug_end - slug_x + 1e-6) // slug_width_mm("0")), len(slug.split(" ")[0]))

    def code(end: End, y: float) -> CodePlace:
        return CodePlace(FrameCode(plan.code, end), x, y, recipe.code, recipe.code_module_mm)

    return replace(
        plan,
        codes=(code("head", first), code("tail", ends[1] - above - height)),
        arrow=feed_arrow(arrow_x, ends[0]),
        slug=slug[:fit].rstrip(),
        slug_at=(slug_x, first + (height - SLUG_HEIGHT_MM) / 2),
    )
