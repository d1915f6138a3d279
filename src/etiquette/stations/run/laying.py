"""Pieces of a layout by hand: moved, turned, pinned, doubled, taken off. Each is one edit with its inverse, and no edit
leaves two pieces nearer than the gap."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from shapely import MultiPolygon
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.marking.frames import longest_on_sheet_mm
from etiquette.core.planning.problem import Piece, Placement, Problem, placed_outline
from etiquette.files.contracts import LayoutFile, PlacementFile, UnplacedFile
from etiquette.files.documents.runs import RunItem
from etiquette.stations import edits, run_edits, runs
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop

MOST_PIECES = 10_000
"""More than that no run holds."""
TAKEN_OFF = "Taken off by hand."


AlignTo = Literal["left", "centre", "right", "head", "middle", "tail"]
"""Across the stock, then along the feed."""
ALIGNED: dict[AlignTo, tuple[int, float]] = {
    "left": (0, 0.0),
    "centre": (0, 0.5),
    "right": (0, 1.0),
    "head": (1, 0.0),
    "middle": (1, 0.5),
    "tail": (1, 1.0),
}
"""The axis, and how far along the box of the piece and of what it is aligned with."""


class HandStep(BaseModel):
    """What is done with the pieces named `keys` (design-copy): moved by so many mm right across and along the feed,
    turned counter-clockwise, pinned or let go, doubled, taken off; aligned with each other, or one by itself with the
    work."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    do: Literal["move", "turn", "align", "pin", "let go", "double", "take off"]
    keys: list[str] = Field(min_length=1, max_length=5000)
    by_mm: tuple[float, float] = (0.0, 0.0)
    degrees: float = Field(default=90.0, ge=-360, le=360)
    to: AlignTo = "left"


class FillWish(BaseModel):
    """Fill the gaps of every frame up to where its work ends now, or the last one as far as the cutter reads, or that
    and more frames until the roll is used."""

    model_config = ConfigDict(extra="forbid")
    design_ids: list[int] = Field(min_length=1, max_length=1000)
    to: Literal["frame", "reach", "roll"] = "frame"


WORDS = {
    "move": "moved by hand",
    "turn": "turned by hand",
    "align": "aligned by hand",
    "pin": "pinned",
    "let go": "let go",
    "double": "doubled",
    "take off": "taken off",
}


def key_of(placement: Placement | PlacementFile) -> str:
    """“12-3”: the third copy of design 12, by which a screen names a piece."""
    return f"{placement.id}-{placement.copy_ if isinstance(placement, PlacementFile) else placement.copy}"


def _refuse_fixed(state: RunState) -> None:
    if state.document.laying == "each" or state.document.apart:
        raise JobError(
            "Each piece lies on a frame of its own, in its middle.", state.document.name, "Change how pieces are laid."
        )
    if state.document.laying == "page":
        raise JobError(
            "Pages that bring their own marks stay as they came.", state.document.name, "Change how many there are."
        )


def lay_by_hand(shop: Shop, session: Session, run_id: int, revision: int, step: HandStep) -> None:
    """One edit. What may not lie where it was put goes to the nearest place where it may. Raises JobError when there is
    none or the layout is not of the run as it is now, Stale, NotThere."""

    edits.locked(session, "run", run_id)
    state = runs.state_of(shop, session, run_id)
    layout = state.document.layout
    if layout is None or not state.plans:
        raise JobError("The layout is not of the run as it is now.", state.document.name, "Press N to nest it first.")
    _refuse_fixed(state)
    placements = layout.to_placements()
    wanted = set(step.keys)
    chosen = [one for one in placements if key_of(one) in wanted]
    if len(chosen) != len(wanted):
        raise JobError("A piece is not on the roll any more.", state.document.name, "Choose it again.")
    words = f"{WORDS[step.do]}: {_names(state, chosen)}"[:200]
    if step.do in ("pin", "let go"):
        pinned = set(state.document.pinned)
        kept = pinned | wanted if step.do == "pin" else pinned - wanted
        edits.apply(session, "run", run_id, revision, words, {"pinned": sorted(kept)})
        return
    changes = _laid(shop, state, layout, placements, chosen, step)
    document = state.document.changed(changes)
    changes["layout_key"] = runs.key_of_run(state, document)
    edits.apply(session, "run", run_id, revision, words, changes)


