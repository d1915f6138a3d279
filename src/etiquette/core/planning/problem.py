"""The nesting problem and its answer, as plain values in millimetres."""

from dataclasses import dataclass
from typing import Literal

from shapely import Polygon

Turning = tuple[float, ...] | Literal["free"]
FREE_STEPS = 24
"""Free turning is tried in steps of 15°."""


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


def rotations_of(piece: Piece) -> tuple[float, ...]:
    return (
        tuple(360 / FREE_STEPS * step for step in range(FREE_STEPS)) if piece.rotations == "free" else piece.rotations
    )
