"""SHELF.json: what stands on a Shelf, for another Etiquette or for the day after a new installation. Things refer to
each other by name: numbers are each shop's own."""

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import LARGEST_OWN_MM
from etiquette.core.cutting.profiles import Grain
from etiquette.core.marking.codes import CodeKind
from etiquette.core.marking.marks import MarkInk, Shape
from etiquette.core.printing.intents import Intent
from etiquette.core.printing.plates import SPOT_LOOKS
from etiquette.core.printing.stack import PLATES, Goes
from etiquette.files.contracts import Strict
from etiquette.files.documents.runs import MOST_BLANKS, Blank
from etiquette.files.tool_cards import within
from etiquette.files.web_file import LabelShape, Length, Size, rising

Name = Annotated[str, Field(min_length=1, max_length=120)]
ModeName = Annotated[str, Field(min_length=1, max_length=60)]
Address = Annotated[str, Field(max_length=300)]
"""How a machine is reached (docs/machines.md); empty: not yet."""
OwnOffset = Annotated[float, Field(ge=-LARGEST_OWN_MM, le=LARGEST_OWN_MM)]
"""How far a printer's own knife is led beside its print."""
Price = Annotated[Decimal, Field(ge=0, le=100_000, decimal_places=4)]
LaidDown = Literal["primer", "white", "blocker", "colour", "clear", "height", "braille"]
"""What a printer can lay down; special inks say themselves where they are."""
Range = Annotated[list[Length], Field(max_length=2), AfterValidator(rising)]
"""The least and the most, the least alone, or nothing."""
MOST_THINGS = 5000
MOST_PROFILES = 200
MOST_ICC_LETTERS = 42_000_000


class Values(Strict):
    """`away`: put away, kept for what used it and not offered any more."""

    name: Name
    away: bool = False


class StockValues(Values):
    width_mm: float = Field(ge=50, le=5500)
    price_m2: Price
    currency: str = Field(default="EUR", pattern="^[A-Z]{3}$")
    tolerance_mm: float = Field(ge=0.05, le=5)
    ground: Literal["white", "clear", "dark"]
    takes_film: bool
    primer: bool = False
    """Ink holds on it only over primer."""
    thickness_mm: float = Field(default=0, ge=0, le=20)
    grammage_g_m2: float = Field(default=0, ge=0, le=5000)
    """Noted; it says nothing of the thickness."""
    grain: Grain = ""
    names: dict[str, Annotated[str, Field(max_length=120)]] = Field(default={}, max_length=100)
    """What printers call it: in a file by the name of the printer."""


class RollValues(Values):
    length_mm: float = Field(gt=0, le=1e6)
    remaining_mm: float = Field(ge=0, le=1e6)
    lot: str = Field(default="", max_length=60)
    place: str = Field(default="", max_length=60)


class PrinterValues(Values):
    address: Address = ""
    print_width_mm: float = Field(ge=50, le=6000)
    dpi: float = Field(ge=72, le=2880)
    ink_price_ml: Decimal = Field(ge=0, le=1000, decimal_places=4)
    severs: bool
    sever_mm: float = Field(default=0, ge=0, le=200)
    has_knife: bool
    plates: list[LaidDown] = Field(default=["colour", "white", "clear"], min_length=1, max_length=7)
    white_goes: Literal["under", "over", "either"] = "either"
    ink_bends: bool = True
    """Its ink does not crack where the stock is folded."""


class LaminatorValues(Values):
    film_width_mm: float = Field(ge=50, le=6000)
    film_price_m2: Price


