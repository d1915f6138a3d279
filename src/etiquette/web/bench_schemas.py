"""What the Bench and the test cards show and take, as JSON."""

from datetime import datetime
from typing import Literal

from pydantic import BaseModel

from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import Card
from etiquette.files.contracts import FitFile
from etiquette.stations.bench_views import PieceOnSheet, ToolStep
from etiquette.web.schemas import PlanShown, SheetShown


class ReadMarkShown(BaseModel):
    id: str
    nominal: tuple[float, float]
    measured: tuple[float, float] | None
    tries: int
    by_hand: bool = False
    """Hands pointed at it: no mark could be made out there."""


class Moved(BaseModel):
    along_percent: float
    across_percent: float
    turned_deg: float
    out_of_square_mm: float
    bowed_mm: float


class Mesh(BaseModel):
    size: int
    nodes: list[tuple[float, float]]
    moved: list[tuple[float, float]]
    miss: list[float] = []
    """The miss to expect at every node."""


class ReadingShown(BaseModel):
    code: str
    end: Literal["head", "tail"]
    fit: FitFile
    by: Literal["head", "photo"] = "head"
    looks: int
    marks: list[ReadMarkShown]
    moved: Moved
    mesh: Mesh


class CutReport(BaseModel):
    median_mm: float
    p95_mm: float
    worst_mm: float
    cut_mm: float


class CutShown(BaseModel):
    cut: CutReport
    without: CutReport
    strokes: int
    seconds: float
    box: tuple[float, float, float, float]


class FileForm(BaseModel):
    name: str
    words: str


class BenchShown(BaseModel):
    sheet: SheetShown
    plan: PlanShown
    pieces: list[PieceOnSheet]
    tools: list[ToolStep]
    waits_for: str
    """The tool that has to be put in before the cut goes on."""
    head_waits: tuple[float, float]
    """Where the head waits before the first code: across the sheet from its left edge, and in from its edge."""
    size_percent: float | None
    """The size of the print beside what was planned, from the marks."""
    tolerance_mm: float
    preview: str
    reading: ReadingShown | None
    report: CutShown | None
    file_forms: list[FileForm]
    """Forms in which its cut can be written to files."""


class LoadAsked(BaseModel):
    end: Literal["head", "tail"]


class CountAsked(BaseModel):
    good: int


class ReadAsked(BaseModel):
    by: Literal["head", "photo"] = "head"


class WindowShown(BaseModel):
    """What the head sees, its middle at (x, y) on the cutter: a PNG in base64, as many mm wide and high."""

    png: str
    x: float
    y: float
    side_mm: float


class PlaceAsked(BaseModel):
    x: float
    y: float


class CutAsked(BaseModel):
    pieces: list[int] | None = None
    kinds: list[Kind] | None = None
    one: bool = False
    ready: str | None = None
    """The tool that has been put in."""


class SpoiledAsked(BaseModel):
    spoiled: list[int]


class RollAsked(BaseModel):
    sheet_ids: list[int]
    end: Literal["head", "tail"]
    check: bool = False


class MatAsked(BaseModel):
    sheet_ids: list[int]
    check: bool = False


class FilesAsked(BaseModel):
    form: str = "plt"


class FilesWritten(BaseModel):
    folder: str
    names: list[str]


class EntryShown(BaseModel):
    id: int
    state: Literal["good", "look", "stop"]
    words: str
    at: datetime


class CardEntered(BaseModel):
    card: str
    cutter_id: int
    stock_id: int
    kind: Kind = "kiss"
    readings: dict[str, float]


class ReadingEntered(BaseModel):
    id: int
    card: str
    words: str
    cutter_id: int
    stock_id: int | None
    at: datetime


class CardsShown(BaseModel):
    cards: list[Card]
    history: list[ReadingEntered]
