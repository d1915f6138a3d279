"""The shop's own time: which day is today, which month a print belongs to, when the copy of a night is made. Moments
are kept in UTC (store/models); a day begins at the shop's midnight, also where clocks are put forward or back."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo, available_timezones

from sqlalchemy import Case, Date, case, cast
from sqlalchemy.orm import InstrumentedAttribute, Session

from etiquette.core.errors import JobError
from etiquette.store.models import Setting, now

ZONE = "time zone"


@dataclass(frozen=True)
class Clock:
    """`zone` None: that of the machine that Etiquette runs on."""

    zone: ZoneInfo | None = None

    def local(self, moment: datetime) -> datetime:
        """A moment (UTC, without zone) as the shop's clock shows it, without zone."""
        return moment.replace(tzinfo=UTC).astimezone(self.zone).replace(tzinfo=None)

    def time(self) -> datetime:
        """What it shows now, without zone."""
        return self.local(now())

    def day(self, at: datetime | None = None) -> date:
        """The day of the moment `at` (UTC); None: today."""
        return self.local(at or now()).date()

    def begin(self, day: date) -> datetime:
        """The moment (UTC, without zone) at which the day begins."""
        return self.moment(datetime.combine(day, time()))

    def moment(self, shown: datetime) -> datetime:
        """The moment (UTC, without zone) at which the clock shows so; the first, where it does so twice."""
        return shown.replace(tzinfo=self.zone).astimezone(UTC).replace(tzinfo=None)

    def grouped(
        self, column: InstrumentedAttribute[datetime] | InstrumentedAttribute[datetime | None], starts: Sequence[date]
    ) -> Case[date]:
        """Of a column of moments the last of the days `starts`, in order, that had begun by then; null before the
        first."""
        return case(*((column >= self.begin(one), cast(one, Date)) for one in reversed(starts)))


def clock_of(session: Session) -> Clock:
    held = session.get(Setting, ZONE)
    return Clock(_zone(held.value) if held else None)


def today(session: Session) -> date:
    return clock_of(session).day()


def choose(session: Session, zone: str) -> None:
    """`zone`: its name in the tz database (IANA); empty: that of the machine. Raises JobError."""
    if zone and zone not in zones():
        raise JobError("There is no such time zone.", zone, "Choose one of the list.")
    if zone:
        session.merge(Setting(name=ZONE, value=zone))
    elif held := session.get(Setting, ZONE):
        session.delete(held)


def zones() -> list[str]:
    """The names of places, in order; what is there for old systems alone is left out."""
    return _zones()


@cache
def _zones() -> list[str]:
    return sorted(name for name in available_timezones() if "/" in name and not name.startswith(OLD)) + ["UTC"]


OLD = ("Etc/", "SystemV/", "US/", "posix/", "right/", "Brazil/", "Canada/", "Chile/", "Mexico/")


def _zone(name: str) -> ZoneInfo | None:
    """None for one that this machine's tz database does not have (any more)."""
    return ZoneInfo(name) if name in available_timezones() else None


def days(last: date, count: int) -> list[date]:
    """So many days in a row, `last` last."""
    return [last - timedelta(days=count - 1 - number) for number in range(count)]


def months(last: date, count: int) -> list[date]:
    """The first days of so many months in a row, that of `last` last."""
    number = last.year * 12 + last.month - 1
    return [date(one // 12, one % 12 + 1, 1) for one in range(number - count + 1, number + 1)]
