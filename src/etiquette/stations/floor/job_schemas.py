"""What goes over the wire of jobs, and of finding anything."""

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from etiquette.core.production.job_progress import Step, Tone
from etiquette.stations.floor.money_schemas import HandStepAsked
from etiquette.stations.schemas import Asked, JobName, RowId


class JobAdd(Asked):
    name: JobName
    customer: Annotated[str, StringConstraints(max_length=120)] = ""
    due: date | None = None


class JobChanges(Asked):
    """What is not named stays."""

    model_config = ConfigDict(extra="forbid")
    name: JobName | None = None
    customer: Annotated[str, StringConstraints(max_length=120)] | None = None
    due: date | None = None
    notes: Annotated[str, StringConstraints(max_length=4000)] | None = None
    stock_id: RowId | None = None
    laminator_id: RowId | None = None
    without_film: bool | None = None
    spare_count: Annotated[int, Field(ge=0, le=10_000)] | None = None
    spare_percent: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)] | None = None
    hand_steps: Annotated[list[HandStepAsked], Field(max_length=20)] | None = None


class JobEdit(Asked):
    version: int
    changes: JobChanges


class DesignMove(Asked):
    design_id: RowId


class HandoverAsked(Asked):
    """Pieces by design; None: all that are good, due and here. `version`: of the job as it was shown, so that a second
    press hands nothing over twice."""

    version: int
    counts: dict[RowId, Annotated[int, Field(ge=0, le=100_000)]] | None = None
    note: Annotated[str, StringConstraints(max_length=400)] = ""


class ProofAnswer(Asked):
    """What the customer said to a proof, and who said it."""

    version: int
    says: Literal["yes", "no"]
    by: Annotated[str, StringConstraints(max_length=120)] = ""
    note: Annotated[str, StringConstraints(max_length=400)] = ""


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
    handed: int
    spares: int


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
    wanted: int
    """Pieces that the next run is to bring: what is missing, the first time with the spares."""
    to_hand: int
    """Good pieces that are due and still here."""
    steps: dict[Step, float]
    runs: list[RunOfJob]


class PartsShown(BaseModel):
    """A page of the designs of a job."""

    parts: list[DesignOfJob]
    more: bool


class NextOfJob(BaseModel):
    """What brings a job on, over all of its designs."""

    designs: int
    waits: "Named | None"
    """The first design whose line nobody has looked at."""
    wanted: int
    """Pieces for its next run, of designs whose lines are ready."""
    wants_more: bool
    """There are more designs than one run takes."""
    here: int
    """Good pieces that can be handed over."""
    whole: bool
    """With these everything that is due has been handed over."""
    run: RunOfJob | None
    """The newest run that it is in."""


class ItemShown(BaseModel):
    design_id: int
    count: int


class JobListed(BaseModel):
    id: int
    name: str
    customer: str
    due: date | None
    words: str
    tone: Tone
    done: bool
    away: bool
    pieces: PiecesShown
    steps: dict[Step, float]
    designs: list[int]
    """The first few, for their pictures."""


class HandedShown(BaseModel):
    name: str
    count: int


class HandoverShown(BaseModel):
    """What left the shop at one time."""

    id: int
    at: datetime
    who: str
    note: str
    items: list[HandedShown]


class ProofMade(BaseModel):
    found: Literal["proof"] = "proof"
    job_id: int
    number: int


class ProofShown(BaseModel):
    """A proof that was made; `still_so`: the job is what it shows."""

    number: int
    at: datetime
    answer: Literal["", "yes", "no"]
    answered_at: datetime | None
    answered_by: str
    note: str
    still_so: bool


class JobShown(JobListed):
    version: int
    cleared_at: datetime | None
    """When its art and files went, because it was finished for long enough."""
    notes: str
    stock_id: int | None
    spare_count: int
    spare_percent: float
    hand_steps: list[HandStepAsked]
    stocks: list["Named"]
    """What it could be printed on."""
    laminator_id: int | None
    without_film: bool
    """The film it gets, or that it gets none; neither: it was not said."""
    films: list["Named"]
    files: list["FileShown"]
    handovers: list[HandoverShown]
    proofs: list[ProofShown]
    recipe: str | None
    """The recipe that was used for it last, as it was called then."""
    parts: list[DesignOfJob]
    """The first of its designs; the others are asked for page by page."""
    more_parts: bool
    next: NextOfJob
    others: list["JobNamed"]
    """Jobs that a design could be moved to: the customer's own, then the newest."""


class Named(BaseModel):
    id: int
    name: str


class FileShown(BaseModel):
    """A file that belongs to the job."""

    id: int
    name: str
    size: int
    at: datetime


class JobNamed(BaseModel):
    id: int
    name: str
    customer: str


class JobsShown(BaseModel):
    jobs: list[JobListed]
    more: bool


class Found(BaseModel):
    """A thing that was looked for; `path`: where it is opened."""

    kind: Literal[
        "job", "design", "run", "web", "frame", "sheet", "stock", "roll", "machine", "mark set", "profile", "recipe",
        "setting",
    ]  # fmt: skip
    name: str
    words: str
    path: str
    thumb: str = Field(default="")
