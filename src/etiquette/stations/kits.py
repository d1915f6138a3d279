"""What a run is made on: stock, printer, laminator, cutter and marks, and the room that they leave between the
marks."""

from dataclasses import dataclass

from sqlalchemy import Integer, Select, bindparam, select
from sqlalchemy.orm import Session

from etiquette.core.marking.codes import COARSEST_DPI, module_mm
from etiquette.core.marking.frame_plans import Reach, Where
from etiquette.core.marking.frames import (
    INSIDE_STOCK_MM,
    longest_on_sheet_mm,
    longest_work_mm,
    printable_mm,
    usable_mm,
    width_between_marks_mm,
)
from etiquette.core.marking.marks import MarkRecipe, printed_past_mm
from etiquette.files.documents.runs import RunDocument, Way
from etiquette.store.models import ColourProfile, Cutter, Laminator, MarkSet, Printer, PrintMode, Roll, Stock

LONGEST_PRINT_MM = 10_000.0
"""A frame that no cutter has to read is no longer: a longer print is one that hands can hardly lift, and what is wrong
with it spoils all of it (a value of our own)."""
ROUNDING_MM = 0.01
"""Left free of the room, because places are rounded and hands are let off a hair."""


@dataclass(frozen=True)
class Kit:
    """What a run is made on."""

    stock: Stock
    roll: Roll
    printer: Printer | None
    laminator: Laminator | None
    cutter: Cutter | None
    mark_set: MarkSet | None
    bleed_mm: float
    inset_work_mm: float
    way: Way
    own: MarkRecipe | None = None
    """The marks of pages that bring their own."""
    mode: PrintMode | None = None
    profile: ColourProfile | None = None
    """Of the mode."""
    apart: bool = False
    """Blanks are frames of their own: the cutter reads those, and never the bed."""

    @property
    def stays(self) -> bool:
        """Whether the sheet is cut by the printer's own knife: it needs no marks."""
        return self.way == "both"

    @property
    def recipe(self) -> MarkRecipe:
        return self.own or self.of_set

    @property
    def of_set(self) -> MarkRecipe:
        """What the mark set of the run says, also where pages bring marks of their own: their codes are like this."""
        marks = self.mark_set
        dpi = self.printer.dpi if self.printer else COARSEST_DPI
        if marks is None:
            # no rollers of a cutter have to hold it: only the rim that printers leave is kept free
            return MarkRecipe(
                head_margin_mm=INSIDE_STOCK_MM,
                tail_margin_mm=INSIDE_STOCK_MM,
                count="none",
                code_module_mm=module_mm(MarkRecipe.code, dpi),
                bleed_mm=self.bleed_mm,
                inset_work_mm=self.inset_work_mm,
            )
        return MarkRecipe(
            marks.size_mm,
            marks.clear_mm,
            marks.spacing_mm,
            marks.head_margin_mm,
            marks.tail_margin_mm,
            marks.shape,  # type: ignore[arg-type]
            marks.stroke_mm,
            "none" if self.stays else marks.count,  # type: ignore[arg-type]
            marks.place,  # type: ignore[arg-type]
            marks.inset_mm,
            self.cutter.edge_mm if self.cutter else 0.0,
            marks.code,  # type: ignore[arg-type]
            module_mm(marks.code, dpi),  # type: ignore[arg-type]
            marks.ink,  # type: ignore[arg-type]
            self.bleed_mm,
            self.inset_work_mm,
        )

    @property
    def reach(self) -> Reach:
        if self.cutter is None:
            return Reach(self.stock.width_mm, LONGEST_PRINT_MM)
        return Reach(self.cutter.reach_across_mm, self.cutter.reach_along_mm)

    def usable(self) -> tuple[float, str]:
        """How much of the width of the stock may be used, marks and clear zones in it, and whose limit that is."""
        limits = [(printable_mm(self.stock.width_mm), self.stock.name)]
        if self.cutter and not self.apart:
            out_mm = self.recipe.out_mm
            limits.append((self.cutter.reach_across_mm + 2 * out_mm, self.cutter.name))
            limits.append((self.stock.width_mm - 2 * (self.cutter.edge_mm - out_mm), self.cutter.name))
        if self.printer:
            limits.append((self.printer.print_width_mm, self.printer.name))
        if self.laminator and not self.apart:
            limits.append((self.laminator.film_width_mm, self.laminator.name))
        return min(limits)


