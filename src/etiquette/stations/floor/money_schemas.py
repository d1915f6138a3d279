"""What goes over the wire of money: prices, quotes, what was spent, records."""

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from etiquette.core.costing.quotes import MOST_MARGIN, Per, ShopPrices
from etiquette.stations.schemas import Asked

Hour = Annotated[Decimal, Field(ge=0, le=100_000, decimal_places=4)]
Minutes = Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)]


class HandStepAsked(Asked):
    """Work by hand: weed, trim, fold, pack, or what the shop calls it."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    minutes: Minutes
    per: Per = "piece"


class PricesAsked(Asked):
    version: int
    hour_hands: Hour
    hour_printer: Hour
    hour_cutter: Hour
    run_minutes: Minutes
    frame_minutes: Minutes
    margin_percent: Annotated[float, Field(ge=0, le=MOST_MARGIN, allow_inf_nan=False)]

    def to_prices(self) -> ShopPrices:
        return ShopPrices(**self.model_dump(exclude={"version"}))


class PricesShown(BaseModel):
    version: int
    hour_hands: Decimal
    hour_printer: Decimal
    hour_cutter: Decimal
    run_minutes: float
    frame_minutes: float
    margin_percent: float
    currency: str
    """Of the first stock: the shop's."""


class PartShown(BaseModel):
    words: str
    amount: Decimal
    minutes: float | None


class QuoteShown(BaseModel):
    times: float
    pieces: int
    parts: list[PartShown]
    cost: Decimal
    price: Decimal
    each: Decimal


class QuotesShown(BaseModel):
    """`lacks`: what is not in it; `by_run`: by the layout of its run, not by boxes."""

    currency: str
    stock: str
    by_run: bool
    lacks: list[str]
    quotes: list[QuoteShown]


class SpentShown(BaseModel):
    prints: int
    metres: float
    currency: str
    quote: QuoteShown | None


class RecordShown(BaseModel):
    """One print and what became of it; `verdict` of its fit, `expected_mm` the most it was to miss by, `missed_mm` what
    a look at the cut said (95 of a hundred places)."""

    sheet_id: int
    name: str
    run: str
    run_id: int
    at: datetime
    who: str
    printer: str
    stock: str
    roll: str
    length_mm: float
    spoiled: bool
    pieces: int
    good: int | None
    cutter: str
    verdict: Literal["go", "check", "stop"] | None
    expected_mm: float | None
    missed_mm: float | None


class RecordsShown(BaseModel):
    records: list[RecordShown]
    more: bool


class MonthUsed(BaseModel):
    """What came off the rolls of a stock in a month; `lost_mm`: of it spoiled, or counted not good."""

    month: date
    stock: str
    width_mm: float
    used_mm: float
    lost_mm: float
    good: int
