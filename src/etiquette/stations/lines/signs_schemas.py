"""What goes over the wire of braille."""

from typing import Annotated

from pydantic import BaseModel, Field, StringConstraints

from etiquette.stations.schemas import Asked, Revision


class BrailleAsked(Asked):
    """`text` empty: no braille. `x_mm`, `y_mm` None: where new braille begins."""

    revision: Revision
    text: Annotated[str, StringConstraints(max_length=4000)]
    as_typed: bool = False
    table: Annotated[str, StringConstraints(max_length=40)] = "en-ueb-g2.ctb"
    sizes: Annotated[str, StringConstraints(max_length=40)] = "ada-2010"
    x_mm: float | None = Field(default=None, ge=-20_000, le=20_000)
    y_mm: float | None = Field(default=None, ge=-20_000, le=20_000)


class TableShown(BaseModel):
    file: str
    name: str
    contracted: bool


class SizesShown(BaseModel):
    key: str
    name: str
    source: str
    height_mm: float
    contracted: bool
    """Uncontracted braille is refused."""


class PlacementTold(BaseModel):
    """What is not as the 2010 ADA Standards have it, and where: millimetres of the design, y up."""

    words: str
    x: float
    y: float


class PlacementShown(BaseModel):
    """`rules`: whether the sizes that were chosen are those that the rules belong to; `mounting`: where it hangs."""

    rules: bool
    told: list[PlacementTold]
    mounting: str


class BrailleChoices(BaseModel):
    tables: list[TableShown]
    sizes: list[SizesShown]