def _made_on() -> Select[Stock, Roll, Printer, Laminator, Cutter, MarkSet, PrintMode, ColourProfile]:
    """All in one statement, from one row of keys, put together once: what a run is made on is looked up for everything
    that is shown of it."""
    names = ("stock", "roll", "printer", "laminator", "cutter", "mark_set", "print_mode")
    keys = select(*(bindparam(name, type_=Integer).label(name) for name in names)).subquery()
    return (
        select(Stock, Roll, Printer, Laminator, Cutter, MarkSet, PrintMode, ColourProfile)
        .select_from(keys)
        .join(Stock, Stock.id == keys.c.stock)
        .join(Roll, Roll.id == keys.c.roll)
        .outerjoin(Printer, Printer.id == keys.c.printer)
        .outerjoin(Laminator, Laminator.id == keys.c.laminator)
        .outerjoin(Cutter, Cutter.id == keys.c.cutter)
        .outerjoin(MarkSet, MarkSet.id == keys.c.mark_set)
        .outerjoin(PrintMode, PrintMode.id == keys.c.print_mode)
        .outerjoin(ColourProfile, ColourProfile.id == PrintMode.colour_profile_id)
    )


_MADE_ON = _made_on()


def kit_of(session: Session, document: RunDocument) -> Kit:
    """What a run is made with, as the Shelf has it now."""
    is_cut = document.way != "only"
    is_carried = document.way in ("print", "cut")  # its frames stay as they are printed when its own printer cuts them
    keys = {
        "stock": document.stock_id,
        "roll": document.roll_id,
        "printer": document.printer_id or 0,
        "laminator": document.laminator_id or 0,
        "cutter": (is_carried and document.cutter_id) or 0,
        "mark_set": (is_cut and document.mark_set_id) or 0,
        "print_mode": document.print_mode_id or 0,
    }
    stock, roll, printer, laminator, cutter, mark_set, mode, profile = session.execute(_MADE_ON, keys).one()
    return Kit(
        stock,
        roll,
        printer,
        laminator if stock.takes_film else None,
        cutter,
        mark_set,
        printed_past_mm(document.gap_mm),
        document.edge_mm,
        document.way,
        mode=mode,
        profile=profile,
        apart=document.apart,
    )


def where_of(document: RunDocument, kit: Kit, lead_mm: float = 0.0) -> Where:
    """Where a frame may lie on the stock."""
    usable, narrowest = kit.usable()
    sever = kit.printer.sever_mm if kit.printer and document.sheet_mm is None else 0.0  # a sheet is cut off already
    across, side = document.start_across_mm, document.start_side
    return Where(usable, narrowest, across, lead_mm, document.sheet_mm, sever, side, document.along)


def room_mm(document: RunDocument, kit: Kit) -> tuple[float, float]:
    """How wide the work may be between the marks, and how long that of one frame; a little is left because places are
    rounded."""
    where = where_of(document, kit)
    if document.apart:
        longest = (document.sheet_mm or LONGEST_PRINT_MM) - document.start_along_mm
        return max(1.0, usable_mm(kit.stock.width_mm, where) - ROUNDING_MM), max(1.0, longest - ROUNDING_MM)
    width = width_between_marks_mm(kit.stock.width_mm, kit.recipe, where)
    longest = longest_work_mm(kit.recipe, kit.reach)
    if document.sheet_mm is not None:
        longest = min(longest, longest_on_sheet_mm(kit.recipe, document.sheet_mm, document.start_along_mm))
    return max(1.0, width - ROUNDING_MM), max(1.0, longest - ROUNDING_MM)


def bed_corner_mm(document: RunDocument, kit: Kit) -> tuple[float, float]:
    """Where the bed begins on the stock when its blanks are frames of their own, from the left and the near edge."""
    across, stock = room_mm(document, kit)[0], kit.stock.width_mm
    if document.start_across_mm is None:
        return (stock - across) / 2, document.start_along_mm
    left = document.start_side == "left"
    return document.start_across_mm if left else stock - document.start_across_mm - across, document.start_along_mm
