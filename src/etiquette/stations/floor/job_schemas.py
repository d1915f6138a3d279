"""What goes over the wire of jobs, and of finding anything."""

from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from etiquette.core.production.job_progress import Step, Tone
from etiquette.stations.schemas import Asked, RowId

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class JobAdd(Asked):
    name: Name
    customer: Annotated[str, StringConstraints(max_length=120)] = ""
    due: date | None = None


class JobChanges(Asked):
    """What is not named stays."""

    model_config = ConfigDict(extra="forbid")
    name: Name | None = None
    customer: Annotated[str, StringConstraints(max_length=120)] | None = None
    due: date | None = None
    notes: Annotated[str, StringConstraints(max_length=4000)] | None = None


class JobEdit(Asked):
    version: int
    changes: JobChanges


class DesignMove(Asked):
    design_id: RowId


class PiecesShown(BaseModel):
    """Pieces by how far they have come; see core.production.job_progress."""

    due: int
    ready: int
    planned: int
    printed: int
    filmed: int
    cut: int
    good: int
    spoiled: int


class RunOfJob(BaseModel):
    id: int
    name: str
    state: str


class DesignOfJob(BaseModel):
    id: int
    name: str
    width_mm: float | None
    pieces: PiecesShown
    missing: int
    """Pieces that are due and in no run."""
    steps: dict[Step, float]
    runs: list[RunOfJob]


class JobListed(BaseModel):
    id: int
    name: str
    customer: str
    due: date | None
    words: str
    tone: Tone
    done: bool
    pieces: PiecesShown
    steps: dict[Step, float]
    designs: list[int]
    """The first few, for their pictures."""


class JobShown(JobListed):
    version: int
    notes: str
    parts: list[DesignOfJob]
    others: list["JobNamed"]
    """Jobs that a design could be moved to: the customer's own, then the newest."""


class JobNamed(BaseModel):
    id: int
    name: str
    customer: str


class JobsShown(BaseModel):
    jobs: list[JobListed]
    more: bool


class Found(BaseModel):
    """A thing that was looked for; `path`: where it is opened."""

    kind: Literal["job", "design", "run", "frame", "sheet", "stock", "roll", "machine", "mark set", "profile"]
    name: str
    words: str
    path: str
    thumb: str = Field(default="")
