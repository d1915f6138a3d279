"""How a design is taken apart into tiles, and what a design is that is one of them."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field
from shapely import Polygon, union_all
from shapely.geometry.base import BaseGeometry

from etiquette.core.marking.tile_marks import Tick, TileMarks, marks_beside, words_of
from etiquette.core.planning.tiles import Carried, Seams, TileWish

Length = Annotated[float, Field(ge=0, le=100_000)]
Area = tuple[Length, Length, Annotated[float, Field(gt=0, le=100_000)], Annotated[float, Field(gt=0, le=100_000)]]
"""x, y (from the lower left), width, height, mm."""
MOST_AREAS, MOST_SEAMS, MOST_TILES = 60, 100, 400


class TilesDocument(BaseModel):
    """What a design is taken apart into. `by`: seams stand evenly, where least is cut through, or as they are typed;
    `keep`: what no seam crosses; `spare_faces`: seams that are looked for keep off `faces`, which were found then.
    `off`: tiles that are not made. `copies`: how often the whole is due, since then its tiles are."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    stock_id: int | None = None
    media_mm: float = Field(default=1000.0, ge=50, le=6000)
    longest_mm: float | None = Field(default=None, ge=50, le=100_000)
    lying: bool = False
    overlap_mm: float = Field(default=10.0, ge=0, le=500)
    carried: Carried = "both"
    past_mm: float = Field(default=0.0, ge=0, le=50)
    bleed_mm: float = Field(default=0.0, ge=0, le=200)
    by: Literal["even", "content", "typed"] = "even"
    across: list[Length] = Field(default=[], max_length=MOST_SEAMS)
    along: list[Length] = Field(default=[], max_length=MOST_SEAMS)
    openings: list[Area] = Field(default=[], max_length=MOST_AREAS)
    keep: list[Area] = Field(default=[], max_length=MOST_AREAS)
    spare_faces: bool = True
    faces: list[Area] = Field(default=[], max_length=MOST_AREAS)
    off: list[Annotated[int, Field(ge=1, le=MOST_TILES)]] = Field(default=[], max_length=MOST_TILES)
    turned: Literal["none", "all", "alternate"] = "none"
    copies: int = Field(default=1, ge=1, le=100_000)

    def to_wish(self, size_mm: tuple[float, float], px_mm: float | None) -> TileWish:
        return TileWish(
            *size_mm,
            self.media_mm,
            self.longest_mm,
            self.lying,
            self.overlap_mm,
            self.carried,
            self.past_mm,
            self.bleed_mm,
            tuple(self.openings),
            px_mm,
        )

    def seams(self) -> Seams:
        """As they were found or typed."""
        return Seams(tuple(self.across), tuple(self.along))


class TickDocument(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    across: bool
    at_mm: float
    is_seam: bool


class TileDocument(BaseModel):
    """A design that is a tile of design `of`, 0: of none that is there. `rings`: where it is cut, its own millimetres,
    the outline first and then its openings; `key` names all that it was made from."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    of: int = 0
    whole: str = Field(max_length=120)
    number: int = Field(ge=1, le=MOST_TILES)
    count: int = Field(ge=1, le=MOST_TILES)
    row: int
    column: int
    rows: int
    columns: int
    rings: list[list[tuple[float, float]]] = Field(min_length=1, max_length=MOST_AREAS + 1)
    ticks: list[TickDocument] = Field(default=[], max_length=16)
    turn_deg: float = 0.0
    key: str = Field(max_length=64)

    def outline(self) -> Polygon:
        return Polygon(self.rings[0], self.rings[1:])

    def openings(self) -> BaseGeometry:
        return union_all([Polygon(ring) for ring in self.rings[1:]])

    def marks(self, size_mm: tuple[float, float]) -> TileMarks:
        """What stands beside it, its own millimetres."""
        words = words_of(self.whole, self.number, self.count, self.row, self.column, self.rows, self.columns)
        ticks = [Tick(one.across, one.at_mm, one.is_seam) for one in self.ticks]
        return marks_beside(size_mm, ticks, words)
