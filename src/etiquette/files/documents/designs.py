"""The settings of a design that are edited."""

import re
from collections.abc import Mapping
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator

from etiquette.core.artwork.arrangement import WHOLE, Arrangement
from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.finishing.lines import EdgeSettings
from etiquette.core.finishing.more_lines import JOINED_WITHIN_MM, Course, MoreLine
from etiquette.core.finishing.spot_areas import Extent
from etiquette.core.marking.marks import Shape
from etiquette.core.production.designs import DesignSettings, LineChange, SpotSettings
from etiquette.files.documents.braille import BrailleDocument
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.document import Document, changes_of
from etiquette.files.documents.fields import RowsDocument
from etiquette.files.documents.tiles import TileDocument, TilesDocument

SHOP_INK = r"^(white|clear|special \d{1,9})$"
Rectangle = tuple[float, float, float, float]
"""x, y, width, height in mm from the top left of the art."""
GROUND = r"^(auto|alpha|#[0-9a-f]{6}(,#[0-9a-f]{6}){0,7})$"


class MoreLineDocument(BaseModel):
    """A further line of a design, as files and screens write it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    kind: Kind = "through"
    course: Course = "edge"
    offset_mm: float = Field(default=3.0, ge=-50, le=100)
    corner_mm: float = Field(default=0.0, ge=0, le=50)
    place_mm: float = Field(default=10.0, ge=-100, le=20_000)


class LineEdit(BaseModel):
    """A change by hand to one line, counted from 0 in the order in which the lines are found: another kind, gone (kind
    None), closed, moved."""

    model_config = ConfigDict(extra="forbid")
    line: int = Field(ge=0, le=100_000)
    kind: Kind | None = None
    close: bool = False
    """Its two ends are joined by a straight stroke."""
    move_mm: tuple[float, float] = (0.0, 0.0)
    """How far it is moved, to the right and up."""


class Arranged(BaseModel):
    """The art of a design is that of art `of`, arranged."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    of: int
    crop: tuple[float, float, float, float] = WHOLE
    mirror: bool = False
    turn: Literal[0, 90, 180, 270] = 0

    def arrangement(self) -> Arrangement:
        return Arrangement(self.crop, self.mirror, self.turn)


class OwnMarks(BaseModel):
    """Registration marks that came with the art `art_id`, in the millimetres of a page `width_mm` wide, from its lower
    left corner: alike, dark, `shape` and sizes as in a mark set."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    art_id: int
    width_mm: float = Field(gt=0, le=20_000)
    shape: Shape
    size_mm: float = Field(ge=1, le=60)
    stroke_mm: float = Field(default=1.0, ge=0.1, le=30)
    clear_mm: float = Field(default=1.0, ge=0, le=50)
    places: list[tuple[float, float]] = Field(max_length=64)


class PickedPath(BaseModel):
    """A path of the art, by its number in the file, that hands made a line of this kind, or (None) gave back."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    number: int = Field(ge=0, le=10_000_000)
    kind: Kind | None


class PickedPaths(BaseModel):
    """Paths of the art `art_id` that hands chose."""

    model_config = ConfigDict(extra="forbid")
    art_id: int
    paths: list[PickedPath] = Field(max_length=20_000)


class ReplacedColour(BaseModel):
    """A colour of the art that is printed as another one: “white”, #rrggbb, or “ink N”, a colour of the shop's
    library."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    colour: str = Field(pattern="^#[0-9a-f]{6}$")
    to: str = Field(default="white", pattern=r"^(white|#[0-9a-f]{6}|ink \d{1,9})$")
    within: float = Field(default=5.0, ge=0.5, le=40)
    """How near another colour is changed too (CIEDE2000)."""


class SpecialArea(BaseModel):
    """Where an ink of the shop goes on a design; what layers and colours of the art mark comes on top of it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    ink: int = Field(ge=1)
    """Its number on the Shelf."""
    extent: Extent = "none"
    choke_mm: float = Field(default=0.0, ge=-20, le=20)
    area: Rectangle | None = None


class BothSides(BaseModel):
    """A design that is seen from both sides of its stock: between its colours and those of the other side lie white, a
    blocker and white."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    other: int | None = None
    """The design that is seen from the other side, middle on middle; None: the same art."""
    blocker: bool = True
    blocker_choke_mm: float = Field(default=0.2, ge=0, le=20)
    """How far it stays inside the white."""


class FoldAngle(BaseModel):
    """By how much a crease is folded, known by its middle: positive away from the printed side."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    x_mm: float
    y_mm: float
    degrees: float = Field(ge=-180, le=180)


