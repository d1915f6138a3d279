"""Run: gather designs and counts on one stock, nest them, put marks and codes round them."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any, Literal

import numpy as np
import shapely
from pydantic import BaseModel, ConfigDict, Field
from shapely import Polygon
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import polygons_of
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.frames import FramePlan, MarkRecipe, Reach, longest_work_mm, plan_frame, side_space_mm
from etiquette.core.planning.framing import nest_in_frames
from etiquette.core.planning.grids import GridWish, grid
from etiquette.core.planning.problem import Piece, Placement, Problem, Turning, placed_outline
from etiquette.files.contracts import LayoutFile
from etiquette.files.lines_svg import LinesFile
from etiquette.stations import edits, lines
from etiquette.stations.designs import DesignState
from etiquette.stations.designs import state_of as state_of_design
from etiquette.stations.edits import NotThere
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Design, Frame, MarkSet, Roll, Run, Stock
from etiquette.work.tasks import Outcome, Report

TURNINGS: dict[str, Turning] = {
    "quarter": (0.0, 90.0, 180.0, 270.0),
    "half": (0.0, 180.0),
    "none": (0.0,),
    "free": "free",
}
STRICTNESS = ("free", "quarter", "half", "none")
ROUNDING_MM = 0.01
MONEY = Decimal("0.01")


class RunItem(BaseModel):
    model_config = ConfigDict(extra="forbid")
    design_id: int
    count: int = Field(ge=1, le=10_000)


class GridDocument(BaseModel):
    """How pieces stand in a straight grid; `columns` None: as many as fit."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    columns: int | None = Field(default=None, ge=1, le=1000)
    gap_across_mm: float = Field(default=2.0, ge=0, le=200)
    gap_along_mm: float = Field(default=2.0, ge=0, le=200)
    place: Literal["centred", "from the edge"] = "centred"
    staggered: bool = False
    rotation_deg: Literal[0, 90, 180, 270] = 0


