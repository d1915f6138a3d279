"""What every station works with: the database, the files, the settings, and the machine that it may move."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from etiquette.devices import holds
from etiquette.devices.registry import Machine
from etiquette.settings import Settings
from etiquette.store.blobs import Blobs, files_of
from etiquette.store.database import Database

NOTE_SECONDS = 60.0
"""For so long what a machine has done waits to be noted when the database is away; the machine stands still
meanwhile."""


@dataclass(frozen=True)
class Shop:
    settings: Settings
    database: Database
    blobs: Blobs
    hold: holds.Hold | None = None
    """The machine that this task or these hands may move; None: only looking is meant, or a test moves it."""

    @classmethod
    def opened(cls, settings: Settings, database_url: str) -> "Shop":
        """The shop whose data lie under `settings.data`."""
        return cls(settings, Database(database_url), files_of(settings.files, settings.files_url))

    def holding(self, hold: holds.Hold) -> "Shop":
        """The shop in the hands of a task that holds a machine."""
        return replace(self, hold=hold)

    @contextmanager
    def by_hand(self, machine: Machine, words: str) -> Iterator["Shop"]:
        """This shop with the machine held for what hands do now. Raises holds.Busy."""
        with holds.held_by_hands(self.database, machine.key, words) as hold:
            yield self.holding(hold)

    def still_mine(self) -> None:
        """Raises holds.LeftBehind when somebody else holds the machine by now."""
        self.database.within(self.check_hold, patience_seconds=NOTE_SECONDS)

    def check_hold(self, session: Session) -> None:
        """The same in a transaction that notes something."""
        if self.hold:
            holds.check(session, self.hold)


LOOK_SECONDS = 0.2
