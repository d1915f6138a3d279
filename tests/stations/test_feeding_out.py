"""A long frame is fed out and back before it is read, and what that did to it is told."""

import pytest

from etiquette.demo import hands
from etiquette.stations import sheet_log
from etiquette.stations.bench import mark_reading
from etiquette.stations.shop import Shop
from tests.stations.shop_floor import do, on_shelf, sheet_of, tell


@pytest.fixture
def long_frames(monkeypatch: pytest.MonkeyPatch) -> None:
    """A frame of thirty targets counts as one that has to be fed: a really long one takes a minute to print."""
    monkeypatch.setattr(mark_reading, "LONG_STRETCHES", 0.2)


def read(room: Shop, sheet: int) -> float | None:
    hands.lay(room, sheet, "head")
    assert do(room, mark_reading.read_sheet)["verdict"] == "go"
    reading = sheet_of(room, sheet).reading
    assert reading is not None
    return reading.drift_mm


@pytest.mark.usefixtures("long_frames")
def test_what_the_feed_does_to_a_long_frame_is_told(room: Shop) -> None:
    sheet = on_shelf(room)
    plan = sheet_of(room, sheet).plate.summary.plan
    good = read(room, sheet)
    assert good is not None and good < 0.06  # two looks at one mark
    before = len(room.database.within(sheet_log.latest))
    tell(room, "cutter", "fault", kind="feed", beyond=0.8 * plan.length_mm, x=0.5, y=-0.4)
    drift = read(room, sheet)
    assert drift == pytest.approx((0.5**2 + 0.4**2) ** 0.5, abs=0.06)
    words = [one.words for one in room.database.within(sheet_log.latest)]
    assert len(words) == before + 2 and f"{drift:.2f} mm beside" in words[0]
    # it moved before it was read: the fit is of where it lies now
    assert sheet_of(room, sheet).reading.fit.predicted_error_mm.max < 0.3  # type: ignore[union-attr]


def test_a_short_frame_is_not_fed_about(room: Shop) -> None:
    sheet = on_shelf(room)
    tell(room, "cutter", "fault", kind="feed", beyond=0.0, x=0.0, y=0.0)
    assert read(room, sheet) is None