class RunDocument(BaseModel):
    """The settings of a run that are edited, and its layout with the key of what it was nested from."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    stock_id: int
    roll_id: int
    cutter_id: int
    mark_set_id: int
    gap_mm: float = Field(default=2.0, ge=0, le=100)
    edge_mm: float = Field(default=0.0, ge=0, le=500)
    turning: Literal["quarter", "half", "none", "free"] = "quarter"
    seconds: float = Field(default=5.0, ge=0.5, le=600)
    items: list[RunItem] = []
    laying: Literal["nest", "grid"] = "nest"
    grid: GridDocument = GridDocument()
    pinned: list[str] = Field(default=[], max_length=10_000)
    """Pieces (design-copy) that nesting leaves where they are."""
    layout: LayoutFile | None = None
    layout_key: str | None = None


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
    stock: Stock
    roll: Roll
    cutter: Cutter
    mark_set: MarkSet
    designs: dict[int, DesignState]
    key: str
    fresh: bool
    plans: tuple[FramePlan, ...]
    figures: Figures | None
    trouble: JobError | None
    undo: str | None
    redo: str | None


def create(session: Session, name: str, items: list[dict[str, int]]) -> int:
    """A run on the first stock with a roll that fits. Raises JobError when the Shelf lacks something."""
    roll = session.scalar(select(Roll).order_by(Roll.remaining_mm.desc()).limit(1))
    cutter, marks = session.scalar(select(Cutter).limit(1)), session.scalar(select(MarkSet).limit(1))
    if roll is None or cutter is None or marks is None:
        raise JobError("There is no roll, cutter or mark set yet.", "Shelf", "Add one on the Shelf first.")
    document = RunDocument(
        name=name,
        stock_id=roll.stock_id,
        roll_id=roll.id,
        cutter_id=cutter.id,
        mark_set_id=marks.id,
        items=[RunItem(**item) for item in items],
    )
    run = Run(document=document.model_dump(mode="json", by_alias=True))
    session.add(run)
    session.flush()
    _give_code(session, run.id, 1)
    return run.id


def _give_code(session: Session, run_id: int, number: int) -> None:
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
    """One edit of a run. Raises JobError, Stale."""
    run = edits.locked(session, "run", run_id)
    if "layout" in changes or "layout_key" in changes:
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
    checked = RunDocument(**{**run.document, **changes})
    _refuse_strangers(session, checked)
    clean = checked.model_dump(mode="json", by_alias=True)
    edits.apply(
        session,
        "run",
        run_id,
        revision,
        words,
        {name: clean[name] for name in changes if clean[name] != run.document.get(name)},
    )


def _refuse_strangers(session: Session, document: RunDocument) -> None:
    for model, key in (
        (Stock, document.stock_id),
        (Roll, document.roll_id),
        (Cutter, document.cutter_id),
        (MarkSet, document.mark_set_id),
    ):
        if session.get(model, key) is None:
            raise JobError(
                f"The {model.__tablename__.replace('_', ' ')} is not on the Shelf.", "run", "Choose one that is there."
            )
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


def state_of(shop: Shop, session: Session, run_id: int) -> RunState:
    """Raises NotThere."""
    run = run_there(session, run_id)
    document = RunDocument(**run.document)
    stock, roll = session.get_one(Stock, document.stock_id), session.get_one(Roll, document.roll_id)
    cutter, marks = session.get_one(Cutter, document.cutter_id), session.get_one(MarkSet, document.mark_set_id)
    designs = {item.design_id: state_of_design(session, item.design_id) for item in document.items}
    key = _key(document, stock, marks, cutter, designs)
    plans: tuple[FramePlan, ...] = ()
    figures, trouble = None, None
    if document.layout and document.layout.placements and document.layout_key == key:
        try:
            plans = frame_plans(shop, session, run_id, document, stock, marks, cutter, designs)
            figures = _figures(document.layout, plans, stock, pieces_of(shop, document, designs))
        except JobError as error:
            plans, trouble = (), error
    undo, redo = edits.history(session, "run", run_id)
    return RunState(
        run,
        document,
        stock,
        roll,
        cutter,
        marks,
        designs,
        key,
        document.layout_key == key,
        plans,
        figures,
        trouble,
        undo,
        redo,
    )


def _key(document: RunDocument, stock: Stock, marks: MarkSet, cutter: Cutter, designs: dict[int, DesignState]) -> str:
    """Names everything a layout depends on."""
    parts = [
        document.gap_mm,
        document.edge_mm,
        document.turning,
        [document.laying, document.grid.model_dump() if document.laying == "grid" else None],
        [item.model_dump() for item in document.items],
        stock.width_mm,
        [marks.diameter_mm, marks.clear_mm, marks.head_margin_mm, marks.tail_margin_mm],
        [cutter.reach_across_mm, cutter.reach_along_mm],
        [[state.lines_key, state.document.turning] for state in designs.values()],
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def key_of_run(state: RunState, document: RunDocument) -> str:
    """The key that the layout of `document` has: that of the run as it is now, with other settings."""
    return _key(document, state.stock, state.mark_set, state.cutter, state.designs)


def recipe_of(marks: MarkSet) -> MarkRecipe:
    return MarkRecipe(marks.diameter_mm, marks.clear_mm, marks.spacing_mm, marks.head_margin_mm, marks.tail_margin_mm)


def outline_of(file: LinesFile) -> Polygon:
    """What a design takes on the stock: the hull of islands if it has several, else its outermost line."""
    rings = [Polygon(line.path.flatten(0.02)) for line in file.lines if line.path.closed]
    if not rings:  # loose strokes only: the piece is what they span
        rings = [
            shapely.MultiPoint(np.vstack([line.path.flatten(0.02) for line in file.lines])).convex_hull.buffer(0.1)
        ]
    whole = shapely.union_all([ring.buffer(0) for ring in rings])
    parts = polygons_of(whole)
    outline = parts[0] if len(parts) == 1 else whole.convex_hull
    return Polygon(Polygon(outline.exterior).simplify(0.03).exterior)


def pieces_of(shop: Shop, document: RunDocument, designs: dict[int, DesignState]) -> dict[str, Piece]:
    """The pieces of a run by design id. Raises JobError when a design has no line yet."""
    pieces = {}
    for item in document.items:
        state = designs[item.design_id]
        file = lines.lines_of(shop, state)
        if file is None:
            raise JobError(
                f"{state.document.name} has no line yet.", state.document.name, "Open it in Lines and find its edge."
            )
        strictest = max(document.turning, state.document.turning, key=STRICTNESS.index)
        pieces[str(item.design_id)] = Piece(str(item.design_id), outline_of(file), item.count, TURNINGS[strictest])
    return pieces


def nest_run(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: nest the run as it is now; published as one edit if nobody changed the run meanwhile."""
    run_id = arguments["run_id"]
    state = shop.database.within(lambda session: state_of(shop, session, run_id))
    if not state.document.items:
        raise JobError("There are no designs in this run.", state.document.name, "Press A and add some.")
    for number, design in enumerate(state.designs.values()):
        if design.lines is None:
            report(0.02 * number, f"Finding the edge of {design.document.name}")
            found = lines.find_lines(shop, {"design_id": design.design.id}, lambda *_: True)
            shop.database.within(lambda session, found=found: found.publish(session) if found.publish else None)
    state = shop.database.within(lambda session: state_of(shop, session, run_id))
    pieces = pieces_of(shop, state.document, state.designs)
    grid_wanted = state.document.laying == "grid"
    pinned = () if grid_wanted else _pinned(state, pieces)
    problem = replace(
        problem_of(state, tuple(pieces.values())),
        seconds=None if arguments.get("steps") else state.document.seconds,
        steps=arguments.get("steps"),
        seed=arguments.get("seed", 1),
        pinned=pinned,
    )
    longest = longest_frame_mm(state)
    if grid_wanted:
        layout = grid(problem, GridWish(**state.document.grid.model_dump()), longest)
    else:
        layout = nest_in_frames(problem, longest, lambda share, words: report(0.05 + 0.95 * share, words))
    file = LayoutFile.of(layout)

    def publish(session: Session) -> dict[str, Any]:
        current = state_of(shop, session, run_id)
        if current.key != state.key:
            raise JobError(
                "The run was changed while it was being nested.",
                state.document.name,
                "Press N to nest it as it is now.",
            )
        for number in {placement.sheet + 1 for placement in layout.placements}:
            _give_code(session, run_id, number)
        places = {(p.id, p.x_mm, p.y_mm, p.rotation_deg) for p in pinned}
        still = [f"{p.id}-{p.copy}" for p in layout.placements if (p.id, p.x_mm, p.y_mm, p.rotation_deg) in places]
        changes = {
            "layout": file.model_dump(mode="json", by_alias=True),
            "layout_key": state.key,
            "pinned": sorted(still),
        }
        row = edits.apply(session, "run", run_id, None, "grid" if grid_wanted else "nest", changes)
        return {"revision": row.revision}

    return Outcome(
        {"run_id": run_id, "length_mm": file.length_mm, "unplaced": sum(u.count for u in file.unplaced)}, publish
    )


