"""Run: gather designs and counts on one stock, nest them, put marks and codes round them."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from decimal import Decimal
from typing import Any

from shapely import affinity
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.frames import FramePlan
from etiquette.core.planning.bed_plans import Bed, BedWish, bed_of
from etiquette.core.planning.problem import Piece, Placement, Problem, Turning, placed_outline
from etiquette.core.planning.weeding import Stroke
from etiquette.core.production.frames import Box, RunEquipment, frame_plan, placed_on, weed_strokes, work_of
from etiquette.files.contracts import LayoutFile
from etiquette.files.documents.runs import RunDocument, RunItem
from etiquette.stations import edits, lines
from etiquette.stations.designs import DesignState, states_of
from etiquette.stations.kits import Kit, kit_of, room_mm, where_of
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Design, Frame, Laminator, MarkSet, Printer, PrintMode, Roll, Run, Stock

TURNINGS: dict[str, Turning] = {
    "quarter": (0.0, 90.0, 180.0, 270.0),
    "half": (0.0, 180.0),
    "none": (0.0,),
    "free": "free",
}
STRICTNESS = ("free", "quarter", "half", "none")
MONEY = Decimal("0.01")


@dataclass(frozen=True)
class Figures:
    """What a layout costs and uses; lengths in mm."""

    length_mm: float
    used_share: float
    pieces: int
    per_metre: float
    waste_m2: float
    stock_cost: Decimal
    each_cost: Decimal
    currency: str


@dataclass(frozen=True)
class RunState:
    """A run as a screen shows it; `plans`, one a frame, is empty and `figures` None until it is nested."""

    run: Run
    document: RunDocument
    kit: Kit
    designs: dict[int, DesignState]
    key: str
    fresh: bool
    plans: tuple[FramePlan, ...]
    figures: Figures | None
    trouble: JobError | None
    undo: str | None
    redo: str | None

    @property
    def stock(self) -> Stock:
        return self.kit.stock

    @property
    def roll(self) -> Roll:
        return self.kit.roll

    @property
    def cutter(self) -> Cutter:
        return self.kit.cutter

    @property
    def mark_set(self) -> MarkSet:
        return self.kit.mark_set


def create(session: Session, name: str, items: list[dict[str, int]]) -> int:
    """A run on the first stock with a roll that fits. Raises JobError when the Shelf lacks something."""
    roll = session.scalar(select(Roll).order_by(Roll.remaining_mm.desc()).limit(1))
    cutter, marks = session.scalar(select(Cutter).limit(1)), session.scalar(select(MarkSet).limit(1))
    printer, laminator = session.scalar(select(Printer).limit(1)), session.scalar(select(Laminator).limit(1))
    if roll is None or cutter is None or marks is None:
        raise JobError("There is no roll, cutter or mark set yet.", "Shelf", "Add one on the Shelf first.")
    document = RunDocument(
        name=name,
        stock_id=roll.stock_id,
        roll_id=roll.id,
        printer_id=printer.id if printer else None,
        laminator_id=laminator.id if laminator else None,
        cutter_id=cutter.id,
        mark_set_id=marks.id,
        print_mode_id=_mode_for(session, roll.stock_id, printer.id if printer else None),
        items=[RunItem(**item) for item in items],
    )
    _refuse_strangers(session, document)
    run = Run(document=document)
    session.add(run)
    session.flush()
    give_code(session, run.id, 1)
    return run.id


def _mode_for(session: Session, stock_id: int, printer_id: int | None) -> int | None:
    """The first mode of this printer on this stock."""
    of_both = select(PrintMode.id).where(PrintMode.stock_id == stock_id, PrintMode.printer_id == printer_id)
    return session.scalar(of_both.order_by(PrintMode.id).limit(1))


def give_code(session: Session, run_id: int, number: int) -> None:
    """A frame code that no other frame of this shop ever had; a frame that has one keeps it."""
    if session.scalar(select(Frame.id).where(Frame.run_id == run_id, Frame.number == number)):
        return
    while True:
        try:
            with session.begin_nested():
                session.add(Frame(run_id=run_id, number=number, code=new_code()))
            return
        except IntegrityError:
            continue


def change(session: Session, run_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit of a run. Raises JobError, Stale. A layout that still fits after a change of stock or machines stays as it
    is, and its marks are laid anew."""
    run = edits.locked(session, "run", run_id)
    if {"layout", "layout_key", "kept"} & set(changes):
        raise JobError("A layout is made by nesting.", "layout", "Press Nest again.")
    if "stock_id" in changes and "roll_id" not in changes:
        roll = session.scalar(
            select(Roll).where(Roll.stock_id == changes["stock_id"]).order_by(Roll.remaining_mm.desc()).limit(1)
        )
        if roll is None:
            raise JobError(
                "There is no roll of this stock.", "stock", "Add a roll on the Shelf, or choose another stock."
            )
        changes = {**changes, "roll_id": roll.id}
    if {"stock_id", "printer_id"} & set(changes) and "print_mode_id" not in changes:
        stock_id = changes.get("stock_id", run.document.stock_id)
        printer_id = changes.get("printer_id", run.document.printer_id)
        changes = {**changes, "print_mode_id": _mode_for(session, stock_id, printer_id)}
    before, checked = run.document, run.document.changed(changes)
    _refuse_strangers(session, checked)
    now, clean = before.written(), checked.written()
    changed = {name: clean[name] for name in changes if clean[name] != now[name]}
    if (KIT_SETTINGS | {"way"}) & set(changed) and _still_fits(session, before, checked):
        changed["layout_key"] = _key(checked, kit_of(session, checked), _designs(session, checked))
    edits.apply(session, "run", run_id, revision, words, changed)


