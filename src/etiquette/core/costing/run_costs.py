"""Stock, film, ink, time and money of a run and of a piece: areas times prices, rounded once, at the end."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

CENT = Decimal("0.01")
EACH = Decimal("0.001")


@dataclass(frozen=True)
class Prices:
    """What the shop pays: of stock and film by the square metre, of ink by the millilitre."""

    stock_m2: Decimal
    film_m2: Decimal | None
    ink_ml: Decimal


@dataclass(frozen=True)
class Speed:
    """A print mode: square metres an hour, and millilitres of one ink on a square metre where it is full."""

    m2_per_hour: float
    ink_ml_m2: float


@dataclass(frozen=True)
class RunCosts:
    """Money in the shop's currency; `ink_ml` by ink; `minutes` of printing."""

    area_m2: float
    ink_ml: dict[str, float]
    stock: Decimal
    film: Decimal
    ink: Decimal
    total: Decimal
    each: Decimal
    minutes: float


def ink_ml(shares: Mapping[str, float], area_m2: float, speed: Speed) -> dict[str, float]:
    """Millilitres of every ink: the share of the page it covers, times the page, times what it takes where it is
    full."""
    return {ink: share * area_m2 * speed.ink_ml_m2 for ink, share in shares.items()}


def ink_cost(millilitres: float, price_ml: Decimal) -> Decimal:
    """What so much ink costs, to the cent."""
    return _money(Decimal(repr(millilitres)) * price_ml)


def run_costs(
    frames: Sequence[tuple[float, Mapping[str, float]]], pieces: int, prices: Prices, speed: Speed
) -> RunCosts:
    """Of `frames`, each its area in m² and the share of it that each ink covers."""
    area = sum(one for one, _ in frames)
    inks: dict[str, float] = {}
    for one, shares in frames:
        for name, millilitres in ink_ml(shares, one, speed).items():
            inks[name] = inks.get(name, 0.0) + millilitres
    stock = Decimal(repr(area)) * prices.stock_m2
    film = Decimal(repr(area)) * (prices.film_m2 or Decimal(0))
    ink = Decimal(repr(sum(inks.values()))) * prices.ink_ml
    # of the rounded parts, so that what is shown adds up
    total = _money(stock) + _money(film) + _money(ink)
    each = (total / pieces).quantize(EACH, ROUND_HALF_UP) if pieces else Decimal(0)
    minutes = area / speed.m2_per_hour * 60
    return RunCosts(area, inks, _money(stock), _money(film), _money(ink), total, each, minutes)


def _money(amount: Decimal) -> Decimal:
    return amount.quantize(CENT, ROUND_HALF_UP)