def _pinned(state: RunState, pieces: dict[str, Piece]) -> tuple[Placement, ...]:
    """The pinned pieces where they lie, as many of each design as are wanted at all."""
    layout = state.document.layout
    held = set(state.document.pinned)
    kept: list[Placement] = []
    for one in layout.to_placements() if layout else []:
        piece = pieces.get(one.id)
        if piece and f"{one.id}-{one.copy}" in held and sum(other.id == one.id for other in kept) < piece.count:
            kept.append(one)
    return tuple(kept)


def longest_frame_mm(state: RunState) -> float:
    """The longest work of one frame; a little is left because places are rounded."""
    reach = Reach(state.cutter.reach_across_mm, state.cutter.reach_along_mm)
    return longest_work_mm(recipe_of(state.mark_set), reach) - ROUNDING_MM


def problem_of(state: RunState, pieces: tuple[Piece, ...]) -> Problem:
    """The nesting problem between the marks."""
    recipe = recipe_of(state.mark_set)
    between_marks = recipe.diameter_mm + 2 * recipe.clear_mm
    width = min(state.stock.width_mm - 2 * side_space_mm(recipe), state.cutter.reach_across_mm - between_marks)
    return Problem(
        width_mm=width,
        length_mm=None,
        edge_mm=state.document.edge_mm,
        gap_mm=state.document.gap_mm,
        pieces=pieces,
    )


def frame_plans(
    shop: Shop,
    session: Session,
    run_id: int,
    document: RunDocument,
    stock: Stock,
    marks: MarkSet,
    cutter: Cutter,
    designs: dict[int, DesignState],
) -> tuple[FramePlan, ...]:
    """Marks and codes round the work of every frame. Raises JobError when they have no room or the cutter cannot read
    that far."""
    assert document.layout is not None
    pieces = pieces_of(shop, document, designs)
    bounds: dict[int, list[tuple[float, float, float, float]]] = {}
    for placement in document.layout.to_placements():
        bounds.setdefault(placement.sheet, []).append(placed_outline(pieces[placement.id], placement).bounds)
    codes = {frame.number: frame.code for frame in session.scalars(select(Frame).where(Frame.run_id == run_id))}
    plans = []
    for sheet in sorted(bounds):
        every = np.array(bounds[sheet])
        work = (*every[:, :2].min(axis=0).tolist(), *every[:, 2:].max(axis=0).tolist())
        code = codes[sheet + 1]
        slug = f"{code}-{sheet + 1} {document.name}"[:34]
        plans.append(plan_frame(work, stock.width_mm, recipe_of(marks), Reach(cutter.reach_across_mm, cutter.reach_along_mm), code, slug))  # fmt: skip
    return tuple(plans)


def placements_on_frame(document: RunDocument, plans: Sequence[FramePlan], frame: int) -> list[Placement]:
    """Placements of one frame (from 0) in the millimetres of its own print: as nested, moved between its marks."""
    assert document.layout is not None
    dx, dy = plans[frame].shift
    return [
        Placement(p.id, p.copy, 0, p.x_mm + dx, p.y_mm + dy, p.rotation_deg)
        for p in document.layout.to_placements()
        if p.sheet == frame
    ]


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
