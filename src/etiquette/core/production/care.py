"""When a machine wants care."""

from dataclasses import dataclass
from datetime import datetime

SECONDS_A_DAY, SECONDS_AN_HOUR = 86_400.0, 3_600.0


@dataclass(frozen=True)
class CareWish:
    """After so many days, so many metres, so many hours without work: whichever comes first. None: not for that."""

    every_days: float | None = None
    every_metres: float | None = None
    idle_hours: float | None = None


def why_due(wish: CareWish, last: datetime, now: datetime, metres: float, last_work: datetime | None) -> str | None:
    """In a few words why care that was last given at `last` is due, or None while it is not. `metres`: worked since;
    `last_work`: when the machine worked last, None: never."""
    days = (now - last).total_seconds() / SECONDS_A_DAY
    if wish.every_days is not None and days >= wish.every_days:
        return f"{_counted(days, 'day')} since the last time"
    if wish.every_metres is not None and metres >= wish.every_metres:
        return f"{metres:.0f} m since the last time"
    still = (now - max(last, last_work or last)).total_seconds() / SECONDS_AN_HOUR
    if wish.idle_hours is not None and still >= wish.idle_hours:
        return f"it has stood for {_counted(still, 'hour')}"
    return None


def _counted(value: float, unit: str) -> str:
    whole = int(value)
    return f"{whole} {unit}{'' if whole == 1 else 's'}"
