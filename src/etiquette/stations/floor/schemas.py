"""What goes over the wire at the Floor."""

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel

from etiquette.stations.floor.job_schemas import JobListed


class HandShown(BaseModel):
    """One thing that needs hands now."""

    rank: int
    """0 first: what keeps a machine from working; see stations.floor.hands.Rank."""
    title: str
    words: str
    detail: str
    path: str
    thumb: str
    due: date | None
    care_id: int | None
    not_before: datetime | None
    """Until then its ink dries."""


class DayShown(BaseModel):
    """Open jobs that are late, due on `day`, later or without a day."""

    key: Literal["late", "day", "later"]
    day: date | None
    count: int
    jobs: list[JobListed]


class InLineShown(BaseModel):
    task_id: int
    run_id: int
    name: str
    waits: bool


class MachineShown(BaseModel):
    kind: Literal["printer", "cutter"]
    id: int
    name: str
    words: str
    waits: int
    tone: Literal["good", "look", "stop"]
    share: float | None
    line: list[InLineShown]


class RollLow(BaseModel):
    name: str
    left_mm: float
    length_mm: float


class DayUsedShown(BaseModel):
    day: date
    used_mm: float
    spoiled_mm: float


class TogetherShown(BaseModel):
    """Pieces of several jobs that could be one run."""

    stock_id: int
    stock: str
    jobs: list[str]
    saved_mm: float


class FloorShown(BaseModel):
    pulse: str
    today: date
    open: int
    good_today: int
    used_today_mm: float
    late: int
    hands: list[HandShown]
    more_hands: int
    days: list[DayShown]
    machines: list[MachineShown]
    low: list[RollLow]
    week: list[DayUsedShown]
    together: TogetherShown | None


class Lamp(BaseModel):
    name: str
    kind: str
    on: bool


class BarShown(BaseModel):
    """What every page shows on top, and whether anything has changed."""

    pulse: str
    today: date
    open: int
    to_check: int
    planned: int
    printing: int
    to_cut: int
    rolls: int
    bare: bool
    """Nothing stands on the Shelf yet."""
    still_open: int
    """How much the shop still lacks before it can work; a test sheet can wait."""
    lamps: list[Lamp]
    """Whether each machine that has an address answers."""


class LengthRead(BaseModel):
    mm: float
