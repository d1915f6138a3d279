"""The room that a layout leaves between its marks: where it is, how many pieces still fit, what a turn gains."""

from dataclasses import replace

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.frames import SHARE_BEFORE as BEFORE_ON_SHEET
from etiquette.core.planning import bed_plans, grids
from etiquette.core.planning.problem import placed_outline
from etiquette.stations import runs
from etiquette.stations.kits import room_mm
from etiquette.stations.run.laying import hand_problem
from etiquette.stations.run.schemas import FitsShown, TurnedShown
from etiquette.stations.run_beds import bed_wish
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop

MOST_DESIGNS = 8
MOST_PIECES = 1000
"""Of larger runs it is not counted while they are looked at: it would take seconds."""


def rooms_of(state: RunState) -> list[tuple[float, float, float, float]]:
    """The room for work on every frame, in its own millimetres: as wide as may be used; as long as its sheet holds, on
    a roll as long as its work is. Empty where pieces have places of their own."""
    document = state.document
    if document.laying not in ("nest", "grid"):
        return []
    width, longest = room_mm(document, state.kit)
    return [_room(state, plan, width, longest) for plan in state.plans]


def _room(state: RunState, plan: FramePlan, width: float, longest: float) -> tuple[float, float, float, float]:
    document = state.document
    x0, y0, x1, y1 = plan.work
    if document.sheet_mm is not None:
        y0 -= max(0.0, longest - (y1 - y0)) * BEFORE_ON_SHEET[document.along]
        y1 = max(y1, y0 + longest)
    before = 0.5 if document.start_across_mm is None else 0.0 if document.start_side == "left" else 1.0
    x0 -= max(0.0, width - (x1 - x0)) * before
    return x0, y0, max(x1, x0 + width), y1


def still_fit(shop: Shop, session: Session, run_id: int) -> list[FitsShown]:
    """For every design how many more of it alone fit where its run leaves room; nothing of runs that are too large to
    be counted at once. Raises NotThere."""
    from etiquette.core.planning.filling import filled_up  # compiled kernels: only where they work

    state = runs.state_of(shop, session, run_id)
    layout = state.document.layout
    if not state.plans or layout is None or not rooms_of(state):
        return []
    if len(layout.placements) > MOST_PIECES or len(state.designs) > MOST_DESIGNS:
        return []
    pieces = runs.pieces_of(shop, state.document, state.designs)
    problem, placements = hand_problem(state, tuple(pieces.values())), layout.to_placements()
    found = []
    for name in pieces:
        count = 0
        for frame in range(len(state.plans)):
            here = [one for one in placements if one.sheet == frame]
            end = problem.length_mm
            if state.document.sheet_mm is None:
                end = max(placed_outline(pieces[one.id], one).bounds[3] for one in here) + problem.edge_mm
            count += len(filled_up(replace(problem, length_mm=end), here, frame, [name]))
        found.append(FitsShown(design_id=int(name), name=state.designs[int(name)].document.name, more=count))
    return found


def turned_shown(shop: Shop, state: RunState) -> TurnedShown | None:
    """What a quarter turn more gains, of a grid or of the blanks on a bed."""
    document = state.document
    if document.laying == "bed":
        more = bed_plans.quarter_turn(bed_wish(document, state.kit, state.designs), *room_mm(document, state.kit))
        return TurnedShown(more=more) if more > 0 else None
    if document.laying != "grid" or not document.items:
        return None
    try:
        pieces = runs.pieces_of(shop, document, state.designs)
    except JobError:  # one has no line yet, which the page says elsewhere
        return None
    problem, longest = runs.problem_of(state, tuple(pieces.values())), runs.longest_frame_mm(state)
    gained = grids.quarter_turn(problem, runs.grid_wish(document), longest, document.sheet_mm is not None)
    return (
        TurnedShown(more=gained.more, fewer_sheets=gained.fewer_sheets, shorter_mm=gained.shorter_mm)
        if gained
        else None
    )
