"""What a label web holds."""

from typing import Annotated, Literal

from pydantic import ConfigDict, Field

from etiquette.files.documents.document import Document, changes_of
from etiquette.files.web_file import WebValues


class WebDocument(WebValues, Document):
    """`designs`: the design of each column, again and again; `stock_id` None: `width_mm` is typed."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    designs: list[Annotated[int, Field(ge=1)]] = Field(min_length=1, max_length=200)
    stock_id: int | None = None
    print_mode_id: int | None = None
    rows_from: Literal["head", "tail"] = "head"
    """Where labels begin that are filled from rows: the first row is printed first on its roll, or last."""
    only_rows: str = Field(default="", max_length=1000, pattern=r"^[0-9,\- ]*$")
    """The rows that are printed, as “12, 15-18”, such as those that were spoiled; empty: all."""


WebChanges = changes_of(WebDocument)
