"""All designs of a job beside each other, with their lines."""

from typing import Annotated

from fastapi import APIRouter, Query

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.lines import tasks
from etiquette.stations.lines.looking_over import looked_over, make_ready, set_as_asked, set_width
from etiquette.stations.lines.looking_schemas import LinesOfJob, SeenAsked, SeenMade, WidthAsked
from etiquette.stations.schemas import OfJob, TaskMade

router = APIRouter(prefix="/api/lines", tags=["lines"], dependencies=[needs(Right.PREPARE)])


@router.get("/{job_id}")
def show_lines(
    shop: ShopHere,
    job_id: int,
    waiting: bool = False,
    skip: Annotated[int, Query(ge=0, le=100_000)] = 0,
) -> LinesOfJob:
    """A page of its designs; `waiting`: of those that nobody has looked at."""
    return within(shop, lambda session: looked_over(shop, session, job_id, waiting, skip))


@router.put("/{job_id}/found")
def find_all_lines(job_id: int, submit: TaskSubmitter) -> TaskMade:
    """The lines of all that have a size and none yet."""
    return TaskMade(task_id=submit(tasks.find_all_lines, OfJob(job_id=job_id)))


@router.post("/{job_id}/ready")
def make_lines_ready(shop: ShopHere, job_id: int, asked: SeenAsked) -> SeenMade:
    """Somebody has looked at these: they are ready for a run."""
    return make_ready(shop, job_id, asked.designs)


@router.post("/{job_id}/width")
def set_widths(shop: ShopHere, job_id: int, asked: WidthAsked) -> SeenMade:
    """These are so wide: what came without a size."""
    return set_width(shop, job_id, asked.designs, asked.width_mm)


@router.post("/{job_id}/asked")
def set_as_art_asks(shop: ShopHere, job_id: int, asked: SeenAsked) -> SeenMade:
    """These get the settings that their art asks for."""
    return set_as_asked(shop, job_id, asked.designs)
