"""What a run is told: the settings that are edited, and its layout with the key of what it was laid from."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field

from etiquette.core.artwork.kinds import Kind
from etiquette.core.marking.frame_plans import Along, Side
from etiquette.core.planning.bed_plans import Place, Shape
from etiquette.core.planning.grids import Place as GridPlace
from etiquette.core.planning.weeding import WeedWish
from etiquette.files.contracts import LayoutFile
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.document import Document, changes_of

Way = Literal["print", "both", "cut", "only"]
"""Printed for a cutter; on a printer with a knife of its own printed and cut, or cut what it printed last; only
printed: no cutter, no marks, no lines."""
MOST_BLANKS = 200
"""On one bed."""
MOST_KEPT = 4
"""Layouts kept side by side."""


class _Told(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class RunItem(BaseModel):
    model_config = ConfigDict(extra="forbid")
    design_id: int = Field(ge=1, le=2**31 - 1)
    count: int = Field(ge=1, le=10_000)


class GridDocument(_Told):
    """How pieces stand in a straight grid; `columns`, `rows` (of a frame) None: as many as fit."""

    columns: int | None = Field(default=None, ge=1, le=1000)
    rows: int | None = Field(default=None, ge=1, le=1000)
    gap_across_mm: float = Field(default=2.0, ge=0, le=200)
    gap_along_mm: float = Field(default=2.0, ge=0, le=200)
    place: GridPlace = "centred"
    staggered: bool = False
    rotation_deg: Literal[0, 90, 180, 270] = 0


class Blank(_Told):
    """A blank on a bed or in a holder: its left and its near edge from the corner, its size, and by how much the piece
    on it is turned."""

    x_mm: float = Field(ge=0, le=10_000)
    y_mm: float = Field(ge=0, le=10_000)
    width_mm: float = Field(ge=5, le=5000)
    height_mm: float = Field(ge=5, le=5000)
    shape: Shape = "rectangle"
    rotation_deg: Literal[0, 90, 180, 270] = 0

    def to_place(self, takes: frozenset[str] | None = None) -> Place:
        return Place(self.x_mm, self.y_mm, self.width_mm, self.height_mm, self.rotation_deg, self.shape, takes)


class BedPlace(Blank):
    """A blank that was set down on the bed of a run, and what may lie on it; `design_id` None: any; `stock_id`: what it
    is made of, where that is not the stock of the run."""

    design_id: int | None = None
    stock_id: int | None = None


class BedDocument(_Told):
    """Where blanks or sheets lie on a bed, each for one piece: in rows of one size (`columns`, `rows` None: as many as
    fit), or the `places` where they were set down one by one."""

    place_across_mm: float = Field(default=100.0, ge=5, le=5000)
    place_along_mm: float = Field(default=100.0, ge=5, le=5000)
    first_across_mm: float = Field(default=0.0, ge=0, le=2000)
    first_along_mm: float = Field(default=0.0, ge=0, le=2000)
    gap_across_mm: float = Field(default=5.0, ge=0, le=500)
    gap_along_mm: float = Field(default=5.0, ge=0, le=500)
    columns: int | None = Field(default=None, ge=1, le=1000)
    rows: int | None = Field(default=None, ge=1, le=1000)
    rotation_deg: Literal[0, 90, 180, 270] = 0
    places: list[BedPlace] = Field(default=[], max_length=MOST_BLANKS)
    marks: Literal["round", "each"] = "round"
    """Round the bed; or on each blank, which is taken to the cutter by itself."""

    def renamed(self, numbers: Mapping[int, int], keep_stock: bool = True) -> Self:
        """The same with other numbers of designs; what has none may be any."""
        kept = [
            one.model_copy(
                update={
                    "design_id": numbers.get(one.design_id or 0),
                    "stock_id": one.stock_id if keep_stock else None,
                }
            )
            for one in self.places
        ]
        return self.model_copy(update={"places": kept})


class WeedDocument(_Told):
    """Lines that help weeding, cut as kiss lines round and between the pieces of every frame."""

    box: bool = False
    margin_mm: float = Field(default=2.0, ge=0, le=50)
    lines: Literal["none", "across", "along", "both"] = "none"
    strip_mm: float = Field(default=150.0, ge=10, le=2000)
    clear_mm: float = Field(default=1.0, ge=0.2, le=20)

    def to_wish(self) -> WeedWish:
        return WeedWish(self.box, self.margin_mm, self.lines, self.strip_mm, self.clear_mm)


class ToolForJob(_Told):
    """What of a tool card is another one for this run alone; None: as on the Shelf. Bounds are those of the card."""

    force_gf: float | None = None
    speed_mm_s: float | None = None
    passes: int | None = None
    tie_mm: float | None = None


class KeptLayout(_Told):
    """A layout set aside to compare: the settings it was made with, what it costs."""

    name: str = Field(min_length=1, max_length=60)
    settings: dict[str, Any]
    length_mm: float
    used_share: float
    pieces: int
    cost: Decimal


class FilledDocument(_Told):
    """The rows that copies of one design have in a run, as first and last of each stretch, and the table they are of
    (None: they are only counted)."""

    table_id: int | None = None
    ranges: list[tuple[int, int]] = Field(default=[], max_length=10_000)

    def numbers(self) -> list[int]:
        return [number for first, last in self.ranges for number in range(first, last + 1)]


class RunDocument(ColourWishes, Document):
    """The settings of a run that are edited, and its layout with the key of what it was nested from."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    stock_id: int
    roll_id: int
    printer_id: int | None = None
    laminator_id: int | None = None
    """None: without film."""
    cutter_id: int | None = None
    mark_set_id: int | None = None
    """None: there is none, which only a run that is not cut goes without."""
    gap_mm: float = Field(default=2.0, ge=0, le=100)
    edge_mm: float = Field(default=0.0, ge=0, le=500)
    turning: Literal["quarter", "half", "none", "free"] = "quarter"
    seconds: float = Field(default=5.0, ge=0.5, le=600)
    improve_seconds: float = Field(default=40.0, ge=0, le=3600)
    """How long a better layout is looked for in the background; 0: not at all."""
    items: list[RunItem] = []
    laying: Literal["nest", "grid", "bed", "each", "page"] = "nest"
    """Each: one to a frame, so are tiles laid. Pages that bring their own marks are laid so too, as they are."""
    page_codes: bool = False
    """A code of ours stands before and behind every such page."""
    grid: GridDocument = GridDocument()
    bed: BedDocument = BedDocument()
    weed: WeedDocument = WeedDocument()
    start_across_mm: float | None = Field(default=None, ge=0, le=5000)
    """From the edge of the stock at `start_side` to what is printed first; None: in the middle of the stock."""
    start_side: Side = "left"
    start_along_mm: float = Field(default=0.0, ge=0, le=50_000)
    """What is left free before the run begins; behind its frame on a sheet where that lies at the tail."""
    sheet_mm: float | None = Field(default=None, ge=100, le=10_000)
    """The stock is cut into sheets of this length, one frame on each; None: a roll."""
    along: Along = "head"
    """At which end of its sheet a frame lies that is shorter."""
    fill_last: bool = False
    """The last sheet is filled with more copies than are due."""
    slug: str | None = Field(default=None, max_length=120)
    """What people read beside the code of a frame: None, the run, its customers and date; empty, nothing; else these
    words with their fields filled in (core.marking.slug_words)."""
    arrow_side: Side = "left"
    """Where the feed arrow stands; the slug stands on the other one."""
    print_mode_id: int | None = None
    files: Literal["separate", "one"] = "separate"
    """White and clear as files of their own, or as spots of the colour file."""
    stack: list[Annotated[str, Field(max_length=60)]] = Field(default=[], max_length=24)
    """The plates in the order in which hands want them laid down, the stock first; empty: as is usual."""
    standard: Literal["plain", "pdf/x-4"] = "plain"
    """What the print files keep to: PDF, or PDF/X-4."""
    half_turn: bool = False
    """The whole sheet is printed turned by 180°."""
    way: Way = "print"
    sever: bool = False
    """The printer cuts the sheet off when it is printed."""
    more_rolls: list[int] = Field(default=[], max_length=8)
    """Rolls of the same stock on which the run goes on, between two frames, when the one before is used up."""
    tools: dict[Kind, ToolForJob] = {}
    """Settings of tools for this run alone."""
    pinned: list[str] = Field(default=[], max_length=10_000)
    """Pieces (design-copy) that nesting leaves where they are."""
    strip: bool = False
    """A strip of colour patches is printed at the tail of every frame that has marks of ours."""
    rows_from: Literal["head", "tail"] = "head"
    """Where copies begin that are filled from rows: the first row is printed first, or last."""
    cut_order: Literal["shortest", "rows"] = "shortest"
    """In what order copies that are filled from rows are cut."""
    read_codes: Literal["some", "all"] = "some"
    """Which codes of rows are read back from the print files: some of every frame, or every one."""
    filled: dict[int, FilledDocument] = {}
    """The rows of each design whose copies differ, given when the print files are made."""
    layout: LayoutFile | None = None
    layout_key: str | None = None
    kept: list[KeptLayout] = Field(default=[], max_length=MOST_KEPT)

    @property
    def apart(self) -> bool:
        """The blanks of its beds are frames of their own; a bed that is cut where it is printed has no use for that."""
        return self.laying == "bed" and self.bed.marks == "each" and self.way == "print"


RunChanges = changes_of(RunDocument)

LAYOUT_SETTINGS = (
    "items",
    "gap_mm",
    "edge_mm",
    "turning",
    "laying",
    "grid",
    "bed",
    "sheet_mm",
    "fill_last",
    "pinned",
    "layout",
    "layout_key",
)
"""What belongs to a layout and comes back with it."""
