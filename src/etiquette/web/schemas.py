"""What goes over the wire. Lengths are millimetres."""

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from etiquette.core.artwork.forms import Form
from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import Word
from etiquette.core.costing.run_costs import RunCosts
from etiquette.files.contracts import LayoutFile
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.lines import LinesDocument
from etiquette.files.documents.runs import RunDocument, RunItem
from etiquette.files.line_rules import RuleFile, RulesFile
from etiquette.stations.comparing import LayoutStep
from etiquette.stations.laying import FillWish, HandStep
from etiquette.stations.runs import Figures
from etiquette.stations.taking_in import ArrangeStep
from etiquette.store.states import RunState, SheetState, TaskState

RowId = Annotated[int, Field(ge=1, le=2**31 - 1)]
Revision = Annotated[int, Field(ge=0, le=2**31 - 1)]


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


class TaskShown(BaseModel):
    id: int
    name: str
    state: TaskState
    result: dict[str, Any] | None
    problem: dict[str, str] | None


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


class EditAsked(Asked):
    revision: Revision
    words: str = Field(max_length=200)
    changes: dict[str, Any]


class StepAsked(Asked):
    revision: Revision


class LineShown(BaseModel):
    kind: str
    d: str
    """SVG path data in millimetres, y down, (0, 0) the top left of the art."""
    length_mm: float
    nodes: int


class PreviewAsked(Asked):
    changes: dict[str, Any]


class PreviewShown(BaseModel):
    lines: list[LineShown]


class DesignShown(BaseModel):
    id: int
    revision: int
    job: str
    customer: str
    form: Form
    art_id: int
    natural_width_mm: float | None
    natural_height_mm: float | None
    file_name: str
    width_px: int
    height_px: int
    height_mm: float | None
    dpi: float | None
    document: DesignDocument
    lines: list[LineShown] | None
    summary: LinesDocument | None
    meanings: dict[Word, Kind]
    white: str | None
    """SVG path data as of lines, filled by the even-odd rule; None where nothing is."""
    clear: str | None
    undo: str | None
    redo: str | None


class DesignListed(BaseModel):
    id: int
    name: str
    customer: str
    due_count: int
    ready: bool
    width_mm: float | None
    height_mm: float | None
    art_id: int
    form: Form


class DesignsMade(BaseModel):
    ids: list[int]


class VersionShown(BaseModel):
    id: int
    words: str
    at: datetime


class ReturnAsked(Asked):
    revision: Revision
    version: Revision


class MeaningAsked(Asked):
    word: Word
    means: Kind


class ArrangeAsked(Asked):
    revision: Revision
    step: ArrangeStep


class RulesShown(BaseModel):
    version: int
    rules: list[RuleFile]


class RulesAsked(RulesFile):
    version: Revision


class RulesTried(BaseModel):
    """What rules would catch in one design's art."""

    caught: dict[str, int]
    why: list[str]
    suspects: int
    names: list[str]
    """Layers and spots in the art."""


class PieceShown(BaseModel):
    design_id: int
    name: str
    outline: list[tuple[float, float]]
    """About the design's origin, y up."""
    width_mm: float
    height_mm: float
    count: int
    placed: int


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


class PlanShown(BaseModel):
    marks: list[MarkShown]
    size_mm: float
    codes: list[CodeShown]
    arrow: list[tuple[float, float]]
    slug: str
    slug_at: tuple[float, float]
    shift: tuple[float, float]
    work: tuple[float, float, float, float]
    length_mm: float


class RunShown(BaseModel):
    id: int
    revision: int
    state: RunState
    document: RunDocument
    stock_name: str
    stock_width_mm: float
    roll_name: str
    roll_left_mm: float
    roll_length_mm: float
    cutter_name: str
    fresh: bool
    """The layout belongs to the run as it is now."""
    pieces: list[PieceShown]
    layout: LayoutFile | None
    plans: list[PlanShown]
    """One a frame, in the order along the roll; every frame in its own millimetres."""
    figures: Figures | None
    weed: list[list[list[tuple[float, float]]]]
    """For every frame the lines that help weeding, in its own millimetres."""
    places: list[tuple[float, float, float, float]]
    """The places of a bed plan on one frame: corner, width, height, in the millimetres of its work."""
    usable_mm: float
    narrowest: str
    """Whose limit the usable width is."""
    offer: Figures | None
    """What a better layout that was found in the background would use."""
    trouble: str | None
    undo: str | None
    redo: str | None


class LayoutAsked(Asked):
    revision: Revision
    step: LayoutStep


class FillAsked(Asked):
    revision: Revision
    wish: FillWish


class HandAsked(Asked):
    revision: Revision
    step: HandStep


class RunListed(BaseModel):
    id: int
    name: str
    state: RunState
    pieces: int
    thumb: str


class RunAsked(Asked):
    name: str = Field(min_length=1, max_length=120)
    items: list[RunItem] = Field(max_length=500)


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
    length_mm: float
    width_mm: float
    dry_at: datetime | None


class SheetMade(BaseModel):
    sheet_id: int


class SheetAsked(Asked):
    """A print of a plate. `revision`: of the run that the screen shows; `key`: the same one never prints twice."""

    revision: Revision
    key: str = Field(min_length=8, max_length=80)


class SettleAsked(Asked):
    how: Literal["ask", "printed", "spoiled"]


class PrintSettled(BaseModel):
    task_id: int | None
    """The task that follows the print again; None: it is settled."""


class ModeShown(BaseModel):
    id: int
    name: str


class PrintSettings(BaseModel):
    """What of the run's settings belongs to printing."""

    revision: int
    print_mode_id: int | None
    files: Literal["separate", "one"]
    half_turn: bool
    way: Literal["print", "both", "cut"]
    sever: bool


class CheckShown(BaseModel):
    state: Literal["good", "look", "stop"]
    words: str
    can_load: bool


class PlateShown(BaseModel):
    id: int
    bytes: int
    preview_dpi: float
    width_mm: float
    length_mm: float
    pieces: int
    frame: int
    code: str
    order: list[Literal["white", "colour", "clear"]]
    """The plates in the order in which they are printed."""
    inks: dict[str, float]
    """The share of the page that each ink covers."""


class PrintShown(BaseModel):
    run: RunListed
    nested: bool
    trouble: str | None
    stock_name: str
    roll_name: str
    roll_left_mm: float
    length_mm: float | None
    stock_cost: Decimal | None
    currency: str
    costs: RunCosts | None
    settings: PrintSettings
    modes: list[ModeShown]
    can_sever: bool
    can_cut: bool
    plates: list[PlateShown]
    printer: str
    sheets: list[SheetShown]


class RunMade(BaseModel):
    run_id: int


class ShelfShown(BaseModel):
    tool_card: list[dict[str, Any]]
    stock: list[dict[str, Any]]
    roll: list[dict[str, Any]]
    printer: list[dict[str, Any]]
    laminator: list[dict[str, Any]]
    print_mode: list[dict[str, Any]]
    cutter: list[dict[str, Any]]
    mark_set: list[dict[str, Any]]
    ink_colour: list[dict[str, Any]]
    mark_presets: list[str]
    """Names of mark sets that can be added."""


class PresetAsked(Asked):
    preset: str = Field(max_length=120)


class ShelfEdit(Asked):
    version: Revision
    changes: dict[str, Any]


class LengthRead(BaseModel):
    mm: float
