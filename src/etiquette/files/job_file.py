"""JOB.zip: a job as one file, with its art, its designs and its runs, and the things of the Shelf that they are made
on. Inside: JOB.json (below), SHELF.json (files/shelf_file.py), the art under art/, the print files under prints/,
files that belong to it under files/, tables that copies are filled from under tables/.

Documents in it hold the numbers that things had where it was saved; JOB.json says what each number was."""

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from etiquette.core.artwork.kinds import Kind
from etiquette.files.contracts import Strict
from etiquette.files.documents.fields import TableDocument

JOB, SHELF, ART, PRINTS, FILES, TABLES = "JOB.json", "SHELF.json", "art", "prints", "files", "tables"
MOST_DESIGNS = 2000
Name = Annotated[str, Field(min_length=1, max_length=120)]
Number = Annotated[int, Field(ge=1, le=2**31 - 1)]
Thing = Literal["stock", "roll", "printer", "laminator", "cutter", "mark_set", "print_mode"]
Key = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]


class UsedRecipe(Strict):
    """The recipe that was used for it last, as it was then."""

    name: Name
    version: int = Field(ge=1)
    lines: dict[str, Any] = {}
    run: dict[str, Any] = {}
    send: bool = False


class StepInFile(Strict):
    """Work by hand besides printing and cutting."""

    name: str = Field(min_length=1, max_length=60)
    minutes: float = Field(ge=0, le=10_000)
    per: Literal["piece", "job"] = "piece"


class JobValues(Strict):
    name: Name
    customer: str = Field(default="", max_length=120)
    due: date | None = None
    notes: str = Field(default="", max_length=4000)
    stock: str | None = Field(default=None, max_length=120)
    laminator: str | None = Field(default=None, max_length=120)
    without_film: bool = False
    spare_count: int = Field(default=0, ge=0, le=10_000)
    spare_percent: float = Field(default=0, ge=0, le=200)
    hand_steps: list[StepInFile] = Field(default=[], max_length=20)
    recipe: UsedRecipe | None = None


class ArtInFile(Strict):
    """A file of art; `page`: which page of its own file it was, from 0."""

    id: Number
    file_name: str = Field(min_length=1, max_length=200)
    page: int = Field(default=0, ge=0, le=100_000)
    file: str = Field(pattern=r"^art/[^/\\]{1,230}$")


class FileInFile(Strict):
    """A file that belongs to the job."""

    name: str = Field(min_length=1, max_length=200)
    file: str = Field(pattern=r"^files/[^/\\]{1,230}$")


class TableInFile(Strict):
    """A table that copies of designs are filled from, as it came, and how it was read."""

    id: Number
    file_name: str = Field(min_length=1, max_length=200)
    file: str = Field(pattern=r"^tables/[^/\\]{1,230}$")
    how: TableDocument = TableDocument()


class DesignInFile(Strict):
    """`document`: as in files/documents/designs.py."""

    id: Number
    document: dict[str, Any]


class RunInFile(Strict):
    """`document`: as in files/documents/runs.py; `laid`: names all that its layout was laid from, the same in every
    shop; `codes`: of its frames, from 1; `made_at`: UTC, stands on its prints."""

    document: dict[str, Any]
    laid: Key | None = None
    codes: dict[Annotated[int, Field(ge=1, le=10_000)], Annotated[str, Field(pattern="^[0-9A-Z]{4,12}$")]] = {}
    made_at: datetime


class JobFile(Strict):
    """`things`: what the numbers in runs were called, by kind; `inks`: the colours of the library, `special_inks`."""

    version: Literal[1] = 1
    job: JobValues
    meanings: dict[Literal["score", "contour"], Kind] = {}
    art: list[ArtInFile] = Field(default=[], max_length=2 * MOST_DESIGNS)
    designs: list[DesignInFile] = Field(default=[], max_length=MOST_DESIGNS)
    runs: list[RunInFile] = Field(default=[], max_length=MOST_DESIGNS)
    things: dict[Thing, dict[Number, Name]] = {}
    inks: dict[Number, Name] = {}
    special_inks: dict[Number, Name] = {}
    tables: list[TableInFile] = Field(default=[], max_length=MOST_DESIGNS)
    files: list[FileInFile] = Field(default=[], max_length=60)
    left_out: list[str] = Field(default=[], max_length=MOST_DESIGNS)
    """What belongs to it and is not in the file, in words."""
