"""What goes over the wire of rows."""

from typing import Literal

from pydantic import BaseModel

from etiquette.files.documents.fields import ColumnNote, OddNote, TableDocument
from etiquette.stations.copies import RowState
from etiquette.stations.schemas import Asked, Revision


class TableShown(BaseModel):
    file_name: str
    count: int
    columns: list[ColumnNote]
    encoding: str
    delimiter: str | None
    header: bool
    sheets: list[str]
    sheet: str | None
    odd: list[OddNote]
    odd_count: int
    begins: int


class RowsShown(BaseModel):
    """`count`: rows there are; `printed`: those that are not left out; `pictures`: names of the job's files."""

    table: TableShown | None
    count: int
    printed: int
    states: dict[RowState, int]
    """How many rows have come how far; those that no run has are missing."""
    fonts: list[str]
    pictures: list[str]
    encodings: list[str]


class TroubleShown(BaseModel):
    """What is wrong with a row, in a sentence; `field` empty: with the row itself."""

    row: int
    field: str
    why: str


class FieldWorst(BaseModel):
    """How a field came out in a row."""

    row: int
    field: str
    words: str
    size_pt: float | None = None
    module_mm: float | None = None


class RowShown(BaseModel):
    row: int
    cells: dict[str, str]
    troubles: list[TroubleShown]
    measures: list[FieldWorst]


class RowsChecked(BaseModel):
    """`bad`: rows with troubles, of the first 2,000 of them."""

    found: Literal["rows checked"] = "rows checked"
    design_id: int
    rows: int
    count: int
    troubles: list[TroubleShown]
    bad: list[int]
    worst: list[FieldWorst]
    longest: list[FieldWorst]


class ReadAsked(Asked):
    revision: Revision
    how: TableDocument


class FontTaken(BaseModel):
    name: str
