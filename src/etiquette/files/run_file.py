"""RUN.json: a run with all that its print files are made from, so that it can be made without a browser."""

from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from etiquette.core.artwork.kinds import Kind
from etiquette.core.marking.codes import CODE_LENGTH, PLAIN, CodeKind, module_mm
from etiquette.core.marking.frame_plans import Along, Reach, Side, Where
from etiquette.core.marking.frames import printable_mm
from etiquette.core.marking.marks import Count, MarkInk, MarkRecipe, Shape, printed_past_mm
from etiquette.core.marking.slug_words import unknown_in
from etiquette.core.printing.intents import Intent
from etiquette.core.printing.stack import SpecialInk
from etiquette.files.contracts import LayoutFile, Strict
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.runs import WeedDocument
from etiquette.files.line_rules import LineName
from etiquette.files.run_design_file import RunDesignFile
from etiquette.files.shelf_file import SpecialInkValues


class RunStockFile(Strict):
    name: str = ""
    width_mm: Annotated[float, Field(gt=20, le=10_000)]
    ground: Literal["white", "clear", "dark"] = "white"
    """On clear and dark stock marks and codes get a white patch of their own."""
    primer: bool = False
    """Ink holds on it only over primer: a plate of it under all that is printed."""
    sheet_mm: Annotated[float, Field(gt=50, le=100_000)] | None = None
    """Sheets of this length, one frame on each; none: a roll."""
    sever_mm: Annotated[float, Field(ge=0, le=200)] = 0.0
    """Left free behind every frame of a roll, for cutting it off."""


class RunMarksFile(Strict):
    shape: Shape = "disc"
    ink: MarkInk = "black"
    size_mm: Annotated[float, Field(ge=2, le=25)] = 6.0
    stroke_mm: Annotated[float, Field(ge=0.2, le=6)] = 1.0
    clear_mm: Annotated[float, Field(ge=0, le=50)] = 3.0
    count: Count = "more"
    spacing_mm: Annotated[float, Field(ge=50, le=5000)] = 400.0
    place: Literal["work", "stock"] = "work"
    inset_mm: Annotated[float, Field(ge=1, le=1000)] = 15.0
    inset_work_mm: Annotated[float, Field(ge=0, le=500)] = 0.0
    head_margin_mm: Annotated[float, Field(ge=0, le=500)] = 10.0
    tail_margin_mm: Annotated[float, Field(ge=0, le=500)] = 30.0
    code: CodeKind = "data matrix"


class RunCutterFile(Strict):
    reach_across_mm: Annotated[float, Field(gt=0, le=10_000)] = 1600.0
    reach_along_mm: Annotated[float, Field(gt=0, le=100_000)] = 3000.0
    edge_mm: Annotated[float, Field(ge=0, le=500)] = 0.0