def fill(shop: Shop, session: Session, run_id: int, revision: int, wish: FillWish) -> int:
    """More copies of the designs wherever they still fit; returns how many were added. Raises JobError when there is no
    room for any, Stale, NotThere."""
    edits.locked(session, "run", run_id)
    state = runs.state_of(shop, session, run_id)
    layout = state.document.layout
    if layout is None or not state.plans:
        raise JobError("The layout is not of the run as it is now.", state.document.name, "Press N to nest it first.")
    _refuse_fixed(state)
    if state.document.laying == "bed":
        do = "Raise the counts, then lay the bed plan again."
        raise JobError("Pieces lie on the places of a bed, and nowhere between them.", state.document.name, do)
    pieces = runs.pieces_of(shop, state.document, state.designs)
    names = [str(design_id) for design_id in wish.design_ids if str(design_id) in pieces]
    problem = hand_problem(state, tuple(pieces.values()))
    placements = _filled(state, problem, pieces, names, wish.to != "frame")
    if wish.to == "roll":
        placements += _more_frames(state, problem, pieces, placements, names)
        for number in {one.sheet + 1 for one in placements}:
            run_edits.give_code(session, run_id, number)
    added = Counter(one.id for one in placements[len(layout.placements) :])
    if not added:
        raise JobError(
            "Nothing more fits there.",
            state.document.name,
            "Choose smaller designs, or fill as far as the cutter reads.",
        )
    items, unplaced = _with_more(state, layout, added)
    changes: dict[str, Any] = {
        "layout": _measured(state, problem, layout, placements, unplaced).model_dump(mode="json", by_alias=True),
        "items": [item.model_dump() for item in items],
    }
    document = state.document.changed(changes)
    changes["layout_key"] = runs.key_of_run(state, document)
    edits.apply(session, "run", run_id, revision, f"filled with {added.total()} more", changes)
    return added.total()


def _filled(
    state: RunState, problem: Problem, pieces: dict[str, Piece], names: list[str], on_the_roll: bool
) -> list[Placement]:
    """What is laid, and more of `names` in every frame; `on_the_roll`: the last one may become longer."""
    from etiquette.core.planning.filling import filled_up  # compiled kernels: only where they work

    assert state.document.layout is not None  # its frames are planned
    placements = state.document.layout.to_placements()
    last = len(state.plans) - 1
    for frame, plan in enumerate(state.plans):
        tops = [placed_outline(pieces[one.id], one).bounds[3] for one in placements if one.sheet == frame]
        end = max(tops) + problem.edge_mm
        if on_the_roll and frame == last:
            # no further than the cutter reads, and no more than the roll holds
            taken = sum(one.length_mm for one in state.plans[:last])
            spare = state.roll.remaining_mm - taken - plan.length_mm
            end = max(end, min(problem.length_mm or 0.0, end + spare))
        placements += filled_up(replace(problem, length_mm=end), placements, frame, names)
    return placements


def _with_more(state: RunState, layout: LayoutFile, added: Counter[str]) -> tuple[list[RunItem], list[UnplacedFile]]:
    """The counts of the run, and what is still missing, when so many were added: what was missing comes first."""
    missing = {one.id: one.count for one in layout.unplaced}
    items = [
        RunItem(
            design_id=item.design_id,
            count=item.count + max(0, added[str(item.design_id)] - missing.get(str(item.design_id), 0)),
        )
        for item in state.document.items
    ]
    unplaced = [
        one.model_copy(update={"count": one.count - added[one.id]})
        for one in layout.unplaced
        if one.count > added[one.id]
    ]
    return items, unplaced


def _more_frames(
    state: RunState,
    problem: Problem,
    pieces: Mapping[str, Piece],
    placements: Sequence[Placement],
    names: Sequence[str],
) -> list[Placement]:
    """Full frames behind the last one as long as the roll holds them, all alike, and a shorter one with what is
    left."""
    from etiquette.core.planning.filling import filled_up

    recipe, sheet = state.kit.recipe, state.document.sheet_mm
    ends = longest_on_sheet_mm(recipe, 0.0)  # negative: what marks, codes and margins take
    longest = problem.length_mm or 0.0
    tops: dict[int, float] = {}
    for one in placements:
        tops[one.sheet] = max(tops.get(one.sheet, 0.0), placed_outline(pieces[one.id], one).bounds[3])
    left = state.roll.remaining_mm - sum(sheet or top - ends for top in tops.values()) - state.document.start_along_mm
    copies = Counter({name: max((one.copy for one in placements if one.id == name), default=0) for name in names})
    made: list[Placement] = []
    frame, full = len(tops), filled_up(replace(problem, length_mm=longest), [], 0, names)
    while full and len(placements) + len(made) < MOST_PIECES:
        whole = sheet or longest - ends
        if left < whole:
            full = [] if sheet else filled_up(replace(problem, length_mm=max(0.0, left + ends)), [], 0, names)
        for one in full[: MOST_PIECES - len(placements) - len(made)]:
            copies[one.id] += 1
            made.append(replace(one, sheet=frame, copy=copies[one.id]))
        if left < whole:
            break
        frame, left = frame + 1, left - whole
    return made


def _names(state: RunState, chosen: Sequence[Placement]) -> str:
    if len(chosen) == 1:
        return state.designs[int(chosen[0].id)].document.name
    return f"{len(chosen)} pieces"


