"""What stands on the Shelf, kind by kind: what can be set, and what is shown beside it."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, computed_field

from etiquette.core.artwork.kinds import Kind
from etiquette.core.marking.codes import CodeKind
from etiquette.core.marking.marks import CANNOT_SHOW, MarkInk, Shape
from etiquette.devices.addresses import parsed
from etiquette.devices.contracts import MachineKind
from etiquette.files.tool_cards import within
from etiquette.store import models


class Values(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    name: str = Field(min_length=1, max_length=120)
    away: bool = False


class StockValues(Values):
    width_mm: float = Field(ge=50, le=5500)
    price_m2: Decimal = Field(ge=0, le=100_000, decimal_places=4)
    tolerance_mm: float = Field(ge=0.05, le=5)
    ground: Literal["white", "clear", "dark"]
    takes_film: bool
    thickness_mm: float = Field(default=0, ge=0, le=20)


class RollValues(Values):
    length_mm: float = Field(gt=0, le=1e6)
    remaining_mm: float = Field(ge=0, le=1e6)


def _address(kind: MachineKind) -> AfterValidator:
    """An address of a machine of `kind`, or none yet."""

    def checked(text: str) -> str:
        if text.strip():
            parsed(text, kind)
        return text.strip()

    return AfterValidator(checked)


class PrinterValues(Values):
    address: Annotated[str, Field(max_length=300), _address("printer")] = ""
    print_width_mm: float = Field(ge=50, le=6000)
    dpi: float = Field(ge=72, le=2880)
    ink_price_ml: Decimal = Field(ge=0, le=1000, decimal_places=4)
    severs: bool
    has_knife: bool


class LaminatorValues(Values):
    film_width_mm: float = Field(ge=50, le=6000)
    film_price_m2: Decimal = Field(ge=0, le=100_000, decimal_places=4)


class CutterValues(Values):
    address: Annotated[str, Field(max_length=300), _address("cutter")] = ""
    confirm: Literal["oa", "os", "none"] = "oa"
    eye: Annotated[str, Field(max_length=300), _address("eye")] = ""
    table_eye: Annotated[str, Field(max_length=300), _address("eye")] = ""
    reach_across_mm: float = Field(ge=50, le=6000)
    reach_along_mm: float = Field(ge=50, le=50_000)
    edge_mm: float = Field(ge=0, le=200)
    holder: str = Field(max_length=60)
    profile: Literal["knife", "fine-knife", "arc-knife"]
    sensor_across_mm: float = Field(ge=-100, le=100)
    sensor_along_mm: float = Field(ge=-100, le=100)
    feed_percent: float = Field(ge=95, le=105)


class ToolCardValues(Values):
    tool: str = Field(max_length=60)
    force_gf: Annotated[float, within("force_gf")]
    speed_mm_s: Annotated[float, within("speed_mm_s")]
    overcut_mm: Annotated[float, within("overcut_mm")]
    offset_mm: Annotated[float, within("offset_mm")]
    passes: Annotated[int, within("passes")]
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
    dpi: float = Field(ge=72, le=2880)
    passes: int = Field(ge=1, le=64)
    two_way: bool
    m2_per_hour: float = Field(gt=0, le=2000)
    ink_ml_m2: float = Field(gt=0, le=200)
    drying_minutes: float = Field(ge=0, le=10_080)
    profile: str = Field(max_length=80)


class InkColourValues(Values):
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^/#()<>\[\]{}%]+$")
    cyan: float = Field(ge=0, le=100)
    magenta: float = Field(ge=0, le=100)
    yellow: float = Field(ge=0, le=100)
    black: float = Field(ge=0, le=100)


class _Shown(BaseModel):
    """A row: its number, its version, its values."""

    model_config = ConfigDict(from_attributes=True, extra="ignore")
    id: int
    version: int


class StockShown(StockValues, _Shown):
    currency: str


class RollShown(RollValues, _Shown):
    stock_id: int


class PrinterShown(PrinterValues, _Shown):
    machine: str
    simulated: bool


class LaminatorShown(LaminatorValues, _Shown):
    pass


class CutterShown(CutterValues, _Shown):
    simulated: bool


class ToolCardShown(ToolCardValues, _Shown):
    stock_id: int
    cutter_id: int
    kind: Kind


class MarkSetShown(MarkSetValues, _Shown):
    @computed_field
    def cannot_show(self) -> str:
        """What so few marks cannot show, in a sentence; empty: nothing."""
        return CANNOT_SHOW[self.count]


class PrintModeShown(PrintModeValues, _Shown):
    stock_id: int
    printer_id: int


class InkColourShown(InkColourValues, _Shown):
    pass


@dataclass(frozen=True)
class ThingKind:
    """A kind of thing: its table, what of it can be set, and what is shown."""

    model: type[Any]
    values: type[Values]
    shown: type[BaseModel]


KINDS: dict[str, ThingKind] = {
    "stock": ThingKind(models.Stock, StockValues, StockShown),
    "roll": ThingKind(models.Roll, RollValues, RollShown),
    "printer": ThingKind(models.Printer, PrinterValues, PrinterShown),
    "laminator": ThingKind(models.Laminator, LaminatorValues, LaminatorShown),
    "cutter": ThingKind(models.Cutter, CutterValues, CutterShown),
    "tool_card": ThingKind(models.ToolCard, ToolCardValues, ToolCardShown),
    "mark_set": ThingKind(models.MarkSet, MarkSetValues, MarkSetShown),
    "print_mode": ThingKind(models.PrintMode, PrintModeValues, PrintModeShown),
    "ink_colour": ThingKind(models.InkColour, InkColourValues, InkColourShown),
}
