"""True-shape nesting on a roll or on sheets.

A first whole layout is laid at once (`constructing`); on a roll it is then pressed together as long as there is time
(`improving`), and in the end its pieces slide together on exact outlines (`sliding`). Positions lie on a raster until
then, and a piece takes every cell that it so much as touches, so that no gap can come out too small; `verify` says so
again on exact geometry before any layout is given out."""

import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import shapely

from etiquette.core.errors import JobError
from etiquette.core.planning.constructing import (
    Laid,
    Raster,
    Trial,
    construct,
    first_order,
    other_order,
    sizes_shuffled,
)
from etiquette.core.planning.grids import GridWish, grid
from etiquette.core.planning.improving import HANDS
from etiquette.core.planning.pressing import Press, finer_step, step_of
from etiquette.core.planning.problem import (
    Layout,
    Placement,
    Problem,
    Stopped,
    Unplaced,
    placed_outline,
    rotations_of,
)
from etiquette.core.planning.sliding import slid
from etiquette.core.planning.stamps import Stamp, fitting_cell, stamps_of
from etiquette.core.planning.verifying import verify

COLUMNS_WANTED = 2600
FINEST_CELL_MM, COARSEST_CELL_MM = 0.25, 2.0
"""A raster cell is this share of the width: finer keeps pieces nearer, coarser is laid faster."""
CELLS_WANTED = 60_000_000
"""Cells of the stretch that the pieces may need: more than that are kept coarser."""
MOST_MOVED = 500
"""Layouts of more pieces are laid in several orders, not pressed together: in the usual time that gains more."""
SLIDES, FEW_SLIDES, MANY = 20, 4, 3000
"""How often every piece slides; the second, where there are more than so many."""
TABLE_SECONDS = 1.0
"""What the tables cost at most; with less time than that left, other orders are tried instead."""

MOST_IN_ROWS = 12
"""Straight rows are tried for so few designs: each has rows of its own."""

Progress = Callable[[float, str], bool]
"""Told the share done and words; returns False to stop and keep the best so far."""


def nest(problem: Problem, progress: Progress = lambda *_: True) -> Layout:
    """The best layout found; what cannot be placed is in it with the reason. Raises JobError when pinned pieces are in
    each other's way, over an edge or in a keep-out."""
    _refuse_bad_pins(problem)
    problem = _without_hopeless(problem)
    clock = _Clock(problem, progress)
    raster, stamps = prepared(problem)
    order = first_order(problem)
    trial = construct(problem, stamps, order, raster)
    straight = _straight(problem)
    stopped = clock.stopped(1, trial.length_mm, len(trial.laid), len(order))
    if not stopped and problem.length_mm is None and 1 < len(trial.laid) <= MOST_MOVED and clock.left() > TABLE_SECONDS:
        trials, stopped = _pressed(problem, raster, stamps, trial, clock)
    elif not stopped:
        trials, stopped = _other_orders(problem, raster, stamps, order, trial, clock)
    else:
        trials = [trial]
    return _layout(problem, raster, trials, straight, clock, stopped)


def _straight(problem: Problem) -> list[Layout]:
    """Everything in straight rows, at every turn that all pieces may take. A raster loses what fits to a hair; rows do
    not."""
    allowed = [set(rotations_of(piece, len(problem.pieces))) for piece in problem.pieces if piece.count]
    if problem.keep_out or problem.pinned or len(allowed) > MOST_IN_ROWS or not allowed:
        return []
    turns = sorted({turn % 180 for turn in set.intersection(*allowed) if turn % 90 == 0})
    gap = problem.gap_mm
    return [grid(problem, GridWish(None, gap, gap, "from the edge", False, turn)) for turn in turns]


def _refuse_bad_pins(problem: Problem) -> None:
    faults = verify(problem, Layout(0.0, 0.0, 0.0, "steps", problem.pinned, ())) if problem.pinned else []
    if faults:
        raise JobError(f"Pinned pieces cannot stay: {faults[0]}.", "pinned pieces", "Let one of them go, or move it.")


def _without_hopeless(problem: Problem) -> Problem:
    """With a gap wider than the stock only one piece is laid: no second one can lie beside it, and nobody means it."""
    if problem.gap_mm <= problem.width_mm:
        return problem
    order = first_order(problem)
    first = problem.pieces[order[0]].id if order and not problem.pinned else None
    why = f"The gap of {problem.gap_mm:.0f} mm is wider than the stock of {problem.width_mm:.0f} mm."
    refused = [
        Unplaced(piece.id, left, why) for piece in problem.pieces if (left := piece.count - (piece.id == first)) > 0
    ]
    pinned = {pin.id for pin in problem.pinned}
    kept = tuple(replace(piece, count=1) for piece in problem.pieces if piece.id == first or piece.id in pinned)
    return replace(problem, gap_mm=0.0, pieces=kept, refused=(*problem.refused, *refused))


