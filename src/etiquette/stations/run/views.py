"""What Run shows of a run."""

from dataclasses import asdict, replace

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.planning.bed_plans import bed_faults
from etiquette.people.guarded import may
from etiquette.people.rights import Right
from etiquette.stations import designs, runs
from etiquette.stations.kits import Kit, room_mm
from etiquette.stations.nearest import gaps
from etiquette.stations.run import comparing
from etiquette.stations.run.room import rooms_of, turned_shown
from etiquette.stations.run.schemas import BedShown, GapShown, PieceShown, PlaceShown, RollShown, RunShown
from etiquette.stations.run_beds import bed_for, bed_wish
from etiquette.stations.run_needs import beyond_the_machines
from etiquette.stations.run_rolls import allotted, rolls_of
from etiquette.stations.shop import Shop
from etiquette.stations.views import plan_shown


def _pieces_shown(shop: Shop, state: runs.RunState) -> list[PieceShown]:
    document = state.document
    placed: dict[str, int] = {}
    for placement in document.layout.placements if document.layout else []:
        placed[placement.id] = placed.get(placement.id, 0) + 1
    pieces = []
    for item in document.items:
        design = state.designs[item.design_id]
        outline = designs.outline_of_design(shop, design)
        of_tile = document.laying == "each" and design.document.tile is not None
        is_whole = document.laying == "page" or of_tile or (outline is None and document.way == "only")
        if is_whole and design.document.width_mm:
            outline = designs.rectangle_of(design)
        width = design.document.width_mm or 0.0
        pieces.append(
            PieceShown(
                design_id=item.design_id,
                name=design.document.name,
                outline=np.asarray(outline.exterior.coords).round(3).tolist() if outline else [],
                width_mm=width,
                height_mm=design.height_mm or 0.0,
                count=item.count,
                placed=placed.get(str(item.design_id), 0),
                from_rows=item.design_id in state.rows,
            )
        )
    return pieces


def _cut_by(kit: Kit) -> str:
    """Whose knife it is; empty: nothing is cut."""
    if kit.stays and kit.printer:
        return f"Knife of {kit.printer.name}"
    return kit.cutter.name if kit.cutter else ""


def run_shown(shop: Shop, session: Session, state: runs.RunState) -> RunShown:
    document = state.document
    usable, narrowest = state.kit.usable()
    bed = bed_for(document, state.kit, state.designs) if document.laying == "bed" else None
    return RunShown(
        id=state.run.id,
        revision=state.run.revision,
        state=state.run.state,
        document=document if may(Right.BOOKS) else document.with_(kept=()),
        stock_name=state.stock.name,
        stock_width_mm=state.stock.width_mm,
        grain=state.stock.grain,  # type: ignore[arg-type]
        roll_name=state.roll.name,
        roll_left_mm=state.roll.remaining_mm,
        rolls=[
            RollShown(name=one.roll.name, lot=one.roll.lot, frames=list(one.frames))
            for one in allotted(rolls_of(session, document), [plan.takes_mm for plan in state.plans])
        ],
        cutter_name=_cut_by(state.kit),
        fresh=state.fresh,
        pieces=_pieces_shown(shop, state),
        layout=document.layout,
        plans=[plan_shown(plan, state.kit.recipe) for plan in state.plans],
        figures=_of_the_books(state.figures),
        weed=_weed_shown(shop, state),
        bring_marks=all(designs.own_marks_of(design) for design in state.designs.values()) and bool(state.designs),
        places=[PlaceShown(**asdict(place)) for place in bed.places] if bed else [],
        bed=_bed_shown(state) if bed else None,
        rooms=rooms_of(state),
        turned=turned_shown(shop, state),
        usable_mm=usable,
        narrowest=narrowest,
        offer=_of_the_books(comparing.offered(shop, session, state)),
        trouble=f"{state.trouble.what} {state.trouble.do}" if state.trouble else None,
        beyond=beyond_the_machines(state),
        gaps=[GapShown(**asdict(one)) for one in gaps(session, state)],
        undo=state.undo,
        redo=state.redo,
    )


def _of_the_books(figures: runs.Figures | None) -> runs.Figures | None:
    """With costs for who may see the books."""
    return figures if figures is None or may(Right.BOOKS) else replace(figures, stock_cost=None, each_cost=None)


def _bed_shown(state: runs.RunState) -> BedShown:
    across, along = room_mm(state.document, state.kit)
    wish = bed_wish(state.document, state.kit, state.designs)
    faults = bed_faults(wish.places, across, along, wish.rim)
    return BedShown(across_mm=across, along_mm=along, faults=faults)


def _weed_shown(shop: Shop, state: runs.RunState) -> list[list[list[tuple[float, float]]]]:
    weed = state.document.weed
    if not state.plans or (not weed.box and weed.lines == "none"):
        return [[] for _ in state.plans]
    pieces = runs.pieces_of(shop, state.document, state.designs)
    return [
        [stroke.round(2).tolist() for stroke in runs.weed_of_frame(state, pieces, frame)]
        for frame in range(len(state.plans))
    ]