KIT_SETTINGS = {"stock_id", "printer_id", "laminator_id", "cutter_id", "mark_set_id", "start_across_mm", "start_along_mm", "sheet_mm"}  # fmt: skip


def _still_fits(session: Session, before: RunDocument, after: RunDocument) -> bool:
    """Whether the layout, made for the run as it was, has room on what the run is made on now."""
    layout = after.layout
    designs = _designs(session, before)
    if layout is None or before.layout_key != _key(before, kit_of(session, before), designs):
        return False
    old, kit = kit_of(session, before), kit_of(session, after)
    if kit.stock.width_mm > old.stock.width_mm:
        return False  # a wider stock is not bought to be left empty
    was, has = room_mm(before, old), room_mm(after, kit)
    if after.laying == "bed" or has[0] < was[0] - 1e-6:
        return has == was  # places on a bed, and work at the right edge, would move
    return has[1] >= was[1] - 1e-6


def _refuse_strangers(session: Session, document: RunDocument) -> None:
    for model, key in (
        (Stock, document.stock_id),
        (Roll, document.roll_id),
        (Printer, document.printer_id),
        (Laminator, document.laminator_id),
        (Cutter, document.cutter_id),
        (MarkSet, document.mark_set_id),
    ):
        if key is not None and session.get(model, key) is None:
            raise JobError(
                f"The {model.__tablename__.replace('_', ' ')} is not on the Shelf.", "run", "Choose one that is there."
            )
    mode = session.get(PrintMode, document.print_mode_id) if document.print_mode_id else None
    if document.print_mode_id and (
        mode is None or (mode.stock_id, mode.printer_id) != (document.stock_id, document.printer_id)
    ):
        raise JobError("This print mode is not one of this printer on this stock.", "print mode", "Choose one that is.")
    printer = session.get(Printer, document.printer_id) if document.printer_id else None
    if document.way != "print" and not (printer and printer.has_knife):
        raise JobError("This printer has no knife of its own.", "printer", "Choose one that has, or print for another cutter.")  # fmt: skip
    ids = [item.design_id for item in document.items]
    if len(ids) != len(set(ids)) or any(session.get(Design, key) is None for key in ids):
        raise JobError(
            "A design is not there, or stands twice in the run.",
            "designs",
            "Choose each design once and set its count.",
        )


