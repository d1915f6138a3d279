"""What is looked at before a run is sent: each a sentence, good, to look at, or standing in the way."""

from shapely import Polygon
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.costing.run_costs import Prices, RunCosts, Speed, run_costs
from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.codes import LEAST_CONTRAST, contrast
from etiquette.core.marking.marks import CANNOT_SHOW
from etiquette.core.marking.proofs import proof
from etiquette.core.planning.problem import Piece, placed_outline
from etiquette.core.units import MM_PER_INCH
from etiquette.stations import runs
from etiquette.stations.care import due_before_white
from etiquette.stations.copies import ranges_of
from etiquette.stations.designs import DesignState
from etiquette.stations.plate_sets import plates_of
from etiquette.stations.print.colour_checks import colour_checks
from etiquette.stations.print.layer_checks import layer_checks
from etiquette.stations.print.own_knife import knife_check
from etiquette.stations.print.reprints import reprint_checks
from etiquette.stations.print.tactile_checks import tactile_checks
from etiquette.stations.printed_ink import inked_creases
from etiquette.stations.run_needs import beyond_the_machines
from etiquette.stations.run_rolls import allotted, rolls_of
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.stations.what_lies import Check, PrinterTold, of_printer
from etiquette.store.models import Frame, Plate, PrintMode

LOW_DPI = 150.0
"""Below this a picture looks soft in the hand (common practice, no published source)."""
REFLECTANCE = {"white": 0.85, "clear": 0.65, "dark": 0.5}
"""What lies round marks and codes reflects: bare white stock, or one layer of white ink on stock that is clear or dark,
through which what is below shows (values of our own)."""
INK_REFLECTANCE = {"black": 0.06, "cyan": 0.2, "magenta": 0.15, "red": 0.12}
"""Of a full area of each ink of marks, in the light of the colour that it takes up best (values of our own); codes are
black."""


def preflight(shop: Shop, session: Session, state: RunState, told: PrinterTold | JobError) -> list[Check]:
    """In the order in which they would be looked at by hand. `told`: what the printer said."""
    if not state.plans:
        return [Check("stop", "The run is not nested as it is now")]
    mode = session.get(PrintMode, state.document.print_mode_id or 0)
    return [
        *of_printer(session, state, told),
        *_care(session, state),
        _roll(session, state),
        Check("good", f"{mode.name}: {mode.dpi:.0f} dots, {mode.passes} passes, "
f"{'both ways' if mode.two_way else 'one way'}") if mode else Check("look", "No print mode is chosen: time and ink "
"are not known"),
        *[Check("stop", words.removesuffix(".")) for words in beyond_the_machines(state)],
        *_marks(shop, session, state),
        *([knife] if (knife := knife_check(shop, session, state)) else []),
        *_art(state),
        *tactile_checks(shop, session, state),
        *_creases(shop, state),
        *layer_checks(state, [plate.summary for plate in plates_of(session, state)]),
        *reprint_checks(session, state),
        *_yes(state),
        *_rows(session, state),
        *colour_checks(state, [plate.summary for plate in plates_of(session, state)]),
    ]  # fmt: skip


def _care(session: Session, state: RunState) -> list[Check]:
    """White settles in its lines: what its printer wants before anything white stands in the way of a run with it."""
    has_white = any("white" in plate.summary.order for plate in plates_of(session, state))
    if not has_white or state.document.printer_id is None:
        return []
    dues = due_before_white(session, state.document.printer_id)
    return [Check("stop", f"{one.care.name} on {one.machine}: {one.why}", care=one.care.id) for one in dues]


