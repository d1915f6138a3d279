"""Who tries in vain waits longer each time: by name at an address, by address, and by name from anywhere."""

from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.people.keys import digest
from etiquette.store.models.base import now
from etiquette.store.models.people import SignInFailure

FREE_AT_ADDRESS, FREE_OF_ADDRESS, FREE_OF_NAME = 4, 30, 60
"""Failures without a wait. A name from anywhere has the most: else a stranger could shut its person out."""
LONGEST = timedelta(minutes=15)
FORGOTTEN = timedelta(days=1)


class TooOften(JobError):
    """Tried too often; `wait` is in seconds."""

    def __init__(self, wait: float) -> None:
        minutes = -(-wait // 60)
        words = f"{wait:.0f} seconds" if wait < 90 else f"{minutes:.0f} minutes"
        super().__init__("It was tried too often.", "sign-in", f"Wait {words}, then try again.")
        self.wait = wait


def pause(count: int, free: int) -> timedelta:
    """How long after failure `count`: nothing for the first `free`, then 1, 2, 4 … seconds, 15 minutes at most."""
    if count < free:
        return timedelta()
    return min(LONGEST, timedelta(seconds=2 ** min(count - free, 20)))


def _keys(name: str, address: str) -> list[tuple[str, int]]:
    folded = name.strip().casefold()
    return [
        (digest(f"both {folded} {address}"), FREE_AT_ADDRESS),
        (digest(f"address {address}"), FREE_OF_ADDRESS),
        (digest(f"name {folded}"), FREE_OF_NAME),
    ]


def demand_patience(session: Session, name: str, address: str, at: datetime | None = None) -> None:
    """Raises TooOften while the wait after the last failure is not over."""
    at, keys = at or now(), dict(_keys(name, address))
    failures = session.scalars(select(SignInFailure).where(SignInFailure.key.in_(keys)))
    wait = max((one.last_at + pause(one.count, keys[one.key]) - at for one in failures), default=timedelta())
    if wait > timedelta():
        raise TooOften(wait.total_seconds())


def note_failure(session: Session, name: str, address: str, at: datetime | None = None) -> None:
    at = at or now()
    session.execute(delete(SignInFailure).where(SignInFailure.last_at < at - FORGOTTEN))
    for key, _ in sorted(_keys(name, address)):
        failure = session.get(SignInFailure, key, with_for_update=True)
        if failure is None:
            session.add(SignInFailure(key=key, count=1, last_at=at))
        else:
            failure.count, failure.last_at = failure.count + 1, at


def take_back(session: Session, name: str, address: str) -> None:
    """A try was counted before it was known to be right: it counts no more; former ones do."""
    for key, _ in sorted(_keys(name, address)):
        failure = session.get(SignInFailure, key, with_for_update=True)
        if failure is not None:
            failure.count = max(0, failure.count - 1)


def forgive(session: Session, name: str, address: str) -> None:
    """Who is let in at an address starts anew there; what others tried from elsewhere stays counted."""
    take_back(session, name, address)
    session.execute(delete(SignInFailure).where(SignInFailure.key == _keys(name, address)[0][0]))
