"""What tests of the Bench begin with."""

import pytest

from etiquette.demo import hands
from etiquette.stations.bench import mark_reading
from etiquette.stations.shop import Shop
from tests.stations.shop_floor import do, on_shelf


@pytest.fixture
def ready(room: Shop) -> tuple[Shop, int]:
    """A sheet that is read and may be cut."""
    sheet = on_shelf(room)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    return room, sheet
