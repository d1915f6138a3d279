"""What goes over the wire of the simulated room."""

from typing import Literal

from pydantic import BaseModel, Field

from etiquette.stations.schemas import Asked, RowId


class FilmWork(Asked):
    sheet_id: RowId
    anyway: bool = False
    """Although the ink still dries."""
    seed: int | None = None
    """What the simulated laminator does to the sheet."""


class FilmPutOn(BaseModel):
    found: Literal["film"] = "film"
    sheet_id: int


class RoomTold(BaseModel):
    done: bool = True


class LayAsked(Asked):
    end: Literal["head", "tail"]


class LaySeveralAsked(Asked):
    sheet_ids: list[RowId] = Field(max_length=500)
    how: Literal["roll", "mat"]
    end: Literal["head", "tail"] = "head"
