"""What is printed of a row on every copy of a design: fields, serials, how its table is read."""

from collections.abc import Callable
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from etiquette.core.printing.corrections import levels_of
from etiquette.core.variable.codes import CodeKind
from etiquette.core.variable.expressions import MOST_CHARACTERS
from etiquette.core.variable.fields import (
    BLACK,
    Align,
    Box,
    CodeField,
    FieldSet,
    Fit,
    Paint,
    Part,
    PictureField,
    TextField,
    Upright,
)
from etiquette.core.variable.fields import Field as CoreField
from etiquette.core.variable.serials import CheckKind, Serial
from etiquette.core.variable.tables import MOST_ROWS, ColumnKind, Delimiter, TableWish
from etiquette.files.documents.document import Document

FieldName = Annotated[str, Field(min_length=1, max_length=60)]
COLOUR = r"^(black|#[0-9a-f]{6}|ink \d{1,9})$"
Inks = dict[str, Paint]
"""Colours of the shop by what a document calls them: “ink N”."""


class _Held(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class _FieldDocument(_Held):
    """What every field has: its box in design millimetres from the lower left, turned about its middle; what it says of
    a row; an expression that hides it."""

    name: FieldName
    x_mm: float = Field(default=0.0, ge=-2000, le=20_000)
    y_mm: float = Field(default=0.0, ge=-2000, le=20_000)
    width_mm: float = Field(default=20.0, ge=0.5, le=20_000)
    height_mm: float = Field(default=8.0, ge=0.5, le=20_000)
    turn_deg: float = Field(default=0.0, ge=-360, le=360)
    says: str = Field(default="", max_length=MOST_CHARACTERS)
    shown_if: str = Field(default="", max_length=500)
    unique: bool = False
    may_be_empty: bool = False

    def part(self) -> dict[str, Any]:
        box = Box(self.x_mm, self.y_mm, self.width_mm, self.height_mm, self.turn_deg)
        held = {name: getattr(self, name) for name in Part.__dataclass_fields__ if name != "box"}
        return {**held, "box": box}

    def _more(self, core: type[Part]) -> dict[str, Any]:
        names = set(core.__dataclass_fields__) - set(Part.__dataclass_fields__) - {"paint"}
        return {name: getattr(self, name) for name in names}


class TextDocument(_FieldDocument):
    what: Literal["text"] = "text"
    font: str = Field(default="Noto Sans Regular", min_length=1, max_length=80)
    size_pt: float = Field(default=10.0, ge=1, le=2000)
    least_pt: float = Field(default=5.0, ge=1, le=2000)
    fit: Fit = "shrink"
    align: Align = "start"
    upright: Upright = "middle"
    tracking: float = Field(default=0.0, ge=-200, le=2000)
    line_height: float = Field(default=1.2, ge=0.5, le=5)
    curve_mm: float = Field(default=0.0, ge=-10_000, le=10_000)
    colour: str = Field(default="black", pattern=COLOUR)

    def to_field(self, inks: Inks) -> TextField:
        return TextField(**self.part(), **self._more(TextField), paint=paint_of(self.colour, inks))


class CodeDocument(_FieldDocument):
    what: Literal["code"] = "code"
    kind: CodeKind = "data matrix"
    level: Literal["", "L", "M", "Q", "H"] = ""
    """How much of a QR code may be lost."""
    least_module_mm: float = Field(default=0.25, ge=0.02, le=20)
    ground: bool = False
    spread_mm: float = Field(default=0.0, ge=0, le=2)
    colour: str = Field(default="black", pattern=COLOUR)

    def to_field(self, inks: Inks) -> CodeField:
        return CodeField(**self.part(), **self._more(CodeField), paint=paint_of(self.colour, inks))


class PictureDocument(_FieldDocument):
    what: Literal["picture"] = "picture"

    def to_field(self, inks: Inks) -> PictureField:
        return PictureField(**self.part())


FieldDocument = Annotated[TextDocument | CodeDocument | PictureDocument, Field(discriminator="what")]


class SerialDocument(_Held):
    name: FieldName
    start: int = Field(default=1, ge=0, le=10**15)
    step: int = Field(default=1, ge=-(10**9), le=10**9)
    width: int = Field(default=0, ge=0, le=20)
    prefix: str = Field(default="", max_length=60)
    suffix: str = Field(default="", max_length=60)
    check: CheckKind = "none"
    covers: Literal["all", "digits"] = "all"

    def to_serial(self) -> Serial:
        return Serial(**self.model_dump())


class TableDocument(_Held):
    """How a table is read; what is not said is found in it."""

    encoding: str | None = Field(default=None, max_length=40)
    delimiter: Delimiter | None = None
    header: bool | None = None
    sheet: str | None = Field(default=None, max_length=200)
    begins: int | None = Field(default=None, ge=1, le=MOST_ROWS)

    def to_wish(self) -> TableWish:
        return TableWish(**self.model_dump())


class RowsDocument(_Held):
    """What makes the copies of a design differ: fields, serials, the table that rows come from (None: rows are only
    counted), rows that are not printed, and the dots an inch of the printer that codes are made for."""

    fields: list[FieldDocument] = Field(default=[], max_length=60)
    serials: list[SerialDocument] = Field(default=[], max_length=20)
    table_id: int | None = Field(default=None, ge=1, le=2**31 - 1)
    dpi: float = Field(default=600.0, ge=50, le=5000)
    left_out: list[Annotated[int, Field(ge=1, le=MOST_ROWS)]] = Field(default=[], max_length=20_000)

    def inks(self) -> set[str]:
        """The colours of the shop that it names."""
        return {one.colour for one in self.fields if one.what != "picture" and one.colour.startswith("ink ")}

    def renamed(self, table_id: int | None, ink: Callable[[str], str]) -> "RowsDocument":
        """The same where the table and the colours have other numbers."""
        fields = [
            one if one.what == "picture" else one.model_copy(update={"colour": ink(one.colour)}) for one in self.fields
        ]
        return self.model_copy(update={"table_id": table_id, "fields": fields})

    def field_set(self, inks: Inks) -> FieldSet:
        return FieldSet(fields_of(self.fields, inks), tuple(one.to_serial() for one in self.serials), self.dpi)


class ColumnNote(BaseModel):
    """As core.variable.tables.Column."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    name: str
    kind: ColumnKind
    most: int
    empty: int
    double: int
    rounded: int = 0


class OddNote(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    row: int
    why: str


class TableNote(Document):
    """What was found of a table when it was read, and how it was read."""

    count: int
    columns: tuple[ColumnNote, ...]
    encoding: str
    delimiter: Delimiter | None
    header: bool
    sheets: tuple[str, ...]
    sheet: str | None
    odd: tuple[OddNote, ...]
    odd_count: int
    begins: int = 1

    @property
    def names(self) -> list[str]:
        return [one.name for one in self.columns]

    @property
    def rounded(self) -> list[str]:
        """Columns with numbers whose last digits are lost."""
        return [one.name for one in self.columns if one.rounded]

    def how(self) -> TableDocument:
        """The way in which it was read, to read it so again."""
        return TableDocument(
            encoding=self.encoding or None,
            delimiter=self.delimiter,
            header=self.header,
            sheet=self.sheet,
            begins=self.begins,
        )


def paint_of(colour: str, inks: Inks) -> Paint:
    """A colour as documents write it; an ink that is gone is painted black, and said elsewhere."""
    if colour.startswith("#"):
        return Paint("rgb", tuple(level / 255 for level in levels_of(colour)))
    return inks.get(colour, BLACK)


def fields_of(documents: list[FieldDocument], inks: Inks) -> tuple[CoreField, ...]:
    return tuple(one.to_field(inks) for one in documents)
