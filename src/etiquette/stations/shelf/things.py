"""What stands on the Shelf, kind by kind: what can be set, and what is shown beside it."""

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, computed_field

from etiquette.core.artwork.kinds import Kind
from etiquette.core.marking.marks import CANNOT_SHOW
from etiquette.devices.addresses import parsed
from etiquette.devices.contracts import MachineKind
from etiquette.files import shelf_file
from etiquette.files.shelf_file import (
    Address,
    ColourProfileValues,
    DieValues,
    FinisherValues,
    HolderValues,
    InkColourValues,
    LaminatorValues,
    MarkSetValues,
    RollValues,
    StockValues,
    ToolCardValues,
    Values,
)
from etiquette.store import models


def _address(kind: MachineKind) -> AfterValidator:
    """An address of a machine of `kind`, or none yet."""

    def checked(text: str) -> str:
        if text.strip():
            parsed(text, kind)
        return text.strip()

    return AfterValidator(checked)


class PrinterValues(shelf_file.PrinterValues):
    address: Annotated[Address, _address("printer")] = ""


class CutterValues(shelf_file.CutterValues):
    address: Annotated[Address, _address("cutter")] = ""
    eye: Annotated[Address, _address("eye")] = ""
    table_eye: Annotated[Address, _address("eye")] = ""
    holder: str = Field(max_length=60)


class PrintModeValues(shelf_file.PrintModeValues):
    colour_profile_id: int | None = Field(default=None, ge=1)


class SpecialInkValues(shelf_file.SpecialInkValues):
    printer_id: int | None = Field(default=None, ge=1)


class _Shown(BaseModel):
    """A row: its number, its version, its values."""

    model_config = ConfigDict(from_attributes=True, extra="ignore")
    id: int
    version: int


class StockShown(StockValues, _Shown):
    pass


class RollShown(RollValues, _Shown):
    stock_id: int


class PrinterShown(PrinterValues, _Shown):
    machine: str
    simulated: bool


class LaminatorShown(LaminatorValues, _Shown):
    pass


class CutterShown(CutterValues, _Shown):
    simulated: bool
    printer_id: int | None


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


class ColourProfileShown(ColourProfileValues, _Shown):
    description: str
    space: Literal["CMYK", "RGB", "GRAY"]
    white_l: float
    white_a: float
    white_b: float
    ink_limit: float | None


class InkColourShown(InkColourValues, _Shown):
    pass


class SpecialInkShown(SpecialInkValues, _Shown):
    pass


class FinisherShown(FinisherValues, _Shown):
    pass


class DieShown(DieValues, _Shown):
    pass


class HolderShown(HolderValues, _Shown):
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
    "colour_profile": ThingKind(models.ColourProfile, ColourProfileValues, ColourProfileShown),
    "ink_colour": ThingKind(models.InkColour, InkColourValues, InkColourShown),
    "special_ink": ThingKind(models.SpecialInk, SpecialInkValues, SpecialInkShown),
    "finisher": ThingKind(models.Finisher, FinisherValues, FinisherShown),
    "die": ThingKind(models.KeptDie, DieValues, DieShown),
    "holder": ThingKind(models.Holder, HolderValues, HolderShown),
}
