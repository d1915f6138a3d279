"""What goes over the wire where all designs of a job are looked over."""

from typing import Literal

from pydantic import BaseModel, Field

from etiquette.core.artwork.kinds import Kind
from etiquette.stations.schemas import Asked, Revision, RowId

AT_ONCE = 100
"""So many designs are made ready, or set as their art asks, by one press at most."""


class CardLine(BaseModel):
    """All lines of a kind, as they are seen small: SVG path data in mm, y down, (0, 0) the top left of the art."""

    kind: Kind
    d: str


class LineCard(BaseModel):
    """A design beside the others of its job. `key`: names its lines as they are now, found or not; `box`: x, y, width,
    height of art and lines together; `said`: what was found of it, the most important first; `asks`: why its art asks
    for other settings, and `keys`, those that it asks for."""

    id: int
    revision: int
    key: str
    name: str
    art_id: int
    due_count: int
    ready: bool
    state: Literal["no size", "no line", "look", "plain"]
    """`look`: somebody has to see it by itself before anything is cut so; `plain`: nothing speaks against its line."""
    width_mm: float | None
    height_mm: float | None
    lines: list[CardLine]
    box: tuple[float, float, float, float] | None
    said: list[str]
    asks: list[str]
    keys: list[str]


class LinesOfJob(BaseModel):
    """A page of the designs of a job; `waiting`: how many of all nobody has looked at."""

    job_id: int
    job: str
    customer: str
    designs: int
    waiting: int
    cards: list[LineCard]
    more: bool


class DesignSeen(Asked):
    """A design as it was when somebody looked at it. `key`: of the lines that were seen, which line rules or what a
    customer means by a word change without an edit."""

    id: RowId
    revision: Revision
    key: str = Field(max_length=64)


class SeenAsked(Asked):
    designs: list[DesignSeen] = Field(min_length=1, max_length=AT_ONCE)


class WidthAsked(SeenAsked):
    width_mm: float = Field(ge=0.5, le=20_000)


class SeenMade(BaseModel):
    """How many were changed; `others`: names of those that somebody has changed meanwhile, or that have no line now:
    they stay as they are."""

    made: int
    others: list[str]


class NoLine(BaseModel):
    id: int
    words: str


class AllLinesFound(BaseModel):
    found: Literal["lines of a job"] = "lines of a job"
    job_id: int
    made: int
    refused: list[NoLine]
    """Designs of which no line was found, and why."""
