"""Once an hour what was chosen for finished work is done, and what is over of sign-ins goes; every few hours, what
nothing needs any more."""

import threading

import structlog
from sqlalchemy.exc import SQLAlchemyError

from etiquette.core.errors import JobError
from etiquette.people.sign_in import forget_what_is_over
from etiquette.server.beside import done_beside
from etiquette.stations.finished import sweep
from etiquette.stations.shop import Shop

EVERY_SECONDS = 3600.0
COLLECT_HOURS = 6
log = structlog.stdlib.get_logger(__name__)


class Tidying:
    """A thread of its own: what it does takes no request's time."""

    def __init__(self, shop: Shop) -> None:
        self._shop, self._ended = shop, threading.Event()
        self._hours = 0

    def start(self) -> None:
        threading.Thread(target=self._tidy, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def _tidy(self) -> None:
        while not self._ended.wait(EVERY_SECONDS):
            try:
                gone = sweep(self._shop)
                self._shop.database.within(forget_what_is_over)
                self._shop.blobs.trim()
            except (SQLAlchemyError, OSError) as error:  # a database or a disk that is away comes back
                log.warning("finished work could not be cleared", error=type(error).__name__)
                continue
            if gone.jobs or gone.print_files:
                log.info("finished work was cleared", jobs=gone.jobs, print_files=gone.print_files, bytes=gone.bytes)
            self._collect()

    def _collect(self) -> None:
        """Once in so many hours, counted from the start: the first start of a morning is not made slower."""
        self._hours += 1
        if self._hours % COLLECT_HOURS:
            return
        try:
            log.info("what nothing needs was collected", **done_beside(self._shop, "collect")["gone"])
        except (JobError, OSError) as error:
            log.warning("what nothing needs could not be collected", why=str(error))
