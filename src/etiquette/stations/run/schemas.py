"""What goes over the wire at Run."""

from typing import Literal

from pydantic import BaseModel, Field

from etiquette.core.cutting.profiles import Grain
from etiquette.core.planning.bed_plans import Shape
from etiquette.files.contracts import LayoutFile
from etiquette.files.documents.runs import RunChanges, RunDocument, RunItem
from etiquette.stations.nearest import Gone
from etiquette.stations.run.comparing import LayoutStep
from etiquette.stations.run.laying import FillWish, HandStep
from etiquette.stations.runs import Figures
from etiquette.stations.schemas import MOST_ITEMS, Asked, EditAsked, OfRun, PlanShown, Revision, RowId, RunListed
from etiquette.store.states import RunState


class PieceShown(BaseModel):
    design_id: int
    name: str
    outline: list[tuple[float, float]]
    """About the design's origin, y up."""
    width_mm: float
    height_mm: float
    count: int
    placed: int
    from_rows: bool
    """Its copies differ: each is filled from its row."""


class PrinterSays(BaseModel):
    state: Literal["good", "look", "stop"]
    words: str


class PlaceShown(BaseModel):
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    shape: Shape


class BedShown(BaseModel):
    """How large the bed is between its marks, and what is wrong with blanks that were set down, by number (from 1)."""

    across_mm: float
    along_mm: float
    faults: dict[int, str]


class FitsShown(BaseModel):
    """How many more of a design alone fit into the room that the run leaves."""

    design_id: int
    name: str
    more: int


class TurnedShown(BaseModel):
    """What a quarter turn more gains: pieces on a sheet or places on a bed, whole sheets, length of a roll."""

    more: int = 0
    fewer_sheets: int = 0
    shorter_mm: float = 0.0


class RollShown(BaseModel):
    name: str
    lot: str
    frames: list[int]
    """From 1; frames for which no roll has enough are on none."""


class RunBegun(RunListed):
    """A new run; `joined`: what was spoiled of other jobs and is made again in it."""

    joined: list[str]


class GapShown(BaseModel):
    """What the run is made on and was put away since, and the nearest that stands on the Shelf."""

    kind: Gone
    name: str
    nearest_id: int | None
    nearest: str | None


class RunShown(BaseModel):
    id: int
    revision: int
    state: RunState
    document: RunDocument
    stock_name: str
    stock_width_mm: float
    grain: Grain
    """Which way the fibres of the stock lie."""
    roll_name: str
    roll_left_mm: float
    rolls: list[RollShown]
    """The rolls of the run in their order, and the frames that each takes."""
    cutter_name: str
    """Empty: the run is only printed."""
    fresh: bool
    """The layout belongs to the run as it is now."""
    pieces: list[PieceShown]
    layout: LayoutFile | None
    plans: list[PlanShown]
    """One a frame, in the order along the roll; every frame in its own millimetres."""
    figures: Figures | None
    weed: list[list[list[tuple[float, float]]]]
    """For every frame the lines that help weeding, in its own millimetres."""
    bring_marks: bool
    """All its designs are pages that bring their own marks: it can be laid as they came."""
    places: list[PlaceShown]
    """The places of a bed plan on one frame, in the millimetres of its work."""
    bed: BedShown | None
    rooms: list[tuple[float, float, float, float]]
    """The room for work on every frame (x0, y0, x1, y1), in its own millimetres."""
    turned: TurnedShown | None
    usable_mm: float
    narrowest: str
    """Whose limit the usable width is."""
    offer: Figures | None
    """What a better layout that was found in the background would use."""
    trouble: str | None
    beyond: list[str]
    """What of the run its machines cannot do."""
    gaps: list[GapShown]
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


class RunAsked(Asked):
    name: str = Field(min_length=1, max_length=120)
    items: list[RunItem] = Field(max_length=MOST_ITEMS)
    stock_id: RowId | None = None
    """On which stock; None: on that with the fullest roll."""
    with_remakes: bool = False
    """What was spoiled of other jobs and waits for this stock joins it."""


class HolderAsked(Asked):
    name: str = Field(min_length=1, max_length=120)
    play_mm: float = Field(default=0.0, ge=0, le=10)


class HolderKept(BaseModel):
    id: int


class NestWork(OfRun):
    steps: int | None = Field(default=None, ge=1)
    """Instead of the run's own time: the same result on any machine."""
    seed: int = 1


class Nested(BaseModel):
    found: Literal["layout"] = "layout"
    run_id: int
    length_mm: float
    unplaced: int
    revision: int = 0
    improving: int | None = None
    """The task that looks longer for a shorter layout."""


class Improved(BaseModel):
    found: Literal["shorter layout"] = "shorter layout"
    run_id: int
    saves_mm: float = 0.0


class RunEdit(EditAsked):
    changes: RunChanges  # type: ignore[valid-type]
