"""FIELDS.json: a design with the fields that are filled from rows."""

from datetime import date
from typing import Annotated

from pydantic import Field

from etiquette.core.variable.fields import FieldSet
from etiquette.files.contracts import Strict
from etiquette.files.documents.fields import FieldDocument, SerialDocument, TableDocument, fields_of


class FieldsFile(Strict):
    """Paths are relative to the folder of FIELDS.json. Of the art its page `page` is printed `width_mm` wide (None: as
    the file says) on every copy."""

    name: Annotated[str, Field(min_length=1, max_length=120)]
    art: str
    page: Annotated[int, Field(ge=1)] = 1
    width_mm: Annotated[float, Field(gt=0.5, le=20_000)] | None = None
    fields: Annotated[list[FieldDocument], Field(min_length=1, max_length=100)]
    serials: Annotated[list[SerialDocument], Field(max_length=20)] = []
    table: TableDocument = TableDocument()
    fonts: dict[str, str] = {}
    """Fonts of the shop's own by name."""
    pictures: str | None = None
    """The folder of pictures that rows name."""
    dpi: Annotated[float, Field(ge=50, le=5000)] = 600.0
    """Of the printer: modules of codes are whole dots."""
    today: date | None = None
    """What `today` means in expressions; none: the day on which the files are made."""
    leave_out: Annotated[list[Annotated[int, Field(ge=1)]], Field(max_length=100_000)] = []
    """Rows that are not printed."""

    def field_set(self) -> FieldSet:
        return FieldSet(fields_of(self.fields, {}), tuple(one.to_serial() for one in self.serials), self.dpi)
