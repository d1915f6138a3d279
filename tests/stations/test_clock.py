"""The shop's day. Expected moments are worked by hand from the offsets and changes of clocks in the tz database."""

from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from etiquette.core.errors import JobError
from etiquette.stations import clock, safekeeping
from etiquette.stations.clock import Clock
from etiquette.stations.floor import figures, records
from etiquette.stations.safekeeping import Copies, Last
from etiquette.stations.shop import Shop
from etiquette.store.models import Roll, RollEntry, Setting
from tests.stations.shop_floor import fill_shelf

LOS_ANGELES, AUCKLAND, BERLIN = (
    Clock(ZoneInfo(name)) for name in ("America/Los_Angeles", "Pacific/Auckland", "Europe/Berlin")
)
ZONES = st.sampled_from((LOS_ANGELES, AUCKLAND, BERLIN, Clock(ZoneInfo("UTC")), Clock(ZoneInfo("Asia/Kathmandu"))))


def test_today_is_the_day_of_the_place() -> None:
    moment = datetime(2026, 11, 30, 5, 30)  # half past five in the morning in UTC
    assert LOS_ANGELES.day(moment) == date(2026, 11, 29)  # -8 h: half past nine in the evening before
    assert AUCKLAND.day(moment) == date(2026, 11, 30)  # +13 h in summer: half past six in the evening
    assert AUCKLAND.day(datetime(2026, 11, 30, 11, 30)) == date(2026, 12, 1)
    assert BERLIN.day(datetime(2026, 11, 30, 23, 30)) == date(2026, 12, 1)  # +1 h


def test_a_day_begins_at_its_own_midnight_also_where_clocks_change() -> None:
    """Europe, 2026: clocks go forward on 29 March and back on 25 October, at 01:00 UTC."""
    assert BERLIN.begin(date(2026, 3, 29)) == datetime(2026, 3, 28, 23)
    assert BERLIN.begin(date(2026, 3, 30)) == datetime(2026, 3, 29, 22)  # a day of 23 hours
    assert BERLIN.begin(date(2026, 10, 26)) - BERLIN.begin(date(2026, 10, 25)) == timedelta(hours=25)


@given(ZONES, st.dates(date(1990, 1, 1), date(2040, 1, 1)))
def test_every_moment_of_a_day_is_of_that_day(of: Clock, day: date) -> None:
    begin, end = of.begin(day), of.begin(day + timedelta(days=1))
    assert of.day(begin) == of.day(end - timedelta(microseconds=1)) == day
    assert of.day(end) == day + timedelta(days=1)


def test_days_and_months_in_a_row() -> None:
    assert clock.days(date(2026, 3, 1), 3) == [date(2026, 2, 27), date(2026, 2, 28), date(2026, 3, 1)]
    assert clock.months(date(2026, 2, 17), 3) == [date(2025, 12, 1), date(2026, 1, 1), date(2026, 2, 1)]
    assert clock.months(date(2026, 12, 31), 12)[0] == date(2026, 1, 1)


def choose(shop: Shop, zone: str) -> None:
    shop.database.within(lambda session: clock.choose(session, zone))


def test_a_place_is_chosen_by_its_name_and_only_one_that_there_is(shop: Shop) -> None:
    choose(shop, "Pacific/Auckland")
    assert shop.database.within(clock.clock_of) == AUCKLAND
    with pytest.raises(JobError, match="no such time zone"):
        choose(shop, "Pacific/../../etc/passwd")
    choose(shop, "")
    assert shop.database.within(clock.clock_of) == Clock(None)
    shop.database.within(lambda session: session.merge(Setting(name=clock.ZONE, value="Atlantis/Poseidonis")))
    assert shop.database.within(clock.clock_of) == Clock(None)  # of another machine's tz database


def test_the_week_counts_what_was_printed_by_the_days_of_the_place(shop: Shop) -> None:
    """Three prints, an hour before, at and an hour after midnight in Los Angeles: all on one day in UTC."""
    choose(shop, "America/Los_Angeles")

    shop.database.within(fill_shelf)

    def printed(session: object) -> None:
        roll = session.scalars(select(Roll.id)).first()  # type: ignore[attr-defined]
        for hour, length in ((7, 100.0), (8, 20.0), (9, 3.0)):
            at = datetime(2026, 11, 29, hour)
            entry = {"roll_id": roll, "length_mm": -length, "reason": "printed", "reference": f"sheet {hour}"}
            session.add(RollEntry(**entry, at=at))  # type: ignore[attr-defined]

    shop.database.within(printed)
    used = shop.database.within(lambda session: figures.week(session, LOS_ANGELES, date(2026, 11, 29)))
    assert [(one.day.day, one.used_mm) for one in used[-2:]] == [(28, 100.0), (29, 23.0)]
    used = shop.database.within(lambda session: figures.week(session, Clock(ZoneInfo("UTC")), date(2026, 11, 29)))
    assert [(one.day.day, one.used_mm) for one in used[-2:]] == [(28, 0.0), (29, 123.0)]


def test_a_month_begins_at_its_midnight() -> None:
    assert records.month_of("2026-03", BERLIN) == (datetime(2026, 2, 28, 23), datetime(2026, 3, 31, 22))


def test_the_copy_of_a_night_is_made_at_the_hour_of_the_place(shop: Shop, tmp_path: Path) -> None:
    choose(shop, "America/Los_Angeles")
    folder = tmp_path / "copies"
    folder.mkdir()
    shop.database.within(lambda session: safekeeping.choose(session, Copies(str(folder), 3, 2), shop.settings.files))
    shop.database.within(lambda session: safekeeping.note(session, Last(datetime(2026, 11, 28, 10, 5))))

    def due(hour: int, minute: int = 0) -> bool:
        at = datetime(2026, 11, 29, hour, minute)
        return shop.database.within(lambda session: safekeeping.is_due(session, at))

    assert [due(2), due(9, 59), due(10), due(23)] == [False, False, True, True]  # two o'clock there is ten in UTC
