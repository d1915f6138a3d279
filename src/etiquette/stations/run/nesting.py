"""Nesting a run: as it is asked for, and longer in the background, where a better layout offers itself."""

import os
import threading
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.planning.bed_plans import bed_plan
from etiquette.core.planning.grids import grid, one_each, with_last_filled
from etiquette.core.planning.problem import Layout, Piece, Placement, Problem
from etiquette.files.contracts import LayoutFile
from etiquette.stations import edits, line_finding, run_edits, runs
from etiquette.stations.designs import DesignState
from etiquette.stations.run import tasks
from etiquette.stations.run.schemas import Improved, Nested, NestWork
from etiquette.stations.run_beds import bed_wish
from etiquette.stations.runs import RunState, state_of
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import Run, Task
from etiquette.tasks.task import Outcome, Report
from etiquette.tasks.work import submit

if TYPE_CHECKING:
    from etiquette.core.planning.nesting import Progress

WORTH_OFFERING_MM = 1.0
"""A layout that saves less is not worth a glance."""
POLITE = 15
"""Niceness of what is looked for in the background: the screen and asked-for work go first."""
OTHER_SEED = 7919
"""Added to the seed in the background: the same search again would find the same."""


def nest_run(shop: Shop, wanted: NestWork, report: Report) -> Outcome[Nested]:
    """Task: nest the run as it is now; published as one edit if nobody changed the run meanwhile."""
    run_id = wanted.run_id
    state = shop.database.within(lambda session: state_of(shop, session, run_id))
    if not state.document.items:
        raise JobError("There are no designs in this run.", state.document.name, "Press A and add some.")
    for number, design in enumerate(state.designs.values()):
        if design.lines is None and _wants_lines(state, design):
            report(0.02 * number, f"Finding the edge of {design.document.name}")
            line_finding.find_lines(shop, OfDesign(design_id=design.design.id), lambda *_: True).published(
                shop.database
            )
    state = shop.database.within(lambda session: state_of(shop, session, run_id))
    steps = wanted.steps
    problem = replace(
        _problem(shop, state),
        seconds=None if steps else state.document.seconds,
        steps=steps,
        seed=wanted.seed,
    )
    layout = _laid(state, problem, lambda share, words: report(0.05 + 0.95 * share, words))
    longer = state.document.improve_seconds
    found = Nested(run_id=run_id, length_mm=layout.length_mm, unplaced=sum(one.count for one in layout.unplaced))
    goes_on = state.document.laying == "nest" and not steps and longer > 0 and layout.stopped == "time"
    if state.document.sheet_mm is not None:
        goes_on = goes_on and _sheets(layout.placements) > 1

    def publish(session: Session) -> Nested:
        current = state_of(shop, session, run_id)
        if current.key != state.key:
            raise JobError(
                "The run was changed while it was being nested.",
                state.document.name,
                "Press N to nest it as it is now.",
            )
        _give_codes(session, run_id, layout)
        words = "nest" if state.document.laying == "nest" else state.document.laying
        changes = layout_changes(layout, problem, state.key)
        if state.document.fill_last:
            changes |= _with_what_was_added(state, layout)
        row = edits.apply(session, "run", run_id, None, words, changes)
        assert isinstance(row, Run)
        row.offer = None
        more = submit(session, tasks.improve, NestWork(run_id=run_id)) if goes_on else None
        return found.model_copy(update={"revision": row.revision, "improving": more})

    return Outcome(found, publish)


def _wants_lines(state: RunState, design: DesignState) -> bool:
    """A run that is only printed asks for no lines; but vector art is taken apart while they are found, and only
    then it can be printed as it is."""
    return state.document.way != "only" or design.art.vectors_sha is not None


def improve_run(shop: Shop, wanted: NestWork, report: Report) -> Outcome[Improved]:
    """Task: look longer for a shorter layout of a run that is nested; it is kept as an offer, the run stays as it is.
    It ends early, with the best so far, when the run is changed or other work waits."""
    run_id = wanted.run_id
    state = shop.database.within(lambda session: state_of(shop, session, run_id))
    if not state.fresh or state.document.layout is None or state.document.laying != "nest":
        return Outcome(Improved(run_id=run_id))
    steps = wanted.steps
    problem = replace(
        _problem(shop, state),
        seconds=None if steps else state.document.improve_seconds,
        steps=steps,
        seed=1 + OTHER_SEED,
    )

    def go_on(share: float, words: str) -> bool:
        return report(share, words) and not shop.database.within(lambda session: _in_the_way(shop, session, state))

    layout = _politely(lambda: _laid(state, problem, go_on))

    def publish(session: Session) -> Improved | None:
        current = state_of(shop, session, run_id)
        there = current.document.layout
        if current.key != state.key or not current.fresh or there is None:
            return None
        placed, before = len(layout.placements), len(there.placements)
        saves = there.length_mm - layout.length_mm
        if state.document.sheet_mm is not None:  # what is shorter on its sheet saves nothing
            saves = state.document.sheet_mm * (_sheets(there.to_placements()) - _sheets(layout.placements))
        if placed < before or (placed == before and saves < WORTH_OFFERING_MM):
            return None
        _give_codes(session, run_id, layout)
        row = session.get_one(Run, run_id)
        row.offer = layout_changes(layout, problem, state.key)
        return Improved(run_id=run_id, saves_mm=round(saves, 2))

    return Outcome(Improved(run_id=run_id), publish)