def _rows(session: Session, state: RunState) -> list[Check]:
    """Copies that are filled from rows: which, and whether their codes say what they should."""
    notes = [plate.summary for plate in plates_of(session, state)] if state.rows else []
    rows = [row for note in notes for row in note.rows if row]
    if not rows:
        return []
    stretches = ranges_of(rows)
    named = ", ".join(f"{first}–{last}" if last > first else f"{first}" for first, last in stretches[:4])
    checks = [Check("good", f"{len(rows)} copies, each from its row: {named}{' …' if len(stretches) > 4 else ''}")]
    read = [note.codes for note in notes if note.codes]
    there, looked = sum(one.there for one in read), sum(one.looked for one in read)
    if wrong := sum(one.unread_count for one in read):
        first = ", ".join(str(row) for one in read for row in one.unread[:5])
        words = (
            f"{wrong} of {looked} codes cannot be read from the print file: rows {first}. Make them larger, or white "
        )
        checks.append(Check("stop", f"{words}under them"))
    elif there:
        how = f"All {there} codes were" if looked == there else f"{looked} of {there} codes were"
        checks.append(Check("good", f"{how} read back from the print file, and say what they should"))
    return checks


def _yes(state: RunState) -> list[Check]:
    """A customer who was asked has to say yes to what is printed."""
    jobs = {design.design.job for design in state.designs.values()}
    words = {"asked": "waits for its customer's yes", "changed": "was changed since its customer's yes"}
    return [Check("look", f"{job.name} {words[job.yes]}") for job in sorted(jobs, key=lambda one: one.id)
            if job.yes in words]  # fmt: skip


def _roll(session: Session, state: RunState) -> Check:
    lengths = [plan.takes_mm for plan in state.plans]
    longest, whole = max(lengths), sum(lengths)
    left = state.roll.remaining_mm
    rolls = [one for one in allotted(rolls_of(session, state.document), lengths) if one.frames]
    if state.document.more_rolls and sum(len(one.frames) for one in rolls) == len(lengths):
        words = " · ".join(f"{_frames(one.frames)} on {one.roll.name}" for one in rolls)
        lots = {one.roll.lot for one in rolls}
        if len(lots) > 1:
            return Check("look", f"{words}: rolls of different lots, colours may differ")
        return Check("good", words)
    if longest > left:
        return Check("stop", f"{state.roll.name} has {left / 1000:.1f} m left; a frame needs {longest / 1000:.2f} m")
    if whole > left:
        return Check("look", f"{state.roll.name} has {left / 1000:.1f} m left: not enough for all frames")
    return Check("good", f"{state.roll.name} has {left / 1000:.1f} m left, the run takes {whole / 1000:.2f} m")


def _frames(numbers: tuple[int, ...]) -> str:
    """Frames that follow each other, in words."""
    return f"frame {numbers[0]}" if len(numbers) == 1 else f"frames {numbers[0]}–{numbers[-1]}"


def _marks(shop: Shop, session: Session, state: RunState) -> list[Check]:
    recipe, checks = state.kit.recipe, []
    if state.document.laying == "page":
        as_they_came = Check("good", "Pages as they came: their own marks stay where they are, none is printed again")
        unsaid = "Without a code nothing but what you say tells this sheet from another, and head from tail"
        return [as_they_came, *(_codes(session, state) if state.document.page_codes else [Check("look", unsaid)])]
    pieces = runs.pieces_of(shop, state.document, state.designs)
    printed: dict[str, Polygon] = {name: offset(piece.outline, recipe.bleed_mm) for name, piece in pieces.items()}
    clips = {name: Piece(name, shape, 1, (0.0,)) for name, shape in printed.items()}
    for number, plan in enumerate(state.plans):
        here = runs.placements_on_frame(state.document, state.plans, number)
        faults = proof(plan, recipe, [placed_outline(clips[one.id], one) for one in here])
        checks += [Check("stop", f"Frame {number + 1}: {fault}") for fault in faults]
    if not checks:
        checks.append(Check("good", "Marks and codes inside the stock, clear of every piece and its bleed"))
    checks += _codes(session, state)
    around = REFLECTANCE[state.stock.ground]
    for what, ink in (("Marks", recipe.ink), ("Codes", "black")):
        if contrast(INK_REFLECTANCE[ink], around) < LEAST_CONTRAST:
            checks.append(
                Check(
                    "stop",
                    f"{what} in {ink} show too little on this stock: choose black marks, or print a second layer of "
                    "white",
                )
            )
    if state.stock.ground != "white":
        checks.append(Check("good", f"White patches under marks and codes: the stock is {state.stock.ground}"))
    if state.stock.primer:
        checks.append(Check("good", "Primer under all that is printed, marks and codes too"))
    if state.kit.way == "only":
        checks.append(Check("good", "Only printed: no marks, and no lines for a cutter"))
    if state.kit.stays:
        checks.append(Check("good", "Cut by the printer's own knife: no marks are printed"))
    if CANNOT_SHOW[recipe.count]:
        checks.append(Check("look", CANNOT_SHOW[recipe.count]))
    return checks