def prepared(problem: Problem) -> tuple[Raster, dict[str, list[Stamp]]]:
    """The raster of a problem, and the stamps of every piece by its id: as fine as can be searched in good time."""
    cell = float(np.clip(problem.width_mm / COLUMNS_WANTED, FINEST_CELL_MM, COARSEST_CELL_MM))
    boxes = sum(shapely.oriented_envelope(piece.outline).area * piece.count for piece in problem.pieces)
    cell = fitting_cell(problem, max(cell, float(np.sqrt(2 * boxes / CELLS_WANTED))))
    designs = len(problem.pieces)
    return Raster.of(problem, cell), {piece.id: stamps_of(piece, problem, cell, designs) for piece in problem.pieces}


class _Clock:
    """Says when to stop. Steps count before seconds; with neither, one layout is made."""

    def __init__(self, problem: Problem, progress: Progress) -> None:
        self._problem, self._progress = problem, progress
        self._started = time.monotonic()
        pieces = sum(piece.count for piece in problem.pieces)
        # the last slide and the check are part of the time that was given
        self._reserve = 0.1 + 0.002 * pieces
        self._area = sum(piece.outline.area * piece.count for piece in problem.pieces)

    def seconds(self) -> float:
        return time.monotonic() - self._started

    def left(self) -> float:
        """Seconds left for the search; endless when steps are counted."""
        if self._problem.steps is not None:
            return np.inf
        return (self._problem.seconds or 0.0) - self._reserve - self.seconds()

    def stopped(self, step: int, length_mm: float, placed: int, copies: int) -> Stopped | None:
        """Why to stop after `step`, or None."""
        steps, seconds = self._problem.steps, self._problem.seconds
        share = step / steps if steps is not None else self.seconds() / seconds if seconds else 1.0
        used = self._area / (self._problem.width_mm * length_mm) if length_mm else 0.0
        words = f"{placed} placed on {length_mm:.0f} mm" + (
            f", {used * 100:.1f} % used" if self._problem.length_mm is None else ""
        )
        if not self._progress(min(1.0, share), words):
            return "cancelled"
        if copies < 2:
            return "optimal"  # one copy lies as low as the raster allows in any order
        if steps is not None:
            return "steps" if step >= steps else None
        return "time" if self.left() <= 0 else None


def _other_orders(
    problem: Problem, raster: Raster, stamps: dict[str, list[Stamp]], order: list[int], first: Trial, clock: _Clock
) -> tuple[list[Trial], Stopped]:
    """Layouts of other orders, two at a time, as long as there is time for two more; the best of them."""
    random = np.random.default_rng(problem.seed)
    best, kept, step, stopped = first, order, 1, None
    longest = 0.0
    with ThreadPoolExecutor(HANDS) as pool:
        while not stopped:
            if clock.left() < longest:
                return [best], "time"
            begun = clock.seconds()
            orders = [sizes_shuffled(problem, random), other_order(kept, random)]
            trials = list(pool.map(lambda one: construct(problem, stamps, one, raster), orders))
            for tried, trial in zip(orders, trials, strict=True):
                if trial.score < best.score:
                    best, kept = trial, tried
            step += 1
            longest = max(longest, clock.seconds() - begun)
            stopped = clock.stopped(step, best.length_mm, len(best.laid), len(order))
    return [best], stopped


def _pressed(
    problem: Problem, raster: Raster, stamps: dict[str, list[Stamp]], first: Trial, clock: _Clock
) -> tuple[list[Trial], Stopped]:
    """`first` and what it became, pressed together until the time is up: in coarse steps, then in finer ones once those
    find nothing more."""
    trials = [first]
    step, stopped = 1, None
    cells = step_of([stamp for group in stamps.values() for stamp in group], raster.cell)
    with ThreadPoolExecutor(HANDS) as pool:
        while not stopped:
            press = Press(problem, raster, trials[-1], cells)
            while not stopped:
                press.improver.round(pool)
                step += 1
                length = min(trials[0].length_mm, press.length_mm)
                stopped = clock.stopped(step, length, len(first.laid), len(first.laid))
                if not stopped and press.improver.is_lowest:
                    stopped = "optimal"
                finer = finer_step(press, cells)
                if finer and press.improver.is_stuck:
                    cells = finer
                    break
            trials.append(press.trial())
    return trials, stopped