def _sheets(placements: Sequence[Placement]) -> int:
    return len({one.sheet for one in placements})


def _in_the_way(shop: Shop, session: Session, state: RunState) -> bool:
    """Whether the run is not what it was, or somebody waits for a worker."""
    if session.scalar(select(Task.id).where(Task.state == "waiting", Task.name != "improve").limit(1)) is not None:
        return True
    return (
        session.get_one(Run, state.run.id).revision != state.run.revision
        and state_of(shop, session, state.run.id).key != state.key
    )


def _politely(work: Any) -> Layout:
    """`work()` in a thread of low priority; threads that it starts are no less polite."""
    made: list[Layout] = []
    failed: list[BaseException] = []

    def run() -> None:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), POLITE)  # on Linux of this thread only
        try:
            made.append(work())
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    thread.join()
    if failed:
        raise failed[0]
    return made[0]


def _problem(shop: Shop, state: RunState) -> Problem:
    pieces = runs.pieces_of(shop, state.document, state.designs)
    pinned = _pinned(state, pieces) if state.document.laying == "nest" else ()
    return replace(runs.problem_of(state, tuple(pieces.values())), pinned=pinned)


def _laid(state: RunState, problem: Problem, progress: "Progress") -> Layout:
    from etiquette.core.planning.framing import nest_in_frames, nest_on_sheets  # compiled kernels: only here

    longest = runs.longest_frame_mm(state)
    fills = state.document.fill_last and state.document.sheet_mm is not None
    if state.document.laying == "grid":
        wish = runs.grid_wish(state.document)
        return grid(with_last_filled(problem, wish, longest) if fills else problem, wish, longest)
    if state.document.laying in ("page", "each"):
        return one_each(problem, runs.turns_of(state))
    if state.document.laying == "bed":
        return bed_plan(problem, bed_wish(state.document, state.kit, state.designs), longest)
    if state.document.sheet_mm is None:
        return nest_in_frames(problem, longest, progress)
    layout = nest_on_sheets(problem, longest, progress)
    return _with_last_filled(problem, layout, longest) if fills and layout.placements else layout


def _with_last_filled(problem: Problem, layout: Layout, longest_mm: float) -> Layout:
    """More copies of every design, by turns, wherever the last sheet has room for them."""
    from etiquette.core.planning.filling import filled_up

    last = max(one.sheet for one in layout.placements)
    names = [piece.id for piece in problem.pieces]
    more = filled_up(replace(problem, length_mm=longest_mm), layout.placements, last, names)
    return replace(layout, placements=(*layout.placements, *more))


def _with_what_was_added(state: RunState, layout: Layout) -> dict[str, Any]:
    """Counts as they are laid, where that is more than were asked for."""
    laid = Counter(one.id for one in layout.placements)
    items = [
        item.model_copy(update={"count": max(item.count, laid[str(item.design_id)])}) for item in state.document.items
    ]
    changes = {"items": [item.model_dump() for item in items]}
    return {**changes, "layout_key": runs.key_of_run(state, state.document.changed(changes))}


def _give_codes(session: Session, run_id: int, layout: Layout) -> None:
    for number in {placement.sheet + 1 for placement in layout.placements}:
        run_edits.give_code(session, run_id, number)


def layout_changes(layout: Layout, problem: Problem, key: str) -> dict[str, Any]:
    """What a layout sets in the document of its run: pinned pieces may have got other numbers."""
    places = {(p.id, p.x_mm, p.y_mm, p.rotation_deg) for p in problem.pinned}
    still = [f"{p.id}-{p.copy}" for p in layout.placements if (p.id, p.x_mm, p.y_mm, p.rotation_deg) in places]
    file = LayoutFile.of(layout)
    return {"layout": file.model_dump(mode="json", by_alias=True), "layout_key": key, "pinned": sorted(still)}


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
