"""What the Bench and the test cards show and take, as JSON."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from etiquette.core.artwork.kinds import Kind
from etiquette.files.documents.runs import ToolForJob
from etiquette.files.documents.sheets import CutDocument, ReadingDocument
from etiquette.stations.schemas import Asked, PlanShown, RowId, SheetShown

FARTHEST_MM = 20_000.0
"""No table is larger; a head is not led beyond."""
PieceNumber = Annotated[int, Field(ge=1, le=100_000)]
Pieces = Annotated[list[PieceNumber], Field(max_length=100_000)]


State = Literal["due", "cut", "doubtful", "spoiled"]


@dataclass(frozen=True)
class PieceOnSheet:
    number: int
    name: str
    outline: list[tuple[float, float]]
    """In run millimetres."""
    state: State
    row: int = 0
    """The row it was filled from; 0: all copies are alike."""


@dataclass(frozen=True)
class ToolStep:
    kind: Kind
    tool: str
    force_gf: float
    speed_mm_s: float
    passes: int
    tie_mm: float
    for_job: bool
    """Whether anything of it is set for this run alone."""
    lines: int
    done: int
    seconds: float
    change: bool
    """Whether hands have to put it in before."""


class FileForm(BaseModel):
    name: str
    words: str


class PointingShown(BaseModel):
    """Marks taken by hand: how many of how many, the next one (None: all are taken), and where it should lie."""

    taken: int
    total: int
    next: str | None
    x: float
    y: float


class RollerShown(BaseModel):
    """A roller on the sheet: where it stands on the machine, the strip of the sheet that it presses on (across, in run
    millimetres), what it runs over that it should not, and where it would run over nothing."""

    at_mm: float
    strip: tuple[float, float]
    over: list[str]
    better_mm: float | None


class BenchShown(BaseModel):
    sheet: SheetShown
    plan: PlanShown
    pieces: list[PieceOnSheet]
    tools: list[ToolStep]
    doubtful: int
    """Lines under the knife when the cut was broken off; it does not go on before a person says what became of them."""
    left: int
    """Lines that are still to be cut."""
    waits_for: str
    """The tool that has to be put in before the cut goes on."""
    head_waits: tuple[float, float]
    """Where the head waits before the first code: across the sheet from its left edge, and in from its edge."""
    size_percent: float | None
    """The size of the print beside what was planned, from the marks."""
    tolerance_mm: float
    preview: str
    reading: ReadingDocument | None
    report: CutDocument | None
    cutter: str
    """The cutter that it lies on, or that its run is for."""
    simulated: bool
    """Whether that stands in the simulated room."""
    has_eye: bool
    has_camera: bool
    pointing: PointingShown | None
    """None: it does not lie on a cutter, or an eye reads its marks."""
    rollers: dict[Literal["head", "tail"], list[RollerShown]]
    """For each end that may go in first; empty: its cutter has none."""
    file_forms: list[FileForm]
    """Forms in which its cut can be written to files."""


class LoadAsked(BaseModel):
    end: Literal["head", "tail"]


class ToolAsked(Asked):
    """`set` None: as on the Shelf again."""

    kind: Kind
    set: ToolForJob | None = None


class CountAsked(Asked):
    good: int = Field(ge=0, le=100_000)


class ReadAsked(Asked):
    by: Literal["head", "photo"] = "head"


class WindowShown(BaseModel):
    """What the head sees, its middle at (x, y) on the cutter: a PNG in base64, as many mm wide and high."""

    png: str
    x: float
    y: float
    side_mm: float


class PlaceAsked(Asked):
    x: float = Field(ge=-FARTHEST_MM, le=FARTHEST_MM)
    y: float = Field(ge=-FARTHEST_MM, le=FARTHEST_MM)


class PlaceWanted(Asked):
    """Where the head is to look; None: where the mark should lie."""

    x: float | None = Field(default=None, ge=-FARTHEST_MM, le=FARTHEST_MM)
    y: float | None = Field(default=None, ge=-FARTHEST_MM, le=FARTHEST_MM)


class LeadAsked(Asked):
    """Where the head is to go, in mm of the cutter."""

    x: float = Field(ge=-FARTHEST_MM, le=FARTHEST_MM)
    y: float = Field(ge=-FARTHEST_MM, le=FARTHEST_MM)


class HeadShown(BaseModel):
    """Where the head stands."""

    x: float
    y: float


class TakeAsked(Asked):
    """The head stands at the mark; or the mark lies at (x, y), as the panel of the machine says."""

    mark_id: str = Field(max_length=20)
    x: float | None = Field(default=None, ge=-FARTHEST_MM, le=FARTHEST_MM)
    y: float | None = Field(default=None, ge=-FARTHEST_MM, le=FARTHEST_MM)


class DoubtAsked(Asked):
    how: Literal["cut", "again", "spoiled"]


class CutAsked(Asked):
    pieces: Pieces | None = None
    kinds: list[Kind] | None = None
    one: bool = False
    ready: str | None = Field(default=None, max_length=60)
    """The tool that has been put in."""
    shape: bool = False
    """Only a test shape beside the work, with the tool that comes next."""


class SpoiledAsked(Asked):
    spoiled: Pieces


class MatAsked(Asked):
    """`check`: also cut where the fit says check; `kinds`: only lines of these, in one round of a tool over all sheets;
    `ready`: the tool that is put in."""

    sheet_ids: list[RowId] = Field(max_length=500)
    check: bool = False
    kinds: list[Kind] | None = None
    ready: str | None = Field(default=None, max_length=60)


class RollAsked(MatAsked):
    end: Literal["head", "tail"]


class RollPlanAsked(Asked):
    sheet_ids: list[RowId] = Field(max_length=500)


class RoundShown(BaseModel):
    tool: str
    kinds: list[Kind]


class RollPlan(BaseModel):
    """The tools that go over a roll or mat for what is left of it, in their order; how often hands change the tool when
    each goes over all of it, and when every sheet is finished before the next."""

    rounds: list[RoundShown]
    frames: int
    holder: str
    by_tool: int
    by_frame: int


class FilesAsked(Asked):
    """`kinds`: only lines of these; None: all."""

    form: str = Field(default="plt", max_length=40)
    kinds: list[Kind] | None = Field(default=None, min_length=1, max_length=6)


class FilesWritten(BaseModel):
    folder: str
    names: list[str]
    fetched: bool
    """The cutter of the run finds them in its own folder, too."""


class EntryShown(BaseModel):
    id: int
    state: Literal["good", "look", "stop"]
    words: str
    at: datetime


class ReadWork(ReadAsked):
    sheet_id: RowId | None = None
    """The sheet that should lie there; its code says which one does."""
    start: tuple[float, float] | None = None
    """Where the head waits; without it, at the middle of the edge of the sheet that was loaded."""


class MarksRead(BaseModel):
    found: Literal["marks"] = "marks"
    sheet_id: int | None = None
    """None: held before the sheet was known."""
    verdict: Literal["go", "check", "stop"] | None = None


class CodesShown(BaseModel):
    """Codes of rows in a picture of a sheet; the rows of those that were not seen; what belongs to no row of it."""

    asked: int
    seen: int
    missing: list[int]
    strange: list[str]


class CutWork(CutAsked):
    sheet_id: RowId
    anyway: bool = False
    """Although the fit says stop."""


class SheetCut(BaseModel):
    found: Literal["cut"] = "cut"
    sheet_id: int
    state: Literal["done", "part", "held", "tool", "shape"]
    waits_for: str = ""
    """The tool that hands have to put in."""


class SheetsCut(BaseModel):
    found: Literal["cuts"] = "cuts"
    state: Literal["done", "held"]
    cut: list[str]
    aside: dict[str, str] = {}
    """Why, by the name of the sheet."""