def _numbered(problem: Problem, raster: Raster, laid: Sequence[Laid]) -> tuple[Placement, ...]:
    """Placements, pinned ones first; the others take the numbers of copies that those leave."""
    taken = {(pin.id, pin.copy) for pin in problem.pinned}
    copies: Counter[str] = Counter()
    made = list(problem.pinned)
    for one in laid:
        name = one.stamp.piece
        copies[name] += 1
        while (name, copies[name]) in taken:
            copies[name] += 1
        made.append(raster.placement(one, copies[name]))
    return tuple(made)


def _layout(
    problem: Problem,
    raster: Raster,
    trials: Sequence[Trial],
    straight: Sequence[Layout],
    clock: _Clock,
    stopped: Stopped,
) -> Layout:
    """The best of `trials`, once their pieces have slid together, and of `straight`, checked."""
    made = []
    for trial in trials:
        placements = _numbered(problem, raster, trial.laid)
        made.append(
            _measured(problem, _slid_together(problem, placements), (*problem.refused, *trial.unplaced), stopped)
        )
    made += [_measured(problem, one.placements, (*problem.refused, *one.unplaced), stopped) for one in straight]
    layout = min(made, key=_worth)
    faults = verify(problem, layout)
    if faults:
        raise JobError(
            f"The layout failed its own check: {faults[0]}.",
            "nesting",
            "This is a fault of Etiquette. Keep the problem file and report it.",
        )
    return replace(layout, seconds=round(clock.seconds(), 2))


def _worth(layout: Layout) -> tuple[int, int, int, float]:
    """Lower is better: nothing left out, few sheets, little on the last of several, short."""
    last = max((one.sheet for one in layout.placements), default=0)
    on_last = sum(one.sheet == last for one in layout.placements) if last else 0
    return sum(one.count for one in layout.unplaced), last, on_last, layout.length_mm


def _slid_together(problem: Problem, placements: tuple[Placement, ...]) -> tuple[Placement, ...]:
    """The placements of every sheet slid towards its start; keep-outs and pinned pieces stay where they are. Where
    pieces may lie in holes nothing is slid: only outer outlines are looked at there."""
    pieces = {piece.id: piece for piece in problem.pieces}
    if problem.use_holes and any(piece.outline.interiors for piece in problem.pieces):
        return tuple(replace(one, x_mm=round(one.x_mm, 4), y_mm=round(one.y_mm, 4)) for one in placements)
    pinned = set(problem.pinned)
    moved = list(placements)
    edge = problem.edge_mm
    for sheet in {placement.sheet for placement in placements}:
        here = [number for number, placement in enumerate(placements) if placement.sheet == sheet]
        outlines = [placed_outline(pieces[placements[number].id], placements[number]) for number in here]
        zones = list(problem.keep_out) if sheet == 0 or problem.length_mm is not None else []
        top = problem.length_mm - edge if problem.length_mm is not None else np.inf
        if not here:
            continue
        fixed = np.array([placements[number] in pinned for number in here] + [True] * len(zones))
        kinds = [(placements[number].id, placements[number].rotation_deg) for number in here]
        passes = SLIDES if len(here) <= MANY else FEW_SLIDES
        steps = slid(outlines, kinds, zones, problem.gap_mm, (edge, edge, problem.width_mm - edge, top), fixed, passes)
        for number, (dx, dy) in zip(here, steps, strict=False):
            one = placements[number]
            moved[number] = (
                one if one in pinned else replace(one, x_mm=round(one.x_mm + dx, 4), y_mm=round(one.y_mm + dy, 4))
            )
    return tuple(moved)


def _measured(
    problem: Problem, placements: tuple[Placement, ...], unplaced: tuple[Unplaced, ...], stopped: Stopped
) -> Layout:
    pieces = {piece.id: piece for piece in problem.pieces}
    tops = [placed_outline(pieces[one.id], one).bounds[3] for one in placements]
    length = max(tops) + problem.edge_mm if tops else 0.0
    area = sum(pieces[one.id].outline.area for one in placements)
    sheets = 1 + max((one.sheet for one in placements), default=0)
    stock = problem.width_mm * (length if problem.length_mm is None else problem.length_mm * sheets)
    return Layout(round(length, 3), round(area / stock, 5) if stock else 0.0, 0.0, stopped, placements, unplaced)
