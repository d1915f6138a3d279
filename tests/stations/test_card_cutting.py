"""Test cards cut and read on a cutter with hidden errors: what they set is what it hides, and the next sheet is cut right."""

from typing import Any

import numpy as np
import pytest

from etiquette.core.errors import JobError
from etiquette.stations import bench, card_cutting, card_readings, cutting
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, ToolCard
from standins.cutter import Cutter as Machine
from standins.room import Room
from tests.stations.shop_floor import do, on_shelf, sheet_of, tell

STARTS: dict[str, dict[str, float]] = {
    "feed": {"told_mm": 1000},
    "sensor": {},
    "knife": {"first_mm": 0.2, "step_mm": 0.07},
}


def one(name: str, **readings: float) -> dict[str, Any]:
    return {"card": name, "cutter_id": 1, "stock_id": 1, "kind": "kiss", "readings": readings}


@pytest.mark.parametrize("seed", [5, 6])
def test_cards_find_what_a_worn_machine_hides(room: Shop, seed: int) -> None:
    tell(room, "cutter", "wear", seed=seed)
    hidden = Machine(Room(room.settings.room))
    hidden.answer({"ask": "wear", "seed": seed})
    for name, start in STARTS.items():
        made = do(room, card_cutting.cut_card, **one(name, **start))
        assert made["state"] == "cut" and made["can_read"]
        read = do(room, card_cutting.read_card, **one(name, **start))["readings"]
        room.database.within(
            lambda session, name=name, read=read: card_readings.enter(session, name, 1, 1, "kiss", read)
        )
    cutter, card = room.database.within(lambda session: (session.query(Cutter).one(), session.query(ToolCard).one()))
    assert cutter.feed_percent / 100 == pytest.approx(hidden._feed, abs=5e-5)
    assert (cutter.sensor_across_mm, cutter.sensor_along_mm) == pytest.approx(tuple(hidden._sensor), abs=0.03)
    assert card.offset_mm == pytest.approx(hidden._offset, abs=0.04)
    sheet = on_shelf(room, seed=seed)
    bench.load(room, sheet, "head")
    do(room, bench.read_sheet)
    do(room, cutting.cut_sheet, sheet_id=sheet)
    report = sheet_of(room, sheet).report
    assert report is not None and report["cut"]["worst_mm"] < 0.15


def test_a_ladder_of_forces_shows_in_the_picture_and_is_read_by_hand(room: Shop) -> None:
    made = do(room, card_cutting.cut_card, **one("force", first_gf=40, step_gf=10))
    assert [step["words"] for step in made["steps"]] == [f"{force} gf" for force in range(40, 120, 10)]
    assert not made["can_read"]
    left, bottom, right, top = made["box"]
    assert left < 20 < right and bottom < 20 < top and card_cutting.picture(room).startswith(b"\x89PNG")
    with pytest.raises(JobError, match="felt or measured by hand"):
        do(room, card_cutting.read_card, **one("force"))


def test_a_card_that_cannot_be_read_says_what_to_do(room: Shop) -> None:
    with pytest.raises(JobError, match="does not lie on the cutter"):
        do(room, card_cutting.read_card, **one("sensor"))
    with pytest.raises(JobError, match="is printed, not cut"):
        do(room, card_cutting.cut_card, **one("nozzles"))
    small = {"first_mm": 0.02, "step_mm": 0.01}
    do(room, card_cutting.cut_card, **one("knife", **small))
    with pytest.raises(JobError, match="larger than all of them"):
        do(room, card_cutting.read_card, **one("knife", **small))
    tell(room, "cutter", "fault", kind="missed", looks=9)
    with pytest.raises(JobError, match="not to be seen"):
        do(room, card_cutting.read_card, **one("knife", **small))
    assert do(room, card_cutting.cut_card, report=lambda *_: False, **one("sensor")) == {"state": "held"}
    assert np.isfinite(room.database.within(lambda session: session.query(Cutter).one().feed_percent))
