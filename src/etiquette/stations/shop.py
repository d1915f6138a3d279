"""What every station works with: the database, the files, the settings and where the devices listen."""

import json
from dataclasses import dataclass, field

from etiquette.settings import Settings
from etiquette.store.blobs import Blobs
from etiquette.store.database import Database


@dataclass(frozen=True)
class Device:
    """A machine in the room. `kind`: printer, laminator or cutter."""

    kind: str
    name: str
    port: int


@dataclass(frozen=True)
class Shop:
    settings: Settings
    database: Database
    blobs: Blobs
    devices: dict[str, Device] = field(default_factory=dict)

    @classmethod
    def opened(cls, settings: Settings, database_url: str) -> "Shop":
        """The shop whose data lie under `settings.data`."""
        return cls(settings, Database(database_url), Blobs(settings.files), devices_of(settings))

    def device(self, kind: str) -> Device:
        # unlisted: port 0 refuses a connection, and the sentence about a silent machine is the right one
        return self.devices.get(kind, Device(kind, f"The {kind}", 0))


def devices_of(settings: Settings) -> dict[str, Device]:
    """The machines that the start-up noted; none when it started none."""
    file = settings.data / "devices.json"
    if not file.exists():
        return {}
    return {entry["kind"]: Device(**entry) for entry in json.loads(file.read_text())}


def note_devices(settings: Settings, devices: list[Device]) -> None:
    file = settings.data / "devices.json"
    file.write_text(json.dumps([{"kind": d.kind, "name": d.name, "port": d.port} for d in devices]))
