"""What tests of the Bench begin with."""

import pytest

from etiquette.stations import bench
from etiquette.stations.shop import Shop
from tests.stations.shop_floor import do, on_shelf


@pytest.fixture
def ready(room: Shop) -> tuple[Shop, int]:
    """A sheet that is read and may be cut."""
    sheet = on_shelf(room)
    bench.load(room, sheet, "head")
    do(room, bench.read_sheet)
    return room, sheet
