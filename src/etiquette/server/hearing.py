"""What happens to all tasks, asked of the database once for all who follow it: fifty pages ask no more than one."""

import threading
import time
from collections import deque

import structlog
from pydantic import BaseModel
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from etiquette.stations.shop import Shop
from etiquette.store.states import ENDED
from etiquette.tasks import following

LOOK_SECONDS = 0.12
QUIET_SECONDS = 10.0
"""When nobody has asked for so long, nothing is looked for any more."""
MOST_HELD = 2000
log = structlog.stdlib.get_logger(__name__)


class Told(BaseModel):
    """An event of the stream of all tasks. `ended`: the task has come to its end, and can be asked what it found."""

    task_id: int
    share: float
    words: str
    ended: bool


Numbered = tuple[int, Told]


class Hearing:
    """The newest events of all tasks, held while somebody asks for them."""

    def __init__(self, shop: Shop) -> None:
        self._shop, self._lock = shop, threading.Lock()
        self._held = deque[Numbered]()
        self._begin: int | None = None
        """All events after this one are held; None: nobody listens."""
        self._asked, self._listens = 0.0, False

    def after(self, number: int) -> list[Numbered] | None:
        """Events after `number`, oldest first; None where only the database knows."""
        with self._lock:
            self._asked = time.monotonic()
            if not self._listens:
                self._listens = True
                threading.Thread(target=self._listen, daemon=True).start()
            if self._begin is None or number < self._begin:
                return None
            return [one for one in self._held if one[0] > number]

    def read(self, number: int) -> list[Numbered]:
        """The same, of the database."""
        return self._shop.database.within(lambda session: _after(session, number))

    def _listen(self) -> None:
        newest: int | None = None
        while not self._is_over():
            try:
                if newest is None:
                    newest = self._shop.database.within(following.last_event)
                    self._hold([], newest)
                found = self.read(newest)
                if found:
                    newest = found[-1][0]
                    self._hold(found)
            except SQLAlchemyError as error:  # a database that is away comes back, and with it what was missed
                log.warning("nothing is heard of tasks", error=type(error).__name__)
            time.sleep(LOOK_SECONDS)

    def _hold(self, found: list[Numbered], begin: int | None = None) -> None:
        with self._lock:
            self._begin = self._begin if begin is None else begin
            self._held.extend(found)
            while len(self._held) > MOST_HELD:
                self._begin = self._held.popleft()[0]

    def _is_over(self) -> bool:
        with self._lock:
            if time.monotonic() - self._asked < QUIET_SECONDS:
                return False
            self._held.clear()
            self._begin, self._listens = None, False
            return True


def _after(session: Session, number: int) -> list[Numbered]:
    return [
        (event.id, Told(task_id=event.task_id, share=event.share, words=event.words, ended=state in ENDED))
        for event, state in following.all_events_after(session, number)
    ]
