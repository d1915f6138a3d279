"""What is known of one print at the Bench: what was read, how far the cut is, what became of it."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from etiquette.files.contracts import FitFile
from etiquette.files.documents.document import Document

ReadBy = Literal["head", "photo", "hand"]


class Note(BaseModel):
    """A part of a document."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class MarkRead(Note):
    """A mark and where it was found on the cutter; `looked_mm`: how far round it was looked for; `by_hand`: hands
    pointed at the place, because no mark could be made out there."""

    id: str
    nominal: tuple[float, float]
    measured: tuple[float, float] | None
    tries: int
    looked_mm: float = 0.0
    by_hand: bool = False


class Moved(Note):
    """How the sheet changed since it was planned."""

    along_percent: float
    across_percent: float
    turned_deg: float
    out_of_square_mm: float
    bowed_mm: float


class Mesh(Note):
    """`size` × `size` places over the marks in planned millimetres, how far each moved beyond a turn, a shift and a
    scale, and the miss to expect there."""

    size: int
    nodes: tuple[tuple[float, float], ...]
    moved: tuple[tuple[float, float], ...]
    miss: tuple[float, ...] = ()


class ReadingDocument(Document):
    """The marks of a sheet as they were read, and the fit."""

    code: str
    end: Literal["head", "tail"]
    by: ReadBy = "head"
    looks: int
    drift_mm: float | None = None
    """How far the first mark lay from where it was after the frame was fed out and back; None: it was not, because it
    is short."""
    fit: FitFile
    marks: tuple[MarkRead, ...]
    moved: Moved
    mesh: Mesh

    @property
    def size_percent(self) -> float:
        """The size of the print beside what was planned."""
        along, across = (1 + percent / 100 for percent in (self.moved.along_percent, self.moved.across_percent))
        return float(round(100 * (along * across) ** 0.5, 2))


class CutMiss(Note):
    """How far a cut lies from the print."""

    median_mm: float
    p95_mm: float
    worst_mm: float
    cut_mm: float


class CutDocument(Document):
    """What is shown of a sheet that is cut; `unseen`: why there is no look at it."""

    strokes: int
    cut_mm: float = 0.0
    seconds: float
    cut: CutMiss | None = None
    without: CutMiss | None = None
    """The miss of the same cut had the marks not been read."""
    box: tuple[float, float, float, float] | None = None
    """What part of the table the picture shows, in its millimetres."""
    picture: str | None = None
    """The picture's file."""
    unseen: str | None = None


class PointedMark(Note):
    """A mark and where hands have led the head to it, in mm of the cutter."""

    id: str
    x: float
    y: float


class PointedDocument(Document):
    """The marks of a sheet that hands have pointed out so far, and which end they said lies first."""

    end: Literal["head", "tail"] = "head"
    marks: tuple[PointedMark, ...] = ()


class ProgressDocument(Document):
    """How far the cut of a sheet is: numbers of the lines that are cut, of those in doubt (under the knife when
    something happened; a person says what became of them before it goes on), what it waits for, and the pieces that are
    spoiled."""

    done: tuple[int, ...] = ()
    doubtful: tuple[int, ...] = ()
    wanted: tuple[int, ...] | None = None
    """The pieces asked for; None for all."""
    waits_for: str = ""
    shapes: int = 0
    """Test shapes that were cut beside the work."""
    spoiled: tuple[int, ...] = ()


class StripRead(Document):
    """The colour strip of a sheet as a picture showed it: L*a*b* of each patch against bare stock."""

    patches: dict[str, tuple[float, float, float]]
