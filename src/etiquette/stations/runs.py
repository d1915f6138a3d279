"""Run: gather designs and counts on one stock, nest them, put marks and codes round them."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from decimal import Decimal
from typing import Any

from shapely import Polygon, affinity
from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.pages import plan_page
from etiquette.core.marking.slug_words import slug_of
from etiquette.core.marking.tile_marks import ROOM_MM, placed
from etiquette.core.planning.grids import GridWish
from etiquette.core.planning.problem import Piece, Placement, Problem, Turning, placed_outline
from etiquette.core.planning.weeding import Stroke
from etiquette.core.production.frames import Box, RunEquipment, frame_plan, placed_on, weed_strokes, work_of
from etiquette.files.contracts import LayoutFile
from etiquette.files.documents.runs import RunDocument
from etiquette.stations import edits
from etiquette.stations.designs import (
    DesignState,
    lines_key_anywhere,
    outline_of_design,
    own_marks_of,
    rectangle_of,
    states_of,
)
from etiquette.stations.kits import Kit, kit_of, room_mm, where_of
from etiquette.stations.rows import Rows, rows_of
from etiquette.stations.run_beds import bed_end, bed_for, blank_plans
from etiquette.stations.run_words import slug_fields
from etiquette.stations.shop import Shop
from etiquette.store.models import Frame, Roll, Run, Stock

TURNINGS: dict[str, Turning] = {
    "quarter": (0.0, 90.0, 180.0, 270.0),
    "half": (0.0, 180.0),
    "none": (0.0,),
    "free": "free",
}
STRICTNESS = ("free", "quarter", "half", "none")
MONEY = Decimal("0.01")
_CODES = select(Frame.number, Frame.code).where(Frame.run_id == bindparam("run"))


@dataclass(frozen=True)
class Figures:
    """What a layout costs and uses; lengths in mm. Costs None: for who may not see the books."""

    length_mm: float
    used_share: float
    pieces: int
    per_metre: float
    waste_m2: float
    stock_cost: Decimal | None
    each_cost: Decimal | None
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
    rows: Mapping[int, Rows] = field(default_factory=dict)
    """What copies of designs are filled from, where they differ."""

    @property
    def stock(self) -> Stock:
        return self.kit.stock

    @property
    def roll(self) -> Roll:
        return self.kit.roll


KIT_SETTINGS = {
    "stock_id",
    "printer_id",
    "laminator_id",
    "cutter_id",
    "mark_set_id",
    "start_across_mm",
    "start_side",
    "start_along_mm",
    "sheet_mm",
    "way",
}


def run_there(session: Session, run_id: int) -> Run:
    """Raises NotThere."""
    run = session.get(Run, run_id)
    if run is None:
        raise NotThere("There is no such run.", f"run {run_id}", "Go back to the Floor and choose one that is there.")
    return run


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
    if document.laying == "page":
        kit = _with_own_marks(kit, designs)
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
    rows: dict[int, Rows] = {}
    try:
        rows = _rows(shop, session, designs)
    except JobError as error:  # the table is gone: the run is shown all the same, and makes no print files
        trouble = trouble or error
    undo, redo = edits.history(session, "run", run_id)
    fresh = document.layout_key == key
    return RunState(run, document, kit, designs, key, fresh, plans, figures, trouble, undo, redo, rows)


def _rows(shop: Shop, session: Session, designs: dict[int, DesignState]) -> dict[int, Rows]:
    filled = [(key, one) for key, one in designs.items() if one.document.rows and one.document.rows.fields]
    return {key: found for key, one in filled if (found := rows_of(shop, session, one))}


def _key(document: RunDocument, kit: Kit, designs: dict[int, DesignState]) -> str:
    """Names everything a layout depends on."""
    paged = document.laying == "page"
    parts = [
        document.gap_mm,
        document.edge_mm,
        document.turning,
        [document.laying, _how_laid(document)],
        [item.model_dump() for item in document.items],
        [document.start_across_mm, document.start_along_mm, document.sheet_mm],
        kit.stock.width_mm,
        kit.usable()[0],
        asdict(replace(kit.recipe, spacing_mm=0.0)),
        [kit.reach.across_mm, kit.reach.along_mm],
        [[state.lines_key, state.document.turning] for state in designs.values()],
        *(["last sheet filled"] if document.fill_last and document.sheet_mm is not None else []),
        *([[own[1] if (own := own_marks_of(state)) else None for state in designs.values()]] if paged else []),
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def _how_laid(document: RunDocument) -> dict[str, Any] | None:
    """What more a way of laying depends on; rows of a grid only where they are said, as former layouts have it."""
    if document.laying == "grid":
        return document.grid.model_dump(exclude=set() if document.grid.rows else {"rows"})
    if document.laying == "bed":
        usual = {"places": not document.bed.places, "marks": not document.apart}
        return document.bed.model_dump(exclude={name for name, is_usual in usual.items() if is_usual})
    return None


def _with_own_marks(kit: Kit, designs: dict[int, DesignState]) -> Kit:
    """One reader finds the marks of all pages of a run: those of the first that has any tell what it has to know."""
    found = next((own for state in designs.values() if (own := own_marks_of(state))), None)
    return replace(kit, own=found[0]) if found else kit


def key_of_run(state: RunState, document: RunDocument) -> str:
    """The key that the layout of `document` has: that of the run as it is now, with other settings."""
    return _key(document, state.kit, state.designs)


def laid_key(session: Session, state: RunState) -> str:
    """Names everything a layout depends on, and the same for the same run in another shop, where its designs have other
    numbers."""
    designs = {
        number: replace(one, lines_key=lines_key_anywhere(session, one)) for number, one in state.designs.items()
    }
    items = [item.model_copy(update={"design_id": place}) for place, item in enumerate(state.document.items, 1)]
    bed = state.document.bed.renamed({item.design_id: place for place, item in enumerate(state.document.items, 1)})
    return _key(state.document.with_(items=items, bed=bed), state.kit, designs)


def pieces_of(shop: Shop, document: RunDocument, designs: dict[int, DesignState]) -> dict[str, Piece]:
    """The pieces of a run by design id; what is only printed and has no line takes its own rectangle. Raises JobError
    when a design that is to be cut has no line yet, or is of unknown size."""
    pieces = {}
    for item in document.items:
        state = designs[item.design_id]
        outline = outline_of_design(shop, state) or (rectangle_of(state) if document.way == "only" else None)
        if outline is None:
            raise JobError(
                f"{state.document.name} has no line yet.", state.document.name, "Open it in Lines and find its edge."
            )
        if document.laying == "page":
            outline = _page_of(state)
        if document.laying == "each" and state.document.tile:  # with room for what stands beside it
            outline = offset(rectangle_of(state), ROOM_MM, join="mitre")
        strictest = max(document.turning, state.document.turning, key=STRICTNESS.index)
        pieces[str(item.design_id)] = Piece(str(item.design_id), outline, item.count, TURNINGS[strictest])
    return pieces


def turns_of(state: RunState) -> dict[str, float]:
    """By how much pieces that lie one to a frame are turned: tiles as their whole says."""
    tiles = {key: one.document.tile for key, one in state.designs.items() if one.document.tile}
    return {str(key): tile.turn_deg for key, tile in tiles.items()} if state.document.laying == "each" else {}


def _page_of(state: DesignState) -> Polygon:
    """The whole page of a design that brings its own marks. Raises JobError when it does not."""
    if own_marks_of(state) is None:
        raise JobError(
            f"{state.document.name} has no marks of its own.",
            state.document.name,
            "Open it in Lines and find them, or nest it like any other art.",
        )
    return rectangle_of(state)


def longest_frame_mm(state: RunState) -> float:
    """How long a frame of this run may be, mm: what the cutter reads, or the sheet holds."""
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


def grid_wish(document: RunDocument) -> GridWish:
    """What the run asks of a grid."""
    return GridWish(**document.grid.model_dump())


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
    codes = dict(session.execute(_CODES, {"run": run.id}).tuples().all())
    fields = slug_fields(run, document, kit, designs)
    if document.apart:
        boxes = [box for sheet in sorted(bounds) for box in bounds[sheet]]
        return tuple(blank_plans(document, kit, designs, boxes, codes, fields))
    equipment = RunEquipment(
        fields, kit.stock.width_mm, kit.recipe, kit.reach, document.strip, document.slug, document.arrow_side
    )
    plans = []
    if document.laying == "page":
        pages = sorted(document.layout.to_placements(), key=lambda one: one.sheet)
        return tuple(
            _page_plan(document, kit, designs[int(one.id)], codes[one.sheet + 1], number, fields)
            for number, one in enumerate(pages)
        )
    for sheet in sorted(bounds):
        work = work_of(bounds[sheet])
        if document.laying == "bed":  # the places stay where they are, however few are filled
            work = (0.0, 0.0, room_mm(document, kit)[0], bed_end(bed_for(document, kit, designs), bounds[sheet]))
        lead = document.start_along_mm if sheet == 0 or document.sheet_mm is not None else 0.0
        plans.append(frame_plan(equipment, sheet + 1, codes[sheet + 1], work, where_of(document, kit, lead)))
    if document.laying == "each":
        placed = {one.sheet: one for one in document.layout.to_placements()}
        plans = [_beside(plan, placed[sheet], designs) for plan, sheet in zip(plans, sorted(bounds), strict=True)]
    return tuple(plans)


def _beside(plan: FramePlan, placement: Placement, designs: dict[int, DesignState]) -> FramePlan:
    """A frame with the ticks and the words of the tile on it."""
    state = designs[int(placement.id)]
    tile, width, height = state.document.tile, state.document.width_mm, state.height_mm
    if tile is None or width is None or height is None:
        return plan
    (there,) = placed_on(plan, [placement])
    boxes, note = placed(tile.marks((width, height)), there.rotation_deg, there.x_mm, there.y_mm)
    return replace(plan, black=tuple(boxes), notes=(note,))


def _page_plan(
    document: RunDocument, kit: Kit, design: DesignState, code: str, number: int, fields: Mapping[str, str]
) -> FramePlan:
    """The frame `number` (from 0) that a page with its own marks is. Raises JobError."""
    _, _, width, height = _page_of(design).bounds
    own = own_marks_of(design)
    assert own is not None  # _page_of refuses pages without
    lead = document.start_along_mm if number == 0 or document.sheet_mm is not None else 0.0
    where = where_of(document, kit, lead)
    beside = kit.of_set if document.page_codes else None
    slug, wide, side = slug_of(code, number + 1, fields, document.slug), kit.stock.width_mm, document.arrow_side
    return plan_page((width, height), own[1], wide, kit.reach, code, where, beside, slug, side)


def weed_of_frame(state: RunState, pieces: dict[str, Piece], frame: int) -> list[Stroke]:
    """What helps weeding one frame (from 0), in the millimetres of its own print; nothing on a page as it came."""
    if state.document.laying in ("page", "each"):
        return []
    here = placements_on_frame(state.document, state.plans, frame)
    outlines = [placed_outline(pieces[one.id], one) for one in here]
    return weed_strokes(outlines, state.document.weed.to_wish(), state.kit.recipe.clear_mm)


def placements_on_frame(document: RunDocument, plans: Sequence[FramePlan], frame: int) -> list[Placement]:
    """Placements of one frame (from 0) in the millimetres of its own print: as nested, moved between its marks."""
    assert document.layout is not None
    return placed_on(plans[frame], [one for one in document.layout.to_placements() if one.sheet == frame])


def _figures(layout: LayoutFile, plans: Sequence[FramePlan], stock: Stock, pieces: dict[str, Piece]) -> Figures:
    areas = {key: piece.outline.area for key, piece in pieces.items()}
    area = sum(areas[p.id] for p in layout.placements) / 1e6
    length = sum(plan.takes_mm for plan in plans)
    # of a bed whose blanks are frames, those
    whole = sum((plan.width_mm if plan.lies else stock.width_mm) * plan.length_mm for plan in plans) / 1e6
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