def run_there(session: Session, run_id: int) -> Run:
    """Raises NotThere."""
    run = session.get(Run, run_id)
    if run is None:
        raise NotThere("There is no such run.", f"run {run_id}", "Go back to the Floor and choose one that is there.")
    return run


def all_runs(session: Session) -> list[Run]:
    """Newest first."""
    return list(session.scalars(select(Run).order_by(Run.id.desc())))


def _designs(session: Session, document: RunDocument) -> dict[int, DesignState]:
    return states_of(session, [item.design_id for item in document.items])


def state_of(shop: Shop, session: Session, run_id: int) -> RunState:
    """Raises NotThere."""
    return state_with(shop, session, run_id, {})


def state_with(shop: Shop, session: Session, run_id: int, changes: dict[str, Any]) -> RunState:
    """The run as it would be with `changes` in its document. Raises NotThere."""
    run = run_there(session, run_id)
    document = run.document.changed(changes) if changes else run.document
    kit, designs = kit_of(session, document), _designs(session, document)
    key = _key(document, kit, designs)
    plans: tuple[FramePlan, ...] = ()
    figures, trouble = None, None
    if document.layout and document.layout.placements and document.layout_key == key:
        try:
            pieces = pieces_of(shop, document, designs)
            plans = frame_plans(session, run, document, kit, designs, pieces)
            figures = _figures(document.layout, plans, kit.stock, pieces)
        except JobError as error:
            plans, trouble = (), error
    undo, redo = edits.history(session, "run", run_id)
    return RunState(run, document, kit, designs, key, document.layout_key == key, plans, figures, trouble, undo, redo)


