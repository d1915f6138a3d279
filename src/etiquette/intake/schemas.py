"""What goes over the wire of folders, orders and saved jobs."""

from datetime import datetime
from typing import Literal

from pydantic import BaseModel

Gather = Literal["each", "frame", "metres", "hour"]


class SavedJob(BaseModel):
    """A JOB.zip that came in and is kept, by the SHA-256 of its content."""

    sha: str
    name: str


class JobTaken(BaseModel):
    """`job_id` is known when it is done; `told`: what a person should know of it, in sentences."""

    found: Literal["saved job"] = "saved job"
    job_id: int | None
    told: list[str]


class OrderShown(BaseModel):
    id: int
    file_name: str
    state: str
    words: str
    job_id: int | None
    run_id: int | None
    newer_of: int | None
    at: datetime


class FolderShown(BaseModel):
    id: int
    name: str
    path: str
    recipe_id: int | None
    recipe: str
    pattern: str
    gather: Gather
    gather_metres: float
    gather_hour: int
    problem: str
    version: int
    waiting: int
    """Orders that wait to share a run, and about how long it would be."""
    waiting_mm: float
    states: dict[str, int]
    """How many of all its orders are in each state."""
    latest: list[OrderShown]
