"""RUN.json: a run with all that its print files are made from, so that it can be made without a browser."""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from etiquette.core.artwork.kinds import Kind
from etiquette.core.finishing.lines import EdgeSettings
from etiquette.core.marking.codes import CODE_LENGTH, PLAIN, CodeKind, module_mm
from etiquette.core.marking.frames import Along, Reach, Side, Where, printable_mm
from etiquette.core.marking.marks import Count, MarkInk, MarkRecipe, Shape, printed_past_mm
from etiquette.core.marking.slug_words import unknown_in
from etiquette.core.printing.corrections import Replaced, levels_of
from etiquette.core.printing.intents import Intent
from etiquette.core.production.designs import DesignSettings, SpotSettings
from etiquette.files.contracts import LayoutFile, Strict
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.designs import GROUND
from etiquette.files.documents.runs import WeedDocument
from etiquette.files.line_rules import LineName

HEX = "^#[0-9a-f]{6}$"
Share = Annotated[float, Field(ge=0, le=100)]


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


class ReplacedFile(Strict):
    """A colour of the art that is printed as another one."""

    colour: Annotated[str, Field(pattern=HEX)]
    to: Annotated[str, Field(pattern=HEX)] | tuple[Share, Share, Share, Share] | None = None
    """#rrggbb, or percent of cyan, magenta, yellow and black; none: white."""
    within: Annotated[float, Field(ge=0.5, le=40)] = 5.0

    def to_replaced(self) -> Replaced:
        if self.to is None:
            return Replaced(levels_of(self.colour), None, self.within)
        if isinstance(self.to, str):
            return Replaced(levels_of(self.colour), ("rgb", tuple(n / 255 for n in levels_of(self.to))), self.within)
        return Replaced(levels_of(self.colour), ("cmyk", tuple(share / 100 for share in self.to)), self.within)


class RunDesignFile(ColourWishes, Strict):
    """One design. Paths are relative to the folder of RUN.json."""

    id: Annotated[str, Field(min_length=1, max_length=120)]
    art: str
    page: Annotated[int, Field(ge=1)] = 1
    width_mm: Annotated[float, Field(gt=0.5, le=20_000)] | None = None
    """None: as the file says."""
    lines: str | None = None
    """A LINES.svg; none: lines that the line rules catch in vector art, else the edge of the art."""
    rules: str | None = None
    """A RULES.json; none: the default ones. Paths that they catch are not printed, whether `lines` is given or not."""
    ground: Annotated[str, Field(pattern=GROUND)] = "auto"
    """What of a picture is background: found by itself, its transparency (alpha), or colours, #rrggbb."""
    distance: Annotated[float, Field(ge=0, le=100)] | None = None
    """Colour distance within which a pixel is background; without one it is found from the rim's own noise."""
    bleed_mm: Annotated[float, Field(ge=0, le=50)] = 0.0
    """Bleed made of the colours at the edge of the art, this far past the line."""
    white: Literal["none", "art", "line"] = "none"
    white_choke_mm: Annotated[float, Field(ge=-5, le=5)] = 0.0
    clear: Literal["none", "art", "line"] = "none"
    clear_choke_mm: Annotated[float, Field(ge=-5, le=5)] = 0.0
    clear_raised: bool = False
    """Clear is built up in passes: the plate of height."""
    replaced: Annotated[list[ReplacedFile], Field(max_length=24)] = []

    def to_settings(self, own_lines_only: bool = False) -> DesignSettings:
        return DesignSettings(
            name=self.id,
            edge=EdgeSettings(ground=self.ground, distance=self.distance),
            own_lines_only=own_lines_only,
            bleed_mm=self.bleed_mm,
            spots={
                "white": SpotSettings(self.white, self.white_choke_mm),
                "clear": SpotSettings(self.clear, self.clear_choke_mm),
            },
        )


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

    @field_validator("slug")
    @classmethod
    def _fields_are_known(cls, words: str | None) -> str | None:
        strange = unknown_in(words or "")
        if strange:
            raise ValueError(f"{strange} is no field of a slug")
        return words