class RunFile(ColourWishes, Strict):
    """RUN.json. The layout is as nested, between the marks: its `sheet` is the frame. Marks and codes are laid round
    the work of every frame."""

    name: Annotated[str, Field(min_length=1, max_length=120)] = "Run"
    customer: str = ""
    job: str = ""
    operator: str = ""
    date: str = ""
    """Printed in the slug."""
    slug: Annotated[str, Field(max_length=120)] | None = None
    """What the slug says after the code of its frame: none, the run, customer and date; empty, no slug at all; else
    these words, with {run}, {customer}, {job}, {date} and {stock} filled in."""
    arrow_side: Side = "left"
    """Where the feed arrow stands; the slug stands on the other one."""
    stock: RunStockFile
    designs: Annotated[list[RunDesignFile], Field(min_length=1)]
    inks: Annotated[list[SpecialInkValues], Field(max_length=12)] = []
    """The special inks that its designs name."""
    layout: LayoutFile | str
    """A layout, or the path of a LAYOUT.json."""
    weed: WeedDocument = WeedDocument()
    """Lines that help weeding."""
    gap_mm: Annotated[float, Field(ge=0, le=200)] = 2.0
    """Bleed is printed no further than half the gap from a piece."""
    marks: RunMarksFile = RunMarksFile()
    cutter: RunCutterFile = RunCutterFile()
    codes: list[Annotated[str, Field(pattern=f"^[{PLAIN}]{{{CODE_LENGTH}}}$")]] = []
    """The code of every frame; missing ones are made and told in the summary."""
    printer_dpi: Annotated[float, Field(ge=72, le=2880)] = 150.0
    """Modules of the codes are whole dots of it."""
    start_across_mm: Annotated[float, Field(ge=0)] | None = None
    start_side: Side = "left"
    """From which edge of the stock that is measured."""
    start_along_mm: Annotated[float, Field(ge=0)] = 0.0
    along: Along = "head"
    """At which end of its sheet a frame lies that is shorter."""
    files: Literal["separate", "one"] = "separate"
    """Primer, white, clear and height as files of their own, in register, or as spots of the colour file."""
    half_turn: bool = False
    companion: bool = False
    """Also a PDF with the finish lines as layers marked by ISO 19593-1."""
    line_names: dict[Kind, LineName] = {}
    """What layers and spot colours of the lines are called in it."""
    output_profile: str | None = None
    """Path of an ICC profile for the output intent; none: sRGB."""
    intent: Intent = "relative"
    black_point: bool = True
    """How art is converted by that profile."""
    converts: bool = False
    """RGB is converted in the print file, by a CMYK profile."""
    keep_black: bool = True
    """Pure black is then printed with black ink alone."""
    strip: bool = False
    """A strip of colour patches at the tail of the frame."""
    standard: Literal["plain", "pdf/x-4"] = "plain"

    def recipe(self) -> MarkRecipe:
        module = module_mm(self.marks.code, self.printer_dpi)
        return MarkRecipe(
            **self.marks.model_dump(),
            cutter_edge_mm=self.cutter.edge_mm,
            code_module_mm=module,
            bleed_mm=printed_past_mm(self.gap_mm),
        )

    def reach(self) -> Reach:
        return Reach(self.cutter.reach_across_mm, self.cutter.reach_along_mm)

    def where(self, frame: int) -> Where:
        lead = self.start_along_mm if frame == 0 or self.stock.sheet_mm is not None else 0.0
        usable = printable_mm(self.stock.width_mm)
        sever = self.stock.sever_mm if self.stock.sheet_mm is None else 0.0
        name, sheet = self.stock.name or "the stock", self.stock.sheet_mm
        return Where(usable, name, self.start_across_mm, lead, sheet, sever, self.start_side, self.along)

    def slug_fields(self) -> dict[str, str]:
        """What the fields of its slug say."""
        return {
            "run": self.name, "customer": self.customer, "job": self.job, "date": self.date, "stock": self.stock.name,
            "operator": self.operator,
        }  # fmt: skip

    def special_inks(self) -> list[SpecialInk]:
        looks = {one.name: (one.cyan, one.magenta, one.yellow, one.black) for one in self.inks}
        return [SpecialInk(one.name, tuple(n / 100 for n in looks[one.name]), one.goes) for one in self.inks]  # type: ignore[arg-type]

    @model_validator(mode="after")
    def _what_designs_name_is_there(self) -> Self:
        inks, designs = [one.name for one in self.inks], {one.id for one in self.designs}
        if len(set(inks)) < len(inks):
            raise ValueError("an ink is named twice")
        for one in self.designs:
            if strange := one.inks() - set(inks):
                raise ValueError(f"{one.id} names an ink that the run does not have: {', '.join(sorted(strange))}")
            other = one.both_sides.other if one.both_sides else None
            if other is not None and other not in designs:
                raise ValueError(f"{one.id} shows {other} on its other side, a design that the run does not have")
        return self

    @field_validator("slug")
    @classmethod
    def _fields_are_known(cls, words: str | None) -> str | None:
        strange = unknown_in(words or "")
        if strange:
            raise ValueError(f"{strange} is no field of a slug")
        return words
