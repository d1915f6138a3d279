"""Looks again and again whether something was spoiled whose job is late, and begins a run of it."""

from collections.abc import Callable

import structlog
from sqlalchemy.orm import Session

from etiquette.stations import remakes
from etiquette.stations.run.schemas import NestWork
from etiquette.stations.run.tasks import nest
from etiquette.stations.shop import Shop
from etiquette.store.models import now
from etiquette.tasks.work import submit

EVERY_SECONDS = 60.0
log = structlog.stdlib.get_logger(__name__)


def remake_late(shop: Shop, wake: Callable[[], None]) -> None:
    """`wake` says that a task was submitted."""
    made = shop.database.within(begun)
    if made:
        wake()
        log.info("what was spoiled of late jobs is made again", runs=made)


def begun(session: Session) -> list[int]:
    """The runs that begin now, each to be laid out."""
    made = remakes.begin_late(session, now())
    for run_id in made:
        submit(session, nest, NestWork(run_id=run_id))
    return made