class DesignDocument(ColourWishes, Document):
    """The settings of a design that are edited; `width_mm` None: nobody has said how large it is."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    art_id: int
    arranged: Arranged | None = None
    width_mm: float | None = Field(default=None, ge=0.5, le=20_000)
    due_count: int = Field(default=12, ge=0, le=100_000)
    """0: its tiles are due instead of it."""
    kind: Kind = "kiss"
    ground: str = Field(default="auto", pattern=GROUND)
    distance: float | None = Field(default=None, ge=0, le=100)
    """Difference of colour within which a pixel is ground; None: what the noise on the rim says."""
    offset_mm: float = Field(default=2.0, ge=-50, le=100)
    min_area_mm2: float = Field(default=4.0, ge=0, le=10_000)
    holes: Literal["keep", "fill"] = "fill"
    merge_mm: float = Field(default=0.0, ge=0, le=100)
    corner_mm: float = Field(default=0.0, ge=0, le=50)
    tolerance_mm: float = Field(default=0.05, ge=0.005, le=1)
    follow: Literal["edge", "hull", "box", "ellipse", "page", "none"] = "edge"
    join: Literal["round", "mitre"] = "round"
    smooth_mm: float = Field(default=0.0, ge=0, le=50)
    area: tuple[float, float, float, float] | None = None
    """The part of a picture in which an edge is looked for: x, y, width, height in mm from the top left."""
    more: list[MoreLineDocument] = Field(default=[], max_length=12)
    line_edits: list[LineEdit] = Field(default=[], max_length=2000)
    join_mm: float = Field(default=JOINED_WITHIN_MM, ge=0, le=5)
    merge_own: bool = False
    """Lines that came with the art and overlap become one outline."""
    white: Literal["none", "art", "line"] = "none"
    white_choke_mm: float = Field(default=0.1, ge=-20, le=20)
    clear: Extent = "none"
    clear_choke_mm: float = Field(default=0.0, ge=-20, le=20)
    clear_raised: bool = False
    """Clear is built up in passes until it can be felt: the plate of height."""
    clear_area: Rectangle | None = None
    """Where clear goes that lies in a rectangle."""
    specials: list[SpecialArea] = Field(default=[], max_length=12)
    """Inks of the shop, each once."""
    both_sides: BothSides | None = None
    white_art_id: int | None = None
    clear_art_id: int | None = None
    """Areas that came as a file of their own."""
    second_surface: bool = False
    """Printed on the back of clear stock and seen through it: the art is mirrored, white comes last."""
    spot_inks: dict[str, str] = Field(default={}, max_length=60)
    """What named colours of the art mean here: “white”, “clear”, “special N”, a special ink of the shop, or “ink N”, a
    colour of its library."""
    marked: dict[str, Annotated[Plate, Field(pattern=SHOP_INK)]] = Field(default={}, max_length=60)
    """What else of the art is an area of white, clear or a special ink: “layer NAME” or “colour #rrggbb”."""
    marked_within: float = Field(default=10.0, ge=0.5, le=60)
    """How near a colour of a picture is to a marked one to count as it (CIEDE2000)."""
    bleed_mm: float = Field(default=0.0, ge=0, le=50)
    replaced: list[ReplacedColour] = Field(default=[], max_length=24)
    """Colours that are printed as others; the first that fits holds."""
    turning: Literal["quarter", "half", "none", "free"] = "quarter"
    picked: PickedPaths | None = None
    own_marks: OwnMarks | None = None
    """A page that brings its marks along is a frame by itself."""
    rows: RowsDocument | None = None
    """What makes its copies differ; None: they are all alike."""
    braille: BrailleDocument | None = None
    tiles: TilesDocument | None = None
    """How it is taken apart; None: it is not."""
    tile: TileDocument | None = None
    """Of which design it is a part; None: it is whole."""
    folds: list[FoldAngle] = Field(default=[], max_length=200)
    """Creases that are not folded square."""
    ready: bool = False

    @field_validator("marked")
    @classmethod
    def _marks_are_known(cls, marked: dict[str, Plate]) -> dict[str, Plate]:
        for what in marked:
            if not re.fullmatch(r"layer .{1,200}|colour #[0-9a-f]{6}", what, re.DOTALL):
                raise ValueError("what is marked is a layer or a colour of the art")
        return marked

    def marks(self) -> dict[str, dict[str, Plate]]:
        """Colours and layers apart, as art is separated by them."""
        apart: dict[str, dict[str, Plate]] = {"colours": {}, "layers": {}}
        for what, plate in self.marked.items():
            kind, name = what.split(" ", 1)
            apart[f"{kind}s"][name] = plate
        return apart

    @field_validator("spot_inks")
    @classmethod
    def _inks_are_known(cls, inks: dict[str, str]) -> dict[str, str]:
        for meant in inks.values():
            if not re.fullmatch(SHOP_INK, meant) and not re.fullmatch(r"ink \d{1,9}", meant):
                raise ValueError("a named colour is white, clear, a special ink or a colour of the library")
        return inks

    @field_validator("specials")
    @classmethod
    def _each_once(cls, specials: list[SpecialArea]) -> list[SpecialArea]:
        if len({one.ink for one in specials}) < len(specials):
            raise ValueError("an ink is named twice")
        return specials

    def special_inks(self) -> list[int]:
        """The numbers of the shop's inks that something of the design is printed in, or could be."""
        marked = (*self.spot_inks.values(), *self.marked.values())
        named = {ink for meant in marked if (ink := special_of(meant)) is not None}
        return sorted({*named, *(one.ink for one in self.specials)})

    def with_special_inks(self, numbers: Mapping[int, int | None]) -> Self:
        """The same with other numbers of special inks; one that has none is left out."""

        specials = [one.model_copy(update={"ink": numbers[one.ink]}) for one in self.specials if numbers.get(one.ink)]
        kept = {key: with_inks(getattr(self, key), numbers) for key in ("spot_inks", "marked")}
        return self.with_(specials=specials, **kept)

    @field_validator("area", "clear_area")
    @classmethod
    def _area_has_a_size(cls, area: Rectangle | None) -> Rectangle | None:
        if area is not None and not (area[2] >= 0.5 and area[3] >= 0.5):
            raise ValueError("the area is too small")
        return area

    def settings(self) -> EdgeSettings:
        names = EdgeSettings.__dataclass_fields__
        values = {name: getattr(self, name) for name in names if name in type(self).model_fields}
        values["page_rings"] = tuple(tuple(ring) for ring in self.tile.rings) if self.tile else ()
        return EdgeSettings(**{**values, "follow": "edge" if self.follow == "none" else self.follow})

    def more_lines(self) -> list[MoreLine]:
        return [MoreLine(**line.model_dump()) for line in self.more]

    def by_hand(self) -> dict[int, Kind | None]:
        """Paths of its art that hands made lines, or gave back, by number."""
        picked = self.picked if self.picked and self.picked.art_id == self.art_id else None
        return {one.number: one.kind for one in picked.paths} if picked else {}

    def to_settings(self) -> DesignSettings:
        """What the lines, the bleed and the areas of white and clear are made from."""
        changes = tuple(LineChange(one.line, one.kind, one.close, one.move_mm) for one in self.line_edits)
        spots = {
            "white": SpotSettings(self.white, self.white_choke_mm),
            "clear": SpotSettings(self.clear, self.clear_choke_mm, self.clear_area),
            **{f"special {one.ink}": SpotSettings(one.extent, one.choke_mm, one.area) for one in self.specials},
        }
        return DesignSettings(
            name=self.name,
            edge=self.settings(),
            own_lines_only=self.follow == "none",
            more=tuple(self.more_lines()),
            changes=changes,
            join_mm=self.join_mm,
            merge_own=self.merge_own,
            bleed_mm=self.bleed_mm,
            spots=spots,
        )


DesignChanges = changes_of(DesignDocument)


def special_of(meant: str) -> int | None:
    """The number of the special ink of the shop that something of the art means, if it means one."""
    return int(meant[8:]) if meant.startswith("special ") else None


def with_inks(meanings: Mapping[str, str], numbers: Mapping[int, int | None]) -> dict[str, str]:
    """The same with other numbers of special inks; what means one that has none is left out."""
    found = {}
    for what, meant in meanings.items():
        ink = special_of(meant)
        if ink is None:
            found[what] = meant
        elif number := numbers.get(ink):
            found[what] = f"special {number}"
    return found
