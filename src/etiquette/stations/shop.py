"""What every station works with: the database, the files, the settings and the machines."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace

from sqlalchemy.orm import Session

from etiquette.devices import holds
from etiquette.devices.line import ANSWER_SECONDS, DeviceLine
from etiquette.settings import Device, Settings, devices_of
from etiquette.store.blobs import Blobs
from etiquette.store.database import Database

NOTE_SECONDS = 60.0
"""For so long what a machine has done waits to be noted when the database is away; the machine stands still
meanwhile."""


@dataclass(frozen=True)
class Shop:
    settings: Settings
    database: Database
    blobs: Blobs
    devices: dict[str, Device] = field(default_factory=dict)
    hold: holds.Hold | None = None
    """The machine that this task or these hands may move; None: only looking is meant, or a test moves it."""

    @classmethod
    def opened(cls, settings: Settings, database_url: str) -> "Shop":
        """The shop whose data lie under `settings.data`."""
        return cls(settings, Database(database_url), Blobs(settings.files), devices_of(settings))

    def device(self, kind: str) -> Device:
        # unlisted: port 0 refuses a connection, and the sentence about a silent machine is the right one
        return self.devices.get(kind, Device(kind, f"The {kind}", 0))

    def holding(self, hold: holds.Hold) -> "Shop":
        return replace(self, hold=hold)

    @contextmanager
    def by_hand(self, kind: str, words: str) -> Iterator["Shop"]:
        """This shop with the machine held for what hands do now. Raises holds.Busy."""
        with holds.held_by_hands(self.database, kind, words) as hold:
            yield self.holding(hold)

    def line(self, kind: str, answer_seconds: float = ANSWER_SECONDS) -> DeviceLine:
        """The line to a machine; whatever moves it passes the check of the hold first."""
        device = self.device(kind)
        return DeviceLine(device.name, device.port, answer_seconds, self.still_mine)

    def still_mine(self) -> None:
        """Raises holds.LeftBehind when somebody else holds the machine by now."""
        self.database.within(self.check_hold, patience_seconds=NOTE_SECONDS)

    def check_hold(self, session: Session) -> None:
        """The same in a transaction that notes something."""
        if self.hold:
            holds.check(session, self.hold)


LOOK_SECONDS = 0.2