def _laid(
    shop: Shop,
    state: RunState,
    layout: LayoutFile,
    placements: list[Placement],
    chosen: list[Placement],
    step: HandStep,
) -> dict[str, Any]:
    pieces = runs.pieces_of(shop, state.document, state.designs)
    problem = hand_problem(state, tuple(pieces.values()))
    held = {key_of(one) for one in chosen}
    items = list(state.document.items)
    unplaced = {one.id: one for one in layout.unplaced}
    if step.do == "take off":
        after = [one for one in placements if key_of(one) not in held]
        for one in chosen:
            before = unplaced.get(one.id)
            unplaced[one.id] = UnplacedFile(id=one.id, count=(before.count if before else 0) + 1, reason=TAKEN_OFF)
    elif step.do == "double":
        after = list(placements)
        for one in chosen:
            copy = max(other.copy for other in after if other.id == one.id) + 1
            after += _put(problem, after, [replace(one, copy=copy)])
            before = unplaced.get(one.id)
            if before:  # one that was missing is there again
                unplaced[one.id] = before.model_copy(update={"count": before.count - 1})
            else:
                items = [
                    RunItem(design_id=item.design_id, count=item.count + (str(item.design_id) == one.id))
                    for item in items
                ]
    else:
        after = _shifted(problem, placements, chosen, step)
    fresh = _measured(state, problem, layout, after, [one for one in unplaced.values() if one.count > 0])
    return {
        "layout": fresh.model_dump(mode="json", by_alias=True),
        "items": [item.model_dump() for item in items],
        "pinned": sorted(set(state.document.pinned) & {key_of(one) for one in after}),
    }


def _shifted(problem: Problem, placements: list[Placement], chosen: list[Placement], step: HandStep) -> list[Placement]:
    """All that is laid, with what is chosen moved, aligned or turned."""
    from etiquette.core.planning.by_hand import turned_in_place

    held = {key_of(one) for one in chosen}
    after = [one for one in placements if key_of(one) not in held]
    for sheet in sorted({one.sheet for one in chosen}):
        here = [one for one in chosen if one.sheet == sheet]
        if step.do == "move":
            dx, dy = step.by_mm
            after += _put(problem, after, [replace(one, x_mm=one.x_mm + dx, y_mm=one.y_mm + dy) for one in here])
        elif step.do == "align":
            box = _aligned_with(problem, [one for one in placements if one.sheet == sheet], here)
            for one in here:
                after += _put(problem, after, [_aligned(problem, one, box, step.to)])
        else:
            for one in here:
                after += _put(problem, after, [turned_in_place(problem, one, step.degrees)])
    return after


def _aligned_with(problem: Problem, all_here: list[Placement], chosen: list[Placement]) -> tuple[float, ...]:
    """The box round the chosen pieces, or for one alone the width between the edges and the length of the work."""
    pieces = {piece.id: piece for piece in problem.pieces}
    box = MultiPolygon(
        [placed_outline(pieces[one.id], one) for one in (chosen if len(chosen) > 1 else all_here)]
    ).bounds
    return box if len(chosen) > 1 else (problem.edge_mm, box[1], problem.width_mm - problem.edge_mm, box[3])


def _aligned(problem: Problem, one: Placement, box: tuple[float, ...], to: AlignTo) -> Placement:
    own = placed_outline(next(piece for piece in problem.pieces if piece.id == one.id), one).bounds
    axis, share = ALIGNED[to]
    by = (1 - share) * (box[axis] - own[axis]) + share * (box[axis + 2] - own[axis + 2])
    return replace(one, x_mm=one.x_mm + by) if axis == 0 else replace(one, y_mm=one.y_mm + by)


def _put(problem: Problem, placements: Sequence[Placement], hands: list[Placement]) -> list[Placement]:
    """Raises JobError when there is no room near."""
    from etiquette.core.planning.by_hand import nearest_place

    placed = nearest_place(problem, placements, hands)
    if placed is None:
        raise JobError(
            "There is no room for it near there.",
            "layout",
            "Put it somewhere else, or make room by moving others first.",
        )
    return placed


def hand_problem(state: RunState, pieces: tuple[Any, ...]) -> Problem:
    """Where pieces may lie in one frame: between the marks, no longer than the cutter reads."""
    problem = runs.problem_of(state, pieces)
    return replace(problem, length_mm=runs.longest_frame_mm(state) + 2 * problem.edge_mm)


def _measured(
    state: RunState, problem: Problem, layout: LayoutFile, placements: list[Placement], unplaced: list[UnplacedFile]
) -> LayoutFile:
    """The layout with its length and utilisation anew; frames that were left empty are gone."""
    pieces = {piece.id: piece for piece in problem.pieces}
    used = sorted({one.sheet for one in placements})
    moved = [replace(one, sheet=used.index(one.sheet)) for one in placements]
    tops: dict[int, float] = {}
    area = 0.0
    for one in moved:
        outline = placed_outline(pieces[one.id], one)
        area += outline.area
        tops[one.sheet] = max(tops.get(one.sheet, 0.0), outline.bounds[3] + problem.edge_mm)
    length = sum(tops.values())
    files = [
        PlacementFile(id=p.id, copy_=p.copy, sheet=p.sheet, x_mm=p.x_mm, y_mm=p.y_mm, rotation_deg=p.rotation_deg)
        for p in moved
    ]
    used_share = round(area / (problem.width_mm * length), 5) if length else 0.0
    return layout.model_copy(
        update={"placements": files, "length_mm": round(length, 3), "utilisation": used_share, "unplaced": unplaced}
    )
