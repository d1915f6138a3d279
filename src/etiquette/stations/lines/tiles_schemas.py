"""What goes over the wire of tiles."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from etiquette.files.documents.tiles import TilesDocument
from etiquette.stations.schemas import Asked, Revision


class SeamsFound(BaseModel):
    """What the task finds."""

    found: Literal["seams"] = "seams"
    design_id: int


class TilesMade(BaseModel):
    """What the task finds."""

    found: Literal["tiles"] = "tiles"
    design_id: int
    tiles: int


class TilesEdit(Asked):
    revision: Revision
    words: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    changes: dict[str, Any] = Field(max_length=40)


class OfRevision(Asked):
    revision: Revision


class RunMade(BaseModel):
    run_id: int


class TileShown(BaseModel):
    """`d`: where it is cut, as SVG, mm from the top left of the whole; `box`: what is printed (x, y, width, height)."""

    number: int
    row: int
    column: int
    d: str
    width_mm: float
    height_mm: float
    box: tuple[float, float, float, float]
    off: bool
    design_id: int | None
    """The design that it is, once it is made."""


class StockFor(BaseModel):
    id: int
    name: str
    room_mm: float


class TilesShown(BaseModel):
    """`document` None: it is not taken apart. `wrong`: why it cannot be as it is asked; `fresh`: all tiles are made as
    they are asked for."""

    document: TilesDocument | None
    across: list[float]
    along: list[float]
    tiles: list[TileShown]
    wrong: str
    fresh: bool
    made: int
    runs: list[int]
    """Runs that tiles of it are in, the newest first."""
    stocks: list[StockFor]
