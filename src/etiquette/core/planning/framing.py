"""Work longer than a cutter reads is split into frames: no piece crosses from one to the next, and each is nested by
itself, so that together they are as short as can be.

Every frame costs its marks, codes and margins, so as few as hold the work are taken; the pieces go to frames by where
they lay in one long layout, in shares of equal area, so that no frame is left nearly empty."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from etiquette.core.planning.nesting import Progress, nest
from etiquette.core.planning.problem import Layout, Piece, Placement, Problem, Unplaced, placed_outline, rotations_of

FIRST_SHARE = 0.2
LEAST_SECONDS = 0.3
HOPED_FOR = 0.02
"""Share of a frame that is hoped to be saved before one frame more is taken."""


def nest_in_frames(problem: Problem, longest_mm: float, progress: Progress = lambda *_: True) -> Layout:
    """The layout of a roll in frames, `sheet` being the number of a placement's frame from 0; every frame's work starts
    at its own edge and is at most `longest_mm` long. `length_mm` is that of all frames together. Pinned pieces stay
    where they are in the frame that their `sheet` names."""
    problem, refused = _short_enough(problem, longest_mm)
    area = sum(piece.outline.area * piece.count for piece in problem.pieces)
    surely = area > problem.width_mm * longest_mm and problem.seconds is not None
    # where several frames are sure to be needed the long layout only shares out the pieces, and the frames get the time
    hurried = replace(problem, seconds=FIRST_SHARE * problem.seconds) if surely and problem.seconds else problem
    last_pinned = max((pin.sheet for pin in problem.pinned), default=0)
    if last_pinned:
        # the long layout tells only how to share out what is free
        hurried = replace(hurried, pinned=(), pieces=_without_pinned(problem))
    first = nest(hurried, progress)
    if not last_pinned and first.length_mm - 2 * problem.edge_mm <= longest_mm + 1e-6:
        return replace(first, unplaced=(*first.unplaced, *refused))
    # the long layout has a gap where two frames would part; and nested anew a frame may come out a little shorter
    gap = problem.gap_mm
    count = max(
        2, last_pinned + 1, int(np.ceil((first.length_mm - 2 * problem.edge_mm + gap) / (longest_mm + gap) - HOPED_FOR))
    )
    while True:
        frames = _frames(problem, first, count, longest_mm, progress)
        if frames is not None:
            return _together(problem, frames, (*first.unplaced, *refused))
        count += 1


def nest_on_sheets(problem: Problem, longest_mm: float, progress: Progress = lambda *_: True) -> Layout:
    """The layout of sheets that each hold `longest_mm` of work: as few as can be, each as full as can be and the last
    with what is left, so that a part of it stays whole. Where one sheet holds all, that is as short as can be."""
    problem, refused = _short_enough(problem, longest_mm)
    area = sum(piece.outline.area * piece.count for piece in problem.pieces)
    several = area > problem.width_mm * longest_mm or any(pin.sheet for pin in problem.pinned)
    if not several:
        alone = nest(replace(problem, seconds=None if problem.seconds is None else problem.seconds / 2), progress)
        if alone.length_mm - 2 * problem.edge_mm <= longest_mm + 1e-6:
            return replace(alone, unplaced=(*alone.unplaced, *refused))
        problem = replace(problem, seconds=None if problem.seconds is None else problem.seconds / 2)
    layout = nest(replace(problem, length_mm=longest_mm + 2 * problem.edge_mm), progress)
    pieces = {piece.id: piece for piece in problem.pieces}
    ends = [0.0] * (1 + max((one.sheet for one in layout.placements), default=0))
    for one in layout.placements:
        ends[one.sheet] = max(ends[one.sheet], placed_outline(pieces[one.id], one).bounds[3] + problem.edge_mm)
    return replace(layout, length_mm=round(sum(ends), 3), unplaced=(*layout.unplaced, *refused))


def _short_enough(problem: Problem, longest_mm: float) -> tuple[Problem, list[Unplaced]]:
    """Without the pieces that are longer than a frame at every turn, and those with the reason."""
    kept: list[Piece] = []
    refused: list[Unplaced] = []
    for piece in problem.pieces:
        turned = []
        for turn in rotations_of(piece, len(problem.pieces)):
            left, low, right, top = placed_outline(piece, Placement(piece.id, 1, 0, 0, 0, turn)).bounds
            if top - low <= longest_mm and right - left <= problem.width_mm - 2 * problem.edge_mm:
                turned.append(turn)
        if turned or not piece.count:
            kept.append(replace(piece, rotations=tuple(turned)) if turned and piece.rotations != "free" else piece)
        else:
            refused.append(
                Unplaced(
                    piece.id,
                    piece.count,
                    f"It fits at no turn into {problem.width_mm - 2 * problem.edge_mm:.0f} × {longest_mm:.0f} mm, "
                    "the most that one frame holds.",
                )
            )
    return replace(problem, pieces=tuple(kept)), refused


def _frames(problem: Problem, first: Layout, count: int, longest_mm: float, progress: Progress) -> list[Layout] | None:
    """One layout for each of `count` frames, or None when one of them comes out too long."""
    layouts = []
    free = [one for one in first.placements if one not in problem.pinned]
    for number, counts in enumerate(_shares(problem, free, count)):
        here = tuple(replace(pin, sheet=0) for pin in problem.pinned if pin.sheet == number)
        counts.update(pin.id for pin in here)
        pieces = tuple(replace(piece, count=counts[piece.id]) for piece in problem.pieces if counts[piece.id])
        seconds = None if problem.seconds is None else max(problem.seconds / count, LEAST_SECONDS)

        def told(share: float, words: str, number: int = number) -> bool:
            return progress((number + share) / count, f"Frame {number + 1} of {count}: {words}")

        layout = nest(replace(problem, pieces=pieces, seconds=seconds, pinned=here), told)
        if layout.length_mm - 2 * problem.edge_mm > longest_mm + 1e-6:
            return None
        layouts.append(layout)
    return layouts


def _shares(problem: Problem, placements: Sequence[Placement], count: int) -> list[Counter[str]]:
    """How many of each piece each frame gets: as they lie along the roll, in shares of equal area."""
    pieces = {piece.id: piece for piece in problem.pieces}
    outlines = [placed_outline(pieces[one.id], one) for one in placements]
    order = np.argsort([outline.centroid.y for outline in outlines], kind="stable")
    if not len(order):
        return [Counter[str]() for _ in range(count)]
    areas = np.array([outlines[n].area for n in order])
    before = np.cumsum(areas) - areas / 2
    frame = np.minimum((before / areas.sum() * count).astype(int), count - 1)
    shares = [Counter[str]() for _ in range(count)]
    for n, number in zip(order, frame, strict=True):
        shares[number][placements[n].id] += 1
    return shares


def _without_pinned(problem: Problem) -> tuple[Piece, ...]:
    held = Counter(pin.id for pin in problem.pinned)
    return tuple(replace(piece, count=max(piece.count - held[piece.id], 0)) for piece in problem.pieces)


def _together(problem: Problem, frames: Sequence[Layout], unplaced: tuple[Unplaced, ...]) -> Layout:
    pinned = {(pin.id, pin.copy, pin.sheet) for pin in problem.pinned}
    taken = {(name, copy) for name, copy, _ in pinned}
    copies: Counter[str] = Counter()
    placements = []
    for number, frame in enumerate(frame for frame in frames if frame.placements):
        for one in frame.placements:
            if (one.id, one.copy, number) in pinned:
                placements.append(replace(one, sheet=number))
                continue
            copies[one.id] += 1
            while (one.id, copies[one.id]) in taken:
                copies[one.id] += 1
            placements.append(replace(one, sheet=number, copy=copies[one.id]))
    length = sum(frame.length_mm for frame in frames)
    pieces = {piece.id: piece for piece in problem.pieces}
    area = sum(pieces[one.id].outline.area for one in placements)
    stopped = frames[-1].stopped
    seconds = round(sum(frame.seconds for frame in frames), 2)
    return Layout(
        round(length, 3), round(area / (problem.width_mm * length), 5), seconds, stopped, tuple(placements), unplaced
    )
