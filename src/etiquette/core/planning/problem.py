"""The nesting problem and its answer, as plain values in millimetres."""

from dataclasses import dataclass
from typing import Literal

from shapely import Polygon, affinity

Turning = tuple[float, ...] | Literal["free"]
FREE_STEPS = ((4, 24), (8, 16), (1_000_000, 8))
"""Free turning is tried in so many steps, for at most so many designs: each turn of each design costs memory."""


@dataclass(frozen=True)
class Piece:
    """An outline about its own origin, `count` times; `rotations` in degrees counter-clockwise."""

    id: str
    outline: Polygon
    count: int
    rotations: Turning


@dataclass(frozen=True)
class Placement:
    """The outline of `id` turned about its own origin by `rotation_deg`, then moved by (x_mm, y_mm)."""

    id: str
    copy: int
    sheet: int
    x_mm: float
    y_mm: float
    rotation_deg: float


@dataclass(frozen=True)
class Unplaced:
    id: str
    count: int
    reason: str


@dataclass(frozen=True)
class Problem:
    """Pieces for a stock `width_mm` wide; `length_mm` None is an endless roll. Work stops after `seconds` or, so that
    a result can be repeated anywhere, after `steps` whole layouts."""

    width_mm: float
    length_mm: float | None
    edge_mm: float
    gap_mm: float
    pieces: tuple[Piece, ...]
    seconds: float | None = 10.0
    steps: int | None = None
    seed: int = 1
    use_holes: bool = False
    keep_out: tuple[Polygon, ...] = ()
    pinned: tuple[Placement, ...] = ()
    refused: tuple[Unplaced, ...] = ()
    """What was asked for and cannot be nested at all, for the list of what is not placed."""


Stopped = Literal["time", "steps", "optimal", "cancelled"]


@dataclass(frozen=True)
class Layout:
    """Where every piece lies; `length_mm` and `utilisation` as docs/formats.md defines them."""

    length_mm: float
    utilisation: float
    seconds: float
    stopped: Stopped
    placements: tuple[Placement, ...]
    unplaced: tuple[Unplaced, ...]


def rotations_of(piece: Piece, designs: int = 1) -> tuple[float, ...]:
    """The turns that are tried; free turning in fewer steps when there are many designs."""
    if piece.rotations != "free":
        return tuple(dict.fromkeys(turn % 360 for turn in piece.rotations))
    steps = next(steps for most, steps in FREE_STEPS if designs <= most)
    return tuple(360 / steps * step for step in range(steps))


def placed_outline(piece: Piece, placement: Placement) -> Polygon:
    """The outline of `piece` where `placement` puts it."""
    turned = affinity.rotate(piece.outline, placement.rotation_deg, origin=(0, 0))
    return affinity.translate(turned, placement.x_mm, placement.y_mm)
