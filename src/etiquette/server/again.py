"""What is done again and again beside the server, each in a thread of its own that takes no request's time."""

import threading
from collections.abc import Callable

import structlog
from sqlalchemy.exc import SQLAlchemyError

from etiquette.core.errors import JobError

log = structlog.stdlib.get_logger(__name__)


class Again:
    """Does `what` after so many seconds, and again, until it is stopped. A database or a disk that is away comes back,
    and what cannot be done now may be the next time: that is `failed`, in words, for the log."""

    def __init__(self, seconds: float, what: Callable[[], object], failed: str) -> None:
        self._seconds, self._what, self._failed = seconds, what, failed
        self._ended = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._do, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def _do(self) -> None:
        while not self._ended.wait(self._seconds):
            try:
                self._what()
            except (SQLAlchemyError, OSError, JobError) as error:
                log.warning(self._failed, error=type(error).__name__, why=str(error)[:200])