class CutterValues(Values):
    address: Address = ""
    confirm: Literal["oa", "os", "none"] = "oa"
    eye: Address = ""
    table_eye: Address = ""
    reach_across_mm: float = Field(ge=50, le=6000)
    reach_along_mm: float = Field(ge=50, le=50_000)
    edge_mm: float = Field(default=0, ge=0, le=200)
    speed_mm_s: float = Field(default=300, gt=0, le=5000)
    profile: Literal["knife", "fine-knife", "arc-knife"] = "knife"
    mark_shapes: list[Shape] = Field(default=[], max_length=5)
    """The shapes of marks that it reads; none named: any."""
    sensor_across_mm: float = Field(default=0, ge=-100, le=100)
    sensor_along_mm: float = Field(default=0, ge=-100, le=100)
    feed_percent: float = Field(default=100, ge=95, le=105)
    rollers: list[Annotated[float, Field(ge=0, le=6000)]] = Field(default=[], max_length=20)
    """Where rollers press on the stock, across it from where its edge is laid; none: a flat bed."""
    roller_mm: float = Field(default=30, ge=1, le=300)
    at_once_across_mm: OwnOffset = 0
    at_once_along_mm: OwnOffset = 0
    after_marks_across_mm: OwnOffset = 0
    after_marks_along_mm: OwnOffset = 0


class ToolCardValues(Values):
    """The settings of the tool for one kind of line on one stock."""

    tool: str = Field(max_length=60)
    force_gf: Annotated[float, within("force_gf")]
    speed_mm_s: Annotated[float, within("speed_mm_s")]
    overcut_mm: Annotated[float, within("overcut_mm")]
    offset_mm: Annotated[float, within("offset_mm")]
    passes: Annotated[int, within("passes")]
    passes_across: Annotated[int, within("passes_across")] = 0
    force_across_gf: Annotated[float, within("force_across_gf")] = 0.0
    deep_mm: Annotated[float, within("deep_mm")]
    light_mm: Annotated[float, within("light_mm")]
    light_force_gf: Annotated[float, within("light_force_gf")]
    tie_mm: Annotated[float, within("tie_mm")]
    tie_every_mm: Annotated[float, within("tie_every_mm")]


class MarkSetValues(Values):
    shape: Shape
    size_mm: float = Field(ge=2, le=25)
    stroke_mm: float = Field(ge=0.2, le=6)
    count: Literal["2", "3", "4", "more"]
    place: Literal["work", "stock"]
    inset_mm: float = Field(ge=3, le=500)
    code: CodeKind
    ink: MarkInk
    clear_mm: float = Field(ge=1, le=20)
    spacing_mm: float = Field(ge=50, le=2000)
    head_margin_mm: float = Field(ge=0, le=200)
    tail_margin_mm: float = Field(ge=0, le=200)


class PrintModeValues(Values):
    name: ModeName
    dpi: float = Field(ge=72, le=2880)
    passes: int = Field(ge=1, le=64)
    two_way: bool
    m2_per_hour: float = Field(gt=0, le=2000)
    ink_ml_m2: float = Field(gt=0, le=200)
    tactile: bool = False
    """For braille alone: what builds it up, which no run can choose."""
    drying_minutes: float = Field(ge=0, le=10_080)
    touch_dry_minutes: float = Field(default=0, ge=0, le=10_080)
    rest: Literal["", "loose", "hung"] = ""
    profile: str = Field(default="", max_length=80)
    intent: Intent = "relative"
    black_point: bool = True
    converts: bool = False
    keep_black: bool = True


class ColourProfileValues(Values):
    pass


class InkColourValues(Values):
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^/#()<>\[\]{}%]+$")
    cyan: float = Field(ge=0, le=100)
    magenta: float = Field(ge=0, le=100)
    yellow: float = Field(ge=0, le=100)
    black: float = Field(ge=0, le=100)


class FinisherValues(Values):
    """What a finisher of label webs asks of its black mark (WEB.json): no range or None where it does not matter."""

    width_mm: Range = Field(min_length=1)
    height_mm: Range = Field(min_length=1)
    left_mm: Range = []
    bottom_mm: Range = []
    bottom_from: Literal["bottom", "top"] = "bottom"
    not_below_mark: bool = False
    right_of_mark_mm: Length | None = None
    right_free_mm: Length | None = None
    top_free_mm: Length | None = None
    longest_repeat_mm: Annotated[float, Field(gt=0, le=10_000)] | None = None


