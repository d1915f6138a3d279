"""What goes over the wire at the Shelf."""

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import Card
from etiquette.devices.contracts import MachineKind
from etiquette.stations.schemas import Asked, Revision, RowId
from etiquette.stations.set_up import Place
from etiquette.stations.shelf.things import (
    ColourProfileShown,
    CutterShown,
    DieShown,
    FinisherShown,
    HolderShown,
    InkColourShown,
    LaminatorShown,
    MarkSetShown,
    PrinterShown,
    PrintModeShown,
    RollShown,
    SpecialInkShown,
    StockShown,
    ToolCardShown,
)


class CardEntered(Asked):
    card: str = Field(max_length=20)
    stock_id: RowId
    cutter_id: RowId | None = None
    """The cutter, or the printer's own knife, of a card that is cut."""
    printer_id: RowId | None = None
    """The printer of a card that is only printed; None: the first one."""
    kind: Kind = "kiss"
    readings: dict[str, float] = Field(max_length=40)
    ready: str | None = Field(default=None, max_length=60)
    """The tool that hands have put in for it."""
    bare: bool = False
    """Hands say that a bare piece lies under the knife of the printer, not what was printed last."""
    key: str | None = Field(default=None, min_length=8, max_length=60)
    """Of what is cut or printed: the same one makes one card."""


class ReadingEntered(BaseModel):
    id: int
    card: str
    words: str
    cutter_id: int | None
    printer_id: int | None
    stock_id: int | None
    at: datetime


class CardsShown(BaseModel):
    cards: list[Card]
    history: list[ReadingEntered]


class ShelfShown(BaseModel):
    tool_card: list[ToolCardShown]
    stock: list[StockShown]
    roll: list[RollShown]
    printer: list[PrinterShown]
    laminator: list[LaminatorShown]
    print_mode: list[PrintModeShown]
    cutter: list[CutterShown]
    mark_set: list[MarkSetShown]
    colour_profile: list[ColourProfileShown]
    ink_colour: list[InkColourShown]
    special_ink: list[SpecialInkShown]
    finisher: list[FinisherShown]
    die: list[DieShown]
    holder: list[HolderShown]
    mark_presets: list[str]
    """Names of mark sets that can be added."""


class AddAsked(Asked):
    """A new thing: `like` another one, or as is usual; what it hangs on, where it does; a mark set from a `preset`."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    like: RowId | None = None
    preset: str | None = Field(default=None, max_length=120)
    stock_id: RowId | None = None
    printer_id: RowId | None = None


class FileAsked(Asked):
    """A SHELF.json, or a CSV of colours, as its text."""

    name: str = Field(default="The file", max_length=200)
    text: str = Field(max_length=60_000_000)


class ThingNamed(Asked):
    """One thing of a file, as it is listed."""

    kind: str = Field(max_length=20)
    name: str = Field(max_length=400)


class TakeAsked(FileAsked):
    chosen: list[ThingNamed] = Field(max_length=50_000)


class InFile(ThingNamed):
    """A thing in a file beside what stands here; `words`: what is other."""

    state: Literal["new", "differs", "same"]
    words: str


class Taken(BaseModel):
    added: int
    changed: int


class ThingAdded(BaseModel):
    id: int
    shelf: ShelfShown


class LoadedThere(BaseModel):
    name: str
    width_mm: float | None
    length_mm: float | None


class NearbyShown(BaseModel):
    """Something that can be reached from here and may be a machine: a printer that announces itself, a port."""

    kind: MachineKind
    name: str
    address: str
    words: str


class OpenShown(BaseModel):
    """What a shop still lacks, and at which place of the way of the work."""

    what: str
    words: str
    place: Place


class WhoAnswered(BaseModel):
    """What answers at the address of a machine; `waits`: for what, in words."""

    make: str
    model: str
    id: str
    understands: list[str]
    state: Literal["ready", "busy", "stopped", "unknown"]
    waits: str
    loaded: list[LoadedThere]


class ShelfEdit(Asked):
    """`reason`: why a roll has another length now."""

    version: Revision
    changes: dict[str, Any]
    reason: str = Field(default="", max_length=200)


class RollEntryShown(BaseModel):
    """A line of a roll's ledger: what came or went, and why."""

    length_mm: float
    reason: str
    at: datetime
    who: str


class PrintedCard(CardEntered):
    scan: str = Field(pattern="^[0-9a-f]{64}$")
    mm_per_px: float = Field(gt=0, le=1)


class ScanKept(BaseModel):
    """The picture of a printed card, and how fine it is."""

    scan: str
    mm_per_px: float


class StepShown(BaseModel):
    """A step of a card that was cut: its words, and where they stand, in millimetres."""

    x: float
    y: float
    words: str


class CardCut(BaseModel):
    found: Literal["card"] = "card"
    state: Literal["cut", "held", "tool"]
    waits_for: str = ""
    steps: list[StepShown] = []
    box: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    can_read: bool = False


class CardRead(BaseModel):
    found: Literal["readings"] = "readings"
    readings: dict[str, float]


class CardPrinted(BaseModel):
    found: Literal["card print"] = "card print"
    print: str
    waits_for: str = ""
