"""What goes over the wire at Print."""

from decimal import Decimal
from typing import Literal

from pydantic import BaseModel, Field

from etiquette.core.costing.run_costs import RunCosts
from etiquette.core.printing.stack import PlateName
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.runs import Way
from etiquette.stations.schemas import Asked, Revision, RowId, RunListed, SheetShown


class SheetMade(BaseModel):
    sheet_id: int


class SheetAsked(Asked):
    """A print of a plate. `revision`: of the run that the screen shows; `key`: the same one never prints twice."""

    revision: Revision
    key: str = Field(min_length=8, max_length=80)


class SettleAsked(Asked):
    how: Literal["ask", "printed", "spoiled", "nothing"]


class PrintSettled(BaseModel):
    task_id: int | None
    """The task that follows the print again; None: it is settled."""


class ModeShown(BaseModel):
    """A mode, with what the run takes in it."""

    id: int
    name: str
    minutes: float | None
    """Of printing; None until the run is laid out."""
    drying_minutes: float
    costs: RunCosts | None
    """None until its plates are made."""


class PrintSettings(ColourWishes):
    """What of the run's settings belongs to printing."""

    revision: int
    print_mode_id: int | None
    files: Literal["separate", "one"]
    standard: Literal["plain", "pdf/x-4"]
    strip: bool
    half_turn: bool
    way: Way
    sever: bool
    stack: list[str]
    """The plates in the order that hands chose; empty: as is usual."""


class CheckShown(BaseModel):
    state: Literal["good", "look", "stop"]
    words: str
    can_load: bool
    called: str
    """What the printer calls what lies on it, where that may be the stock of the run; empty: it need not be asked."""
    scanned: bool
    """It rests on the label of a roll that was scanned at the printer."""
    tool: str
    """What hands have to put into the printer's own knife, and can say is in it; empty: nothing."""
    other_roll: int | None
    """A roll of the stock of the run that lies on the printer, and is not the one it is planned on."""
    care: int | None
    """Care of the printer that has to be given first."""


class PlateShown(BaseModel):
    id: int
    bytes: int
    preview_dpi: float
    width_mm: float
    length_mm: float
    pieces: int
    frame: int
    code: str
    bed: int | None
    """On which bed it is printed (from 1), with other blanks that are frames of their own."""
    order: list[PlateName]
    """The plates in the order in which they are printed."""
    looks: dict[str, list[float]]
    """What a screen shows for special inks, CMYK shares from 0 to 1."""
    seen_through: bool
    """The colours are seen through the stock."""
    inks: dict[str, float]
    """The share of the page that each ink covers."""
    mode: str
    """The print mode that it was made for."""
    profile: str | None
    """The profile that its colours are meant for."""
    colours: str | None
    """What colours out of reach become."""


class PlaceShown(BaseModel):
    """One place of a plate: L*a*b* of the art and of the print on its stock, how far apart (CIEDE2000, the stock's
    white left out), and the plate's inks in percent."""

    art: tuple[float, float, float]
    stock: tuple[float, float, float]
    apart: float
    reached: bool
    """Whether that counts as the same colour."""
    plate: dict[str, float]


class CalledAsked(Asked):
    """What a printer calls the stock of a run."""

    name: str = Field(min_length=1, max_length=120)


class ToolPutIn(Asked):
    """What hands have put into the knife of a printer."""

    tool: str = Field(min_length=1, max_length=60)


class ScannedAsked(Asked):
    """What a scanner read from the label of a roll, or somebody typed."""

    label: str = Field(min_length=1, max_length=60)


class SendAllAsked(Asked):
    """All frames of a run. `revision`: of the run that the screen shows; `key`: the same one sends them once."""

    revision: Revision
    key: str = Field(min_length=8, max_length=60)


class RunSend(Asked):
    run_id: RowId
    revision: Revision
    """Of the run that the screen shows."""


class SendSeveralAsked(Asked):
    """All frames of several runs, in this order. `key`: the same one sends them once."""

    runs: list[RunSend] = Field(min_length=1, max_length=100)
    key: str = Field(min_length=8, max_length=50)


class ReadyShown(BaseModel):
    """A run that waits to be sent to the same printer."""

    run: RunListed
    revision: int
    stock_name: str
    same_stock: bool
    frames: int
    length_mm: float
    plated: bool
    """Whether its print files are made."""


class AllSent(BaseModel):
    task_ids: list[int]


class TurnAsked(Asked):
    way: Literal["earlier", "later"]


class PlaceAsked(Asked):
    place: int = Field(ge=0, le=10_000)


class QueuedShown(BaseModel):
    """A sheet that its printer prints now, or that waits for it."""

    task_id: int
    sheet: str
    run_id: int
    run_name: str
    waits: bool


class PatchDiffers(BaseModel):
    """How far a patch is from what it was at the first print (CIEDE2000); `lighter`: by how much L* is higher."""

    patch: str
    delta: float
    lighter: float


class StripShown(BaseModel):
    """The colour strip of a print: whether it was read, and how far it is from that of the `first` print of the same
    designs; without one this is the first."""

    read: bool
    first: str | None = None
    mean: float | None = None
    verdict: Literal["good", "look", "stop"] | None = None
    patches: list[PatchDiffers] = []
    """The largest difference first."""


class PrintShown(BaseModel):
    run: RunListed
    nested: bool
    trouble: str | None
    stock_name: str
    roll_name: str
    roll_left_mm: float
    length_mm: float | None
    stock_cost: Decimal | None
    currency: str
    costs: RunCosts | None
    settings: PrintSettings
    modes: list[ModeShown]
    can_sever: bool
    can_cut: bool
    plates: list[PlateShown]
    printer: str
    film_simulated: bool
    sheets: list[SheetShown]
    strips: dict[int, StripShown]
    """Of the sheets that carry one, by their number."""
    queue: list[QueuedShown]
    """All that its printer has to do, of any run, in the order in which it will be done."""


class PlatesMade(BaseModel):
    found: Literal["plates"] = "plates"
    plate_ids: list[int]


class PrintWork(Asked):
    sheet_id: RowId
    again: bool = False
    """Nothing is handed over: only what became of it is asked and followed."""


class SheetPrinted(BaseModel):
    found: Literal["print"] = "print"
    sheet_id: int