class DieValues(Values):
    label_width_mm: Size
    label_height_mm: Size
    corner_mm: Length = 0.0
    shape: LabelShape = ()
    columns: Annotated[int, Field(ge=1, le=200)]
    rows: Annotated[int, Field(ge=1, le=500)]
    gap_across_mm: Length = 0.0
    gap_along_mm: Length = 0.0


class HolderValues(Values):
    """A holder for blanks: its size, where they lie in it, and how much wider each opening is on every side."""

    width_mm: Size
    length_mm: Size
    play_mm: Annotated[float, Field(ge=0, le=10)] = 0.0
    places: Annotated[list[Blank], Field(max_length=MOST_BLANKS)] = []


def _no_plate_of_ours(name: str) -> str:
    if name.strip().casefold() in (
        *PLATES,
        *(ink.casefold() for ink in SPOT_LOOKS),
        "cyan",
        "magenta",
        "yellow",
        "black",
    ):
        raise ValueError("that is the name of a plate that is there already")
    return name


class SpecialInkValues(InkColourValues):
    """An ink beside process inks, white and clear; the percents are what a screen shows for it."""

    name: Annotated[
        str, Field(min_length=1, max_length=60, pattern=r"^[^/#()<>\[\]{}%]+$"), AfterValidator(_no_plate_of_ours)
    ]
    goes: Goes = "behind"
    """The eye sees it behind the colours, or before them."""


class ShelfSpecialInk(SpecialInkValues):
    """`printer`: the one that holds it; None: any may."""

    printer: Name | None = None


class ShelfRoll(RollValues):
    """`code`: what its label shows; None, as in files of former versions: it gets one."""

    stock: Name
    code: str | None = Field(default=None, pattern="^[A-Z2-9]{6}$")


class ShelfCutter(CutterValues):
    """`printer`: the one whose own knife it is."""

    printer: Name | None = None


class ShelfPrintMode(PrintModeValues):
    stock: Name
    printer: Name
    colour_profile: Name | None = None


class ShelfColourProfile(ColourProfileValues):
    icc: Annotated[str, Field(max_length=MOST_ICC_LETTERS)]
    """The profile itself, in base64 (RFC 4648)."""


class ShelfToolCard(ToolCardValues):
    cutter: Name
    stock: Name
    kind: Kind


class ShelfFile(Strict):
    """SHELF.json, or a part of one: kinds that are left out stay as they are."""

    version: Literal[1]
    stock: list[StockValues] = Field(default=[], max_length=MOST_THINGS)
    roll: list[ShelfRoll] = Field(default=[], max_length=MOST_THINGS)
    printer: list[PrinterValues] = Field(default=[], max_length=MOST_THINGS)
    laminator: list[LaminatorValues] = Field(default=[], max_length=MOST_THINGS)
    cutter: list[ShelfCutter] = Field(default=[], max_length=MOST_THINGS)
    mark_set: list[MarkSetValues] = Field(default=[], max_length=MOST_THINGS)
    colour_profile: list[ShelfColourProfile] = Field(default=[], max_length=MOST_PROFILES)
    print_mode: list[ShelfPrintMode] = Field(default=[], max_length=MOST_THINGS)
    tool_card: list[ShelfToolCard] = Field(default=[], max_length=MOST_THINGS)
    ink_colour: list[InkColourValues] = Field(default=[], max_length=MOST_THINGS)
    special_ink: list[ShelfSpecialInk] = Field(default=[], max_length=MOST_THINGS)
    finisher: list[FinisherValues] = Field(default=[], max_length=MOST_THINGS)
    die: list[DieValues] = Field(default=[], max_length=MOST_THINGS)
    holder: list[HolderValues] = Field(default=[], max_length=MOST_THINGS)
