"""The plate set of one frame: where marks, codes and work stand on it, and what is shown of it."""

from dataclasses import asdict
from typing import ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict
from shapely import Polygon

from etiquette.core.marking.codes import CodeKind, FrameCode
from etiquette.core.marking.frame_plans import CodePlace, FramePlan, Mark, OnBed
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.strips import Strip
from etiquette.core.printing.intents import Intent
from etiquette.core.printing.stack import PlateName
from etiquette.files.documents.document import Document, Upgrade, Values


class CodeNote(BaseModel):
    """A frame code: what it says and where it lies, in run millimetres."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    frame: str
    end: Literal["head", "tail"]
    x: float
    y: float
    kind: CodeKind
    module_mm: float


class MarkNote(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    id: str
    x: float
    y: float


class StripNote(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    x: float
    y: float
    count: int


class OnBedNote(BaseModel):
    """Where a blank lies while it is printed, with the others of its bed (core.marking.frame_plans.OnBed)."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    bed: int
    x_mm: float
    y_mm: float
    length_mm: float
    blanks: int


class PlanNote(BaseModel):
    """A frame plan as plain values."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    marks: tuple[MarkNote, ...]
    codes: tuple[CodeNote, ...]
    arrow: tuple[tuple[float, float], ...]
    slug: str
    slug_at: tuple[float, float]
    shift: tuple[float, float]
    width_mm: float
    length_mm: float
    work: tuple[float, float, float, float]
    code: str
    """The frame's code, also where none is printed."""
    own_marks: bool = False
    strip: StripNote | None = None
    lies: OnBedNote | None = None
    """A blank of a bed, printed with the others that lie on it."""
    takes_mm: float | None = None
    """The length of stock it takes, where that is not its own."""

    @property
    def stock_mm(self) -> float:
        """The length of stock it takes."""
        return self.length_mm if self.takes_mm is None else self.takes_mm

    @classmethod
    def of(cls, plan: FramePlan) -> Self:
        codes = [
            CodeNote(frame=one.code.frame, end=one.code.end, x=one.x, y=one.y, kind=one.kind, module_mm=one.module_mm)
            for one in plan.codes
        ]
        return cls(
            marks=tuple(MarkNote(id=mark.id, x=mark.x, y=mark.y) for mark in plan.marks),
            codes=tuple(codes),
            arrow=tuple(plan.arrow.exterior.coords[:-1]),
            slug=plan.slug,
            slug_at=plan.slug_at,
            shift=plan.shift,
            width_mm=plan.width_mm,
            length_mm=plan.length_mm,
            work=plan.work,
            code=plan.code,
            own_marks=plan.own_marks,
            strip=StripNote(x=plan.strip.x, y=plan.strip.y, count=plan.strip.count) if plan.strip else None,
            lies=OnBedNote(**asdict(plan.lies)) if plan.lies else None,
            takes_mm=plan.takes_mm if plan.lies else None,
        )

    def to_plan(self) -> FramePlan:
        codes = [CodePlace(FrameCode(one.frame, one.end), one.x, one.y, one.kind, one.module_mm) for one in self.codes]
        return FramePlan(
            marks=tuple(Mark(mark.id, mark.x, mark.y) for mark in self.marks),
            codes=tuple(codes),
            arrow=Polygon(self.arrow),
            slug=self.slug,
            slug_at=self.slug_at,
            shift=self.shift,
            width_mm=self.width_mm,
            length_mm=self.length_mm,
            work=self.work,
            code=self.code,
            own_marks=self.own_marks,
            strip=Strip(self.strip.x, self.strip.y, self.strip.count) if self.strip else None,
            lies=OnBed(**self.lies.model_dump()) if self.lies else None,
        )


def _named_places(values: Values) -> Values:
    """Version 1 kept marks and codes as bare lists; codes first by side, then by kind and module (a Data Matrix of 0.8
    mm before), and the marks first by diameter alone."""
    plan = dict(values["plan"])
    plan["marks"] = [dict(zip(("id", "x", "y"), mark, strict=True)) for mark in plan["marks"]]
    codes = [(*code[:4], *(code[4:] if len(code) == 6 else ("data matrix", 0.8))) for code in plan["codes"]]
    plan["codes"] = [dict(zip(("frame", "end", "x", "y", "kind", "module_mm"), code, strict=True)) for code in codes]
    diameter = values.pop("diameter_mm", None)
    if "marks" not in values:
        values["marks"] = {"size_mm": diameter}
    return {**values, "plan": plan}


def _named_frame(values: Values) -> Values:
    """Version 2 had the code of a frame in its codes alone: there was none without."""
    return {**values, "plan": {**values["plan"], "code": values["plan"]["codes"][0]["frame"]}}


class ColourNote(BaseModel):
    """The profile that a plate set was made for: its name on the Shelf, its file, and how it is used."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    profile: str
    sha: str
    space: Literal["CMYK", "RGB", "GRAY"]
    intent: Intent
    black_point: bool
    converted: bool = False
    keep_black: bool = True


class ArtNote(BaseModel):
    """What of one design can surprise in colour (core.printing.art_colours)."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    design: int
    spaces: tuple[str, ...]
    least_text_pt: float | None
    thin_white_mm: float | None
    overprint: Literal["", "some", "white"]
    kept: tuple[str, ...] = ()
    """What kept its colours although they were to be changed."""


class CodesNote(BaseModel):
    """Codes of rows that were read back from the plate: how many there are, how many were looked at, the rows of the
    first that were not read or said something else, and how many those are."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    there: int
    looked: int
    unread: tuple[int, ...] = ()
    unread_count: int = 0


class PlateSetDocument(Document):
    """What the row of a plate set says of its frame."""

    upgrades: ClassVar[tuple[Upgrade, ...]] = (_named_places, _named_frame)
    plan: PlanNote
    marks: MarkRecipe
    name: str
    stock: str
    frame: int = 1
    """Counted from 1."""
    pieces: int
    placed: tuple[int, ...] = ()
    """The design of every piece, in the order of their numbers; plates of former versions name none."""
    rows: tuple[int, ...] = ()
    """The row that every piece was filled from, in the order of their numbers, 0 for none; empty: all are alike."""
    codes: CodesNote | None = None
    tolerance_mm: float
    order: tuple[PlateName, ...]
    """In which the plates are printed."""
    """“White again” is the plate of white once more."""
    looks: dict[PlateName, tuple[float, float, float, float]] = {}
    """What a screen shows for special inks, CMYK shares from 0 to 1."""
    seen_through: bool = False
    """The colours are seen through the stock."""
    braille_apart: bool = False
    """Braille is on the other side of the stock than the rest: it is not sent with it."""
    inks: dict[str, float] = {}
    """Share of the page that each ink covers."""
    most_ink: float | None = None
    """The most ink on one place, 1 for each full one; plates of former versions do not say."""
    art: tuple[ArtNote, ...] = ()
    half_turn: bool = False
    standard: Literal["plain", "pdf/x-4"] = "plain"
    mode: str = ""
    """The print mode; empty: none was chosen, or the plate set is older than this."""
    colour: ColourNote | None = None
    preview_dpi: float
    bytes: int

    @property
    def code(self) -> str:
        """The frame's code."""
        return self.plan.code