def _key(document: RunDocument, kit: Kit, designs: dict[int, DesignState]) -> str:
    """Names everything a layout depends on."""
    how = {"grid": document.grid, "bed": document.bed}.get(document.laying)
    parts = [
        document.gap_mm,
        document.edge_mm,
        document.turning,
        [document.laying, how.model_dump() if how else None],
        [item.model_dump() for item in document.items],
        [document.start_across_mm, document.start_along_mm, document.sheet_mm],
        kit.stock.width_mm,
        kit.usable()[0],
        asdict(replace(kit.recipe, spacing_mm=0.0)),
        [kit.cutter.reach_across_mm, kit.cutter.reach_along_mm],
        [[state.lines_key, state.document.turning] for state in designs.values()],
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def key_of_run(state: RunState, document: RunDocument) -> str:
    """The key that the layout of `document` has: that of the run as it is now, with other settings."""
    return _key(document, state.kit, state.designs)


def pieces_of(shop: Shop, document: RunDocument, designs: dict[int, DesignState]) -> dict[str, Piece]:
    """The pieces of a run by design id. Raises JobError when a design has no line yet."""
    pieces = {}
    for item in document.items:
        state = designs[item.design_id]
        outline = lines.outline_of_design(shop, state)
        if outline is None:
            raise JobError(
                f"{state.document.name} has no line yet.", state.document.name, "Open it in Lines and find its edge."
            )
        strictest = max(document.turning, state.document.turning, key=STRICTNESS.index)
        pieces[str(item.design_id)] = Piece(str(item.design_id), outline, item.count, TURNINGS[strictest])
    return pieces


def longest_frame_mm(state: RunState) -> float:
    return room_mm(state.document, state.kit)[1]


def problem_of(state: RunState, pieces: tuple[Piece, ...]) -> Problem:
    """The nesting problem between the marks."""
    return Problem(
        width_mm=room_mm(state.document, state.kit)[0],
        length_mm=None,
        edge_mm=0.0,  # room to the marks is left round the work, wherever that ends
        gap_mm=state.document.gap_mm,
        pieces=pieces,
    )


def bed_wish(document: RunDocument) -> BedWish:
    return BedWish(**document.bed.model_dump())


def bed_for(document: RunDocument, kit: Kit) -> Bed:
    """The places of one frame, from the corner between its marks."""
    return bed_of(bed_wish(document), *room_mm(document, kit))


def _bed_end(document: RunDocument, top: float) -> float:
    """Where the last row of a bed ends that holds a piece which reaches up to `top`."""
    bed = document.bed
    row = int((top - bed.first_along_mm) // (bed.place_along_mm + bed.gap_along_mm))
    return bed.first_along_mm + row * (bed.place_along_mm + bed.gap_along_mm) + bed.place_along_mm


def frame_plans(
    session: Session,
    run: Run,
    document: RunDocument,
    kit: Kit,
    designs: dict[int, DesignState],
    pieces: dict[str, Piece],
) -> tuple[FramePlan, ...]:
    """Marks and codes round the work of every frame. Raises JobError when they have no room or the cutter cannot read
    that far."""
    assert document.layout is not None
    bounds: dict[int, list[Box]] = {}
    turned: dict[tuple[str, float], Box] = {}
    for placement in document.layout.to_placements():
        key = (placement.id, placement.rotation_deg)
        if key not in turned:
            turned[key] = affinity.rotate(pieces[placement.id].outline, placement.rotation_deg, origin=(0, 0)).bounds
        x0, y0, x1, y1 = turned[key]
        dx, dy = placement.x_mm, placement.y_mm
        bounds.setdefault(placement.sheet, []).append((x0 + dx, y0 + dy, x1 + dx, y1 + dy))
    codes = {frame.number: frame.code for frame in session.scalars(select(Frame).where(Frame.run_id == run.id))}
    customers = ", ".join(
        sorted({state.design.job.customer for state in designs.values() if state.design.job.customer})
    )
    words = (customers, f"{run.created_at:%Y-%m-%d}")
    equipment = RunEquipment(document.name, words, kit.stock.width_mm, kit.recipe, kit.reach)
    plans = []
    for sheet in sorted(bounds):
        work = work_of(bounds[sheet])
        if document.laying == "bed":  # the places stay where they are, however few are filled
            work = (0.0, 0.0, room_mm(document, kit)[0], _bed_end(document, work[3]))
        lead = document.start_along_mm if sheet == 0 or document.sheet_mm is not None else 0.0
        plans.append(frame_plan(equipment, sheet + 1, codes[sheet + 1], work, where_of(document, kit, lead)))
    return tuple(plans)


def weed_of_frame(state: RunState, pieces: dict[str, Piece], frame: int) -> list[Stroke]:
    """What helps weeding one frame (from 0), in the millimetres of its own print."""
    here = placements_on_frame(state.document, state.plans, frame)
    outlines = [placed_outline(pieces[one.id], one) for one in here]
    return weed_strokes(outlines, state.document.weed.to_wish(), state.mark_set.clear_mm)


def placements_on_frame(document: RunDocument, plans: Sequence[FramePlan], frame: int) -> list[Placement]:
    """Placements of one frame (from 0) in the millimetres of its own print: as nested, moved between its marks."""
    assert document.layout is not None
    return placed_on(plans[frame], [one for one in document.layout.to_placements() if one.sheet == frame])


def _figures(layout: LayoutFile, plans: Sequence[FramePlan], stock: Stock, pieces: dict[str, Piece]) -> Figures:
    area = sum(pieces[p.id].outline.area for p in layout.placements) / 1e6
    length = sum(plan.length_mm for plan in plans)
    whole = stock.width_mm * length / 1e6
    cost = (stock.price_m2 * Decimal(f"{whole:.6f}")).quantize(MONEY)
    count = len(layout.placements)
    return Figures(
        length_mm=length,
        used_share=area / whole,
        pieces=count,
        per_metre=count / (length / 1000),
        waste_m2=whole - area,
        stock_cost=cost,
        each_cost=(cost / count).quantize(Decimal("0.001")),
        currency=stock.currency,
    )