def _codes(session: Session, state: RunState) -> list[Check]:
    codes = [plan.code for plan in state.plans]
    known = session.scalar(select(func.count()).select_from(Frame).where(Frame.code.in_(codes)))
    if known == len(set(codes)) == len(codes):
        return [Check("good", "Codes used nowhere else: " + ", ".join(codes))]
    return [Check("stop", "A frame code is not unique")]


def _creases(shop: Shop, state: RunState) -> list[Check]:
    """Ink that cannot bend cracks where it is folded."""
    printer = state.kit.printer
    if printer is None or printer.ink_bends:
        return []
    found = {one.document.name: len(inked_creases(shop, one)) for one in state.designs.values()}
    named = ", ".join(f"{name} ({count})" for name, count in found.items() if count)
    return (
        [Check("look", f"The ink of {printer.name} cracks where it is folded, and lies on creases: {named}")]
        if named
        else []
    )


def _art(state: RunState) -> list[Check]:
    low, short, fonts, glass = [], [], [], []
    for design in state.designs.values():
        name = design.document.name
        dpi = _dpi(design)
        if dpi is not None and dpi < LOW_DPI:
            low.append(f"{name} ({dpi:.0f})")
        bleed = design.lines.summary.bleed if design.lines else None
        if bleed and bleed.short_mm > 0.5 and design.document.tile is None:  # a tile ends at its seam
            short.append(f"{name} ({bleed.short_mm:.0f} mm of its line)")
        caught = design.lines.summary.caught if design.lines else None
        fonts += [f"{name} ({', '.join(caught.fonts_lacking[:3])})"] if caught and caught.fonts_lacking else []
        glass += [name] if caught and caught.glass else []
    return [
        Check("look", f"Coarse pictures, dots an inch: {', '.join(low)}")
        if low
        else Check("good", f"Every picture has {LOW_DPI:.0f} dots an inch or more"),
        Check("look", f"Bleed is short: {', '.join(short)}")
        if short
        else Check("good", "Print reaches past every line"),
        Check("look", f"Fonts are not in the file: {', '.join(fonts)}. Text may come out in another one")
        if fonts
        else Check("good", "All fonts are in the files"),
        Check("good", f"Transparency is left to the printer: {', '.join(glass)}")
        if glass
        else Check("good", "No transparency in vector art"),
    ]


def _dpi(design: DesignState) -> float | None:
    width = design.document.width_mm
    return design.art.width_px / width * MM_PER_INCH if design.art.form == "picture" and width else None


def costs_of(session: Session, state: RunState, plates: list[Plate]) -> RunCosts | None:
    """What the run takes, once its plates are made and a print mode is chosen."""
    mode = session.get(PrintMode, state.document.print_mode_id or 0)
    return costs_in(state, plates, mode) if mode else None


def costs_in(state: RunState, plates: list[Plate], mode: PrintMode) -> RunCosts | None:
    """The same in a mode of its printer on its stock; None without plates."""
    if not plates:
        return None
    frames = [(one.summary.plan.width_mm * one.summary.plan.length_mm / 1e6, one.summary.inks) for one in plates]
    laminator, printer = state.kit.laminator, state.kit.printer
    prices = Prices(
        state.stock.price_m2,
        laminator.film_price_m2 if laminator and not state.kit.stays else None,
        printer.ink_price_ml if printer else runs.MONEY * 0,
    )
    return run_costs(frames, sum(one.summary.pieces for one in plates), prices, Speed(mode.m2_per_hour, mode.ink_ml_m2))
