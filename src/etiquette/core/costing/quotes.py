"""What a job costs and what is asked for it: stock, film, ink, machine minutes, hands, set-up, margin. Every part is
rounded once, so that what is shown adds up."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, ROUND_UP, Decimal
from math import ceil
from typing import Literal

from etiquette.core.costing.run_costs import CENT, EACH

Per = Literal["piece", "job"]
MOST_MARGIN = 95.0


@dataclass(frozen=True)
class HandStep:
    """Work of hands besides printing and cutting: so many minutes for each piece, or for the whole job."""

    name: str
    minutes: float
    per: Per = "piece"


@dataclass(frozen=True)
class ShopPrices:
    """What an hour costs the shop, how long setting up takes, and the share of the price that is not cost."""

    hour_hands: Decimal = Decimal(0)
    hour_printer: Decimal = Decimal(0)
    hour_cutter: Decimal = Decimal(0)
    run_minutes: float = 0.0
    """Of hands, to set up a run on the printer."""
    frame_minutes: float = 0.0
    """Of hands, to load a frame at the cutter."""
    margin_percent: float = 0.0
    """0 to MOST_MARGIN."""


@dataclass(frozen=True)
class Materials:
    """What the shop pays of what it uses up: stock and film by the square metre, ink by the millilitre."""

    stock_m2: Decimal
    film_m2: Decimal = Decimal(0)
    ink_ml: Decimal = Decimal(0)


@dataclass(frozen=True)
class Work:
    """What making `pieces` takes: area of stock and of film, ink, minutes of the machines, runs and frames set up."""

    pieces: int
    stock_m2: float
    film_m2: float = 0.0
    ink_ml: float = 0.0
    print_minutes: float = 0.0
    cut_minutes: float = 0.0
    runs: int = 1
    frames: int = 1


@dataclass(frozen=True)
class Part:
    """One line of a quote; `minutes`, where it is time."""

    words: str
    amount: Decimal
    minutes: float | None = None


@dataclass(frozen=True)
class Quote:
    """`price` holds the margin, `cost` does not; `each`: of one piece."""

    pieces: int
    parts: tuple[Part, ...]
    cost: Decimal
    price: Decimal
    each: Decimal


def quote(work: Work, materials: Materials, prices: ShopPrices, steps: Sequence[HandStep] = ()) -> Quote:
    """The parts of the cost in the order of the work, what they come to, and the price: rounded up to the cent, so that
    the margin is never short."""
    set_up = prices.run_minutes * work.runs + prices.frame_minutes * work.frames
    parts = [
        Part("Stock", _money(work.stock_m2, materials.stock_m2)),
        Part("Film", _money(work.film_m2, materials.film_m2)),
        Part("Ink", _money(work.ink_ml, materials.ink_ml)),
        _timed("Printing", work.print_minutes, prices.hour_printer),
        _timed("Cutting", work.cut_minutes, prices.hour_cutter),
        _timed("Setting up", set_up, prices.hour_hands),
        *(_timed(step.name, minutes_of(step, work.pieces), prices.hour_hands) for step in steps),
    ]
    kept = tuple(part for part in parts if part.amount or part.minutes)
    cost = sum((part.amount for part in kept), Decimal(0))
    share = Decimal(repr(min(max(prices.margin_percent, 0.0), MOST_MARGIN))) / 100
    price = (cost / (1 - share)).quantize(CENT, ROUND_UP)
    each = (price / work.pieces).quantize(EACH, ROUND_HALF_UP) if work.pieces else Decimal(0)
    return Quote(work.pieces, kept, cost, price, each)


def minutes_of(step: HandStep, pieces: int) -> float:
    return step.minutes * (pieces if step.per == "piece" else 1)


def _timed(words: str, minutes: float, hour: Decimal) -> Part:
    return Part(words, _money(minutes / 60, hour), round(minutes, 1))


def _money(much: float, price: Decimal) -> Decimal:
    return (Decimal(repr(much)) * price).quantize(CENT, ROUND_HALF_UP)


def frames_of(length_mm: float, longest_mm: float, ends_mm: float) -> tuple[int, float]:
    """In how many frames so much work is printed, and the length they take with `ends_mm` of marks and margins each."""
    count = max(1, ceil(length_mm / longest_mm - 1e-9))
    return count, length_mm + count * ends_mm
