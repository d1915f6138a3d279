"""The simulated devices, and a shop that has them."""

import contextlib
from collections.abc import Iterator
from dataclasses import replace

import pytest

from etiquette.running.devices import start_devices
from etiquette.settings import Device, Settings, note_devices
from etiquette.stations.shop import Shop
from etiquette.store.blobs import Blobs
from tests.stations.shop_floor import fill_shelf, tell


@pytest.fixture(scope="session")
def machines(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Settings, dict[str, Device]]]:
    """The three simulated devices and the room they share, for all tests of the stations."""
    settings = Settings(tmp_path_factory.mktemp("room"), None)
    with contextlib.ExitStack() as stack:
        devices = start_devices(settings, stack, [], first_port=0)
        note_devices(settings, devices)
        yield settings, {device.kind: device for device in devices}


@pytest.fixture
def room(shop: Shop, machines: tuple[Settings, dict[str, Device]]) -> Shop:
    """A shop with the devices, nothing on the cutter, nothing wrong with it."""
    settings, devices = machines
    made = replace(shop, settings=settings, blobs=Blobs(settings.files), devices=devices)
    made.database.within(fill_shelf)
    tell(made, "cutter", "unload")
    tell(made, "cutter", "fault", kind="none")
    tell(made, "cutter", "wear", mended=True)
    return made
