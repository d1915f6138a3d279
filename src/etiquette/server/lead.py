"""Of several servers of a shop one does what has to be done once: it looks at watched folders, tidies, makes the copy
of a night. When it ends, however it ends, another one does."""

import threading
from collections.abc import Callable, Sequence
from typing import Protocol

import structlog
from sqlalchemy.exc import SQLAlchemyError

from etiquette.store.database import Database

LOOK_SECONDS = 5.0
log = structlog.stdlib.get_logger(__name__)


class Service(Protocol):
    def start(self) -> None: ...

    def stop(self) -> None: ...


class Lead:
    """Keeps the services at work while this server leads."""

    def __init__(self, database: Database, made: Callable[[], Sequence[Service]]) -> None:
        self._database, self._made, self._ended = database, made, threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._follow, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def _follow(self) -> None:
        while not self._ended.is_set():
            try:
                self._lead()
            except SQLAlchemyError as error:  # a database that is away comes back; until then nobody leads
                log.warning("who leads is not known", error=type(error).__name__)
            self._ended.wait(LOOK_SECONDS)

    def _lead(self) -> None:
        with self._database.leading() as still:
            if still is None:
                return
            log.info("this server leads")
            services = self._made()
            for one in services:
                one.start()
            try:
                while not self._ended.wait(LOOK_SECONDS) and still():
                    pass
            finally:
                for one in services:
                    one.stop()
