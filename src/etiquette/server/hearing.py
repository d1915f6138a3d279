"""What happens to all tasks, asked of the database once for all who follow it: fifty pages ask no more than one."""

import threading
import time
from collections import deque
from collections.abc import Sequence
from functools import partial

import structlog
from pydantic import BaseModel
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from etiquette.stations.shop import Shop
from etiquette.store.models import TaskEvent
from etiquette.store.states import ENDED, TaskState
from etiquette.tasks import following

LOOK_SECONDS = 0.12
QUIET_SECONDS = 10.0
"""When nobody has asked for so long, nothing is looked for any more."""
MOST_HELD = 2000
REACH = 500
"""So many numbers back it is looked whether one has turned up: events get their numbers when they are written, and are
seen when they are committed, which may be in another order."""
log = structlog.stdlib.get_logger(__name__)


class Told(BaseModel):
    """An event of the stream of all tasks. `ended`: the task has come to its end, and can be asked what it found."""

    task_id: int
    share: float
    words: str
    ended: bool


Numbered = tuple[int, Told]


class Hearing:
    """The newest events of all tasks, held while somebody asks for them. Places count what was heard: unlike numbers of
    events they only rise."""

    def __init__(self, shop: Shop) -> None:
        self._shop, self._lock, self._beginning = shop, threading.Lock(), threading.Lock()
        self._held = deque[Numbered]()
        self._heard = 0
        """The place of the newest one held."""
        self._asked, self._listens = 0.0, False

    def begin(self) -> int:
        """The place after which everything that happens from now on is held. Waits for the database."""
        with self._beginning:
            with self._lock:
                self._asked = time.monotonic()
                if self._listens:
                    return self._heard
            there = self._shop.database.within(_numbers)
            with self._lock:
                self._asked, self._listens = time.monotonic(), True
                threading.Thread(target=self._listen, args=(there,), daemon=True).start()
                return self._heard

    def after(self, place: int) -> tuple[int, list[Numbered]] | None:
        """The place of the newest event, and the events after `place` as they were heard; None where they are not held
        any more."""
        with self._lock:
            self._asked = time.monotonic()
            if not self._listens or place < self._heard - len(self._held):
                return None
            fresh = self._heard - place
            return self._heard, list(self._held)[-fresh:] if fresh else []

    def read(self, number: int) -> list[Numbered]:
        """Events with numbers after `number`, of the database."""
        return self._shop.database.within(lambda session: _told(following.all_events_after(session, number)))

    def _listen(self, there: set[int]) -> None:
        while not self._is_over():
            try:
                now = self._shop.database.within(_numbers)
                self._hold(self._shop.database.within(partial(_those, numbers=now - there)) if now - there else [])
                there = now
            except SQLAlchemyError as error:  # a database that is away comes back, and with it what was missed
                log.warning("nothing is heard of tasks", error=type(error).__name__)
            time.sleep(LOOK_SECONDS)

    def _hold(self, found: list[Numbered]) -> None:
        with self._lock:
            self._heard += len(found)
            self._held.extend(found)
            while len(self._held) > MOST_HELD:
                self._held.popleft()

    def _is_over(self) -> bool:
        with self._lock:
            if time.monotonic() - self._asked < QUIET_SECONDS:
                return False
            self._held.clear()
            self._listens = False
            return True


def _numbers(session: Session) -> set[int]:
    return following.newest_numbers(session, REACH)


def _those(session: Session, numbers: set[int]) -> list[Numbered]:
    return _told(following.events_of(session, numbers))


def _told(found: Sequence[tuple[TaskEvent, TaskState]]) -> list[Numbered]:
    return [
        (event.id, Told(task_id=event.task_id, share=event.share, words=event.words, ended=state in ENDED))
        for event, state in found
    ]
