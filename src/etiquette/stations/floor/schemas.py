"""What goes over the wire at the Floor."""

from datetime import date
from typing import Literal

from pydantic import BaseModel


class CardShown(BaseModel):
    column: Literal["lines", "ready", "printing", "film", "cutter", "done"]
    kind: Literal["design", "run"]
    id: int
    name: str
    words: str
    due: date | None
    thumb: str


class RollLeft(BaseModel):
    name: str
    remaining_mm: float
    length_mm: float


class Lamp(BaseModel):
    name: str
    kind: str
    on: bool


class FloorShown(BaseModel):
    today: date
    cards: list[CardShown]
    rolls: list[RollLeft]
    good: int
    pieces: int
    bare: bool
    """Nothing stands on the Shelf yet."""
    still_open: int
    """How much the shop still lacks before it can work; a test sheet can wait."""


class LengthRead(BaseModel):
    mm: float
