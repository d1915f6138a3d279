"""What goes over the wire. Lengths are millimetres."""

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from etiquette.core.artwork.kinds import Kind
from etiquette.store.states import RunState, SheetState

RowId = Annotated[int, Field(ge=1, le=2**31 - 1)]
Revision = Annotated[int, Field(ge=0, le=2**31 - 1)]
MOST_ITEMS = 500
"""So many designs are in one run at most."""
JobName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class Asked(BaseModel):
    """What comes in: nothing that is not asked for, no numbers without end, no text that cannot be written down."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def writable(cls, data: Any) -> Any:
        refuse_half_characters(data)
        return data


def refuse_half_characters(data: Any) -> None:
    """Raises ValueError when a text anywhere in `data` holds half of a surrogate pair: no file or table can keep it."""
    if isinstance(data, str):
        if any("\ud800" <= letter <= "\udfff" for letter in data):
            raise ValueError("it holds half a character, which cannot be kept")
    elif isinstance(data, dict):
        for key, value in data.items():
            refuse_half_characters(key)
            refuse_half_characters(value)
    elif isinstance(data, list):
        for value in data:
            refuse_half_characters(value)


class TaskMade(BaseModel):
    task_id: int


class OfDesign(Asked):
    design_id: RowId


class OfRun(Asked):
    run_id: RowId


class OfJob(Asked):
    job_id: RowId


class LinesFound(BaseModel):
    found: Literal["lines"] = "lines"
    key: str


class ChangesAsked(Asked):
    changes: BaseModel

    def named(self) -> dict[str, Any]:
        """The values that are named, as JSON gives them."""
        return self.changes.model_dump(mode="json", by_alias=True, exclude_unset=True)


class EditAsked(ChangesAsked):
    revision: Revision
    words: str = Field(max_length=200)


class StepAsked(Asked):
    revision: Revision


class RecipeUse(Asked):
    recipe_id: RowId
    revision: Revision


class LineShown(BaseModel):
    kind: Kind
    d: str
    """SVG path data in millimetres, y down, (0, 0) the top left of the art."""
    length_mm: float
    nodes: int


class MarkShown(BaseModel):
    id: str
    x: float
    y: float
    rings: list[list[tuple[float, float]]]
    """The outlines of its dark area, to be filled by the even-odd rule."""


class CodeShown(BaseModel):
    payload: str
    end: str
    x: float
    y: float
    width: float
    height: float
    rows: list[str]
    """The modules, top row first, 1 = dark."""


class PatchShown(BaseModel):
    """A patch of the colour strip: its lower left corner, its side, about how it looks."""

    x: float
    y: float
    size: float
    colour: str


class OnBedShown(BaseModel):
    """On which bed a blank lies (from 1), its corner on the stock, and how long that bed is."""

    bed: int
    x_mm: float
    y_mm: float
    length_mm: float


class PlanShown(BaseModel):
    code: str
    """The frame's code; `codes` is empty where none is printed."""
    marks: list[MarkShown]
    size_mm: float
    codes: list[CodeShown]
    strip: list[PatchShown]
    arrow: list[tuple[float, float]]
    slug: str
    slug_at: tuple[float, float]
    shift: tuple[float, float]
    work: tuple[float, float, float, float]
    width_mm: float
    length_mm: float
    lies: OnBedShown | None
    """It is a blank, printed together with the others of its bed."""


class RunListed(BaseModel):
    id: int
    name: str
    state: RunState
    pieces: int
    thumb: str


class SheetShown(BaseModel):
    id: int
    name: str
    state: SheetState
    run_id: int
    run_name: str
    frame: int
    stock: str
    pieces: int
    good: int | None
    film: bool
    wants_film: bool
    """Whether film comes next, before the cutter."""
    only_printed: bool
    """Of a run that is not cut."""
    together: int
    """How many frames hang together with it, itself too."""
    still: int
    """How many of those are not printed yet: none of them gets film before."""
    roll: str
    """The roll it is on."""
    has_code: bool
    """Without one it is cut by itself: among others nothing tells where it begins."""
    length_mm: float
    width_mm: float
    touch_dry_at: datetime | None
    """From then it may be rolled or stacked."""
    dry_at: datetime | None
    """From then it may get its film."""
    rest: str
    """How it is left until then: loose, hung, or empty."""


class RunMade(BaseModel):
    run_id: int
