"""Looks again and again whether something was spoiled whose job is late, and begins a run of it."""

import threading
from collections.abc import Callable

import structlog
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations import remakes
from etiquette.stations.run.schemas import NestWork
from etiquette.stations.run.tasks import nest
from etiquette.stations.shop import Shop
from etiquette.store.models import now
from etiquette.tasks.work import submit

EVERY_SECONDS = 60.0
log = structlog.stdlib.get_logger(__name__)


class LateRemakes:
    """A thread of its own beside the server."""

    def __init__(self, shop: Shop, wake: Callable[[], None]) -> None:
        """`wake` says that a task was submitted."""
        self._shop, self._wake, self._ended = shop, wake, threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._look, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def _look(self) -> None:
        while not self._ended.wait(EVERY_SECONDS):
            try:
                made = self._shop.database.within(begun)
            except (SQLAlchemyError, JobError) as error:  # a database that is away comes back
                log.warning("nothing was made again", why=str(error)[:200])
                continue
            if made:
                self._wake()
                log.info("what was spoiled of late jobs is made again", runs=made)


def begun(session: Session) -> list[int]:
    """The runs that begin now, each to be laid out."""
    made = remakes.begin_late(session, now())
    for run_id in made:
        submit(session, nest, NestWork(run_id=run_id))
    return made
