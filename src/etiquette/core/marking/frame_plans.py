"""What is planned of a frame but its pieces: marks, codes, arrow, slug and where they stand (frames.py, own_marks.py,
pages.py and tile_marks.py plan it)."""

from dataclasses import dataclass
from typing import Literal

from shapely import Polygon

from etiquette.core.marking.codes import CodeKind, FrameCode, code_modules
from etiquette.core.marking.strips import Strip

BAR_HEIGHT_MM = 8.0
"""Height of a linear code: a head that comes a little askew still crosses all bars."""
ANY_CODE = FrameCode("AAAAAA", "head")
"""Every frame code is as large as this one."""
Side = Literal["left", "right"]
Along = Literal["head", "middle", "tail"]


@dataclass(frozen=True)
class Reach:
    """How far the mark reader of a cutter travels."""

    across_mm: float
    along_mm: float


@dataclass(frozen=True)
class Where:
    """Where a frame may lie on its stock. `usable_mm`: how much of the width may be used, in the middle of the stock,
    and `narrowest` says whose limit that is; `from_edge_mm`: how far from the edge at `side` the clear zone of the
    marks begins, None for centred; `lead_mm` stays free before the frame (at the tail of a sheet: behind it);
    `sheet_mm`: the length of the sheet it lies on, None for a roll, and `along` at which end of it; `sever_mm` stays
    free behind it, for cutting it off the roll. Marks at the edges of the stock stay there: only the work moves."""

    usable_mm: float
    narrowest: str = "the stock"
    from_edge_mm: float | None = None
    lead_mm: float = 0.0
    sheet_mm: float | None = None
    sever_mm: float = 0.0
    side: Side = "left"
    along: Along = "head"


@dataclass(frozen=True)
class Mark:
    id: str
    x: float
    y: float


@dataclass(frozen=True)
class CodePlace:
    """A frame code: lower left corner of its modules, and how they are drawn; `code` says what it carries."""

    code: FrameCode
    x: float
    y: float
    kind: CodeKind = "data matrix"
    module_mm: float = 0.8

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of its modules, mm."""
        return code_size_mm(self.kind, self.module_mm)

    @property
    def centre(self) -> tuple[float, float]:
        """Its middle, run millimetres."""
        width, height = self.size
        return (self.x + width / 2, self.y + height / 2)


@dataclass(frozen=True)
class Note:
    """Words with the place where their line begins, and by how much it is turned, counter-clockwise."""

    words: str
    x: float
    y: float
    height_mm: float
    turn_deg: float = 0.0


@dataclass(frozen=True)
class OnBed:
    """Where a blank that is a frame of its own lies while it is printed: on which bed (from 1), its corner on the
    stock, how long that bed is, and how many blanks are printed on it."""

    bed: int
    x_mm: float
    y_mm: float
    length_mm: float
    blanks: int


@dataclass(frozen=True)
class FramePlan:
    """Everything of a frame but its pieces, in run millimetres (x across from the left edge, y along from the leading
    edge). `shift` is what the work moves by from where it was nested. `code` names the frame; with `own_marks` the art
    is a page that brings its marks along: nothing is drawn on it, and where `codes` is empty nothing beside it either,
    neither arrow nor slug."""

    marks: tuple[Mark, ...]
    codes: tuple[CodePlace, ...]
    arrow: Polygon
    slug: str
    slug_at: tuple[float, float]
    shift: tuple[float, float]
    width_mm: float
    length_mm: float
    work: tuple[float, float, float, float]
    code: str = ""
    own_marks: bool = False
    strip: Strip | None = None
    """Colour patches, where they are wanted."""
    black: tuple[tuple[float, float, float, float], ...] = ()
    """Solid boxes (x0, y0, x1, y1): by which a finisher or a rotary station knows where a web is, where tiles meet."""
    notes: tuple[Note, ...] = ()
    """Words beside the work."""
    lies: OnBed | None = None
    """It is a blank, printed together with the others of its bed."""

    @property
    def takes_mm(self) -> float:
        """The length of stock it takes; of a bed its share."""
        return self.lies.length_mm / self.lies.blanks if self.lies else self.length_mm

    def inward(self, mark: Mark) -> tuple[int, int]:
        """The directions from a mark to the middle of the work."""
        x0, y0, x1, y1 = self.work
        return (1 if mark.x < (x0 + x1) / 2 else -1, 1 if mark.y < (y0 + y1) / 2 else -1)


def code_size_mm(kind: CodeKind, module_mm: float) -> tuple[float, float]:
    """Width and height of a frame code without its quiet zone."""
    rows, columns = code_modules(kind, ANY_CODE.payload).shape
    return columns * module_mm, rows * module_mm if rows > 1 else BAR_HEIGHT_MM
