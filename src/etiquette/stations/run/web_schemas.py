"""What goes over the wire of label webs."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from etiquette.core.planning.web_marks import Clearance
from etiquette.core.planning.webs import Problem, Sums
from etiquette.files.documents.webs import WebChanges, WebDocument
from etiquette.files.web_file import DieFile, RulesOfMarkFile
from etiquette.stations.schemas import Asked, RowId


class OfWeb(BaseModel):
    web_id: int


class WebMade(BaseModel):
    """What the task finds."""

    found: Literal["web files"] = "web files"
    web_id: int


class WebAsked(Asked):
    designs: Annotated[list[RowId], Field(min_length=1, max_length=40)]


class ShapeAsked(Asked):
    """Of which design labels take the shape of the line."""

    revision: int
    design_id: RowId


class FinisherAsked(Asked):
    """Rules under a name; those that had it before are these now."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    rules: RulesOfMarkFile


class FinisherOfWeb(BaseModel):
    id: int
    name: str
    rules: RulesOfMarkFile


class DieOfWeb(BaseModel):
    id: int
    name: str
    figures: DieFile


class WebEdit(Asked):
    revision: int
    words: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    changes: WebChanges  # type: ignore[valid-type]

    def named(self) -> dict[str, Any]:
        changes: BaseModel = self.changes
        return changes.model_dump(mode="json", exclude_unset=True)


class WebListed(BaseModel):
    id: int
    name: str


class LabelShown(BaseModel):
    """A label on the page, mm from its lower left corner; how its art is turned."""

    design_id: int
    x: float
    y: float
    width: float
    height: float


class MakingShown(BaseModel):
    """`stock_cost`, `minutes` None: no stock or no print mode of the Shelf is chosen; `ink_ml`, `ink_cost` None: nor
    were files made yet."""

    repeats: int
    rolls: int
    labels: int
    on_last_roll: int
    length_mm: float
    waste: float
    outer_mm: float | None
    severed: int
    """Pieces that come off the printer."""
    stock_cost: float | None
    minutes: float | None
    ink_ml: float | None
    ink_cost: float | None


class WebPartShown(BaseModel):
    name: str
    size: int


class DesignOfWeb(BaseModel):
    """`short`: what its art lacks for label and bleed, in words; empty: nothing."""

    id: int
    name: str
    width_mm: float | None
    height_mm: float | None
    middle_mm: tuple[float, float] | None
    """Where on the art the middle of its label lies."""
    short: str


class Named(BaseModel):
    id: int
    name: str


class WebShown(BaseModel):
    id: int
    revision: int
    document: WebDocument
    undo: str | None
    redo: str | None
    turn_deg: float
    cut: list[tuple[float, float]]
    printed: list[tuple[float, float]]
    """Of labels that have a shape of their own: how each is cut and how far it is printed, mm from the lower left of
    its box on the page; else empty."""
    labels: list[LabelShown]
    mark: tuple[float, float, float, float] | None
    station: list[tuple[float, float, float, float]]
    """Marks of a rotary station, as boxes like the black mark's."""
    page_mm: float
    sums: Sums
    clearances: list[Clearance]
    problems: list[Problem]
    applicator: list[str]
    making: MakingShown
    filled: int
    """Labels that are filled from rows of their own; 0: all are alike."""
    designs: list[DesignOfWeb]
    parts: list[WebPartShown]
    fresh: bool
    """The files are of the web as it is."""
    stocks: list[Named]
    modes: list[Named]
    currency: str
