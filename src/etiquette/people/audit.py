"""The trail of what was done: written with the change itself, in its transaction, so that there is none without the
other; and read by owners."""

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Select, delete, select
from sqlalchemy.orm import Session

from etiquette.store.models.base import DOING, now
from etiquette.store.models.people import AuditEntry

PAGE = 100
MOST_SAVED = 100_000
"""Lines of one file; what is older is had by naming earlier days."""
KEPT = timedelta(days=400)
COLUMNS = ("at", "who", "way", "did", "what", "outcome", "address")
DOES_SUMS = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True)
class Wanted:
    """Which entries: of whom, holding which words, from and before when (UTC)."""

    who: str = ""
    text: str = ""
    since: datetime | None = None
    before: datetime | None = None


def note(session: Session, did: str, who: str, outcome: str = "done", what: str = "", address: str = "") -> None:
    """What no request tells of by itself: signing in and out, and refusals."""
    session.add(
        AuditEntry(way="page", did=did, who=who[:120], what=what[:200], outcome=outcome, address=address[:45], at=now())
    )


def tell_of(name: str) -> None:
    """The trail names what this request is about, besides its address."""
    doing = DOING.get()
    if doing is not None:
        doing.what = f"{doing.what}: {name}"[:200]


def entries(session: Session, wanted: Wanted, skip: int = 0, most: int = PAGE) -> Sequence[AuditEntry]:
    """The newest first."""
    return session.scalars(_asked(wanted).order_by(AuditEntry.id.desc()).offset(skip).limit(most)).all()


def _asked(wanted: Wanted) -> Select[AuditEntry]:
    asked = select(AuditEntry)
    if wanted.who:
        asked = asked.where(AuditEntry.who == wanted.who)
    for word in wanted.text.split():
        place = AuditEntry.did.contains(word, autoescape=True) | AuditEntry.what.contains(word, autoescape=True)
        asked = asked.where(place | AuditEntry.who.contains(word, autoescape=True))
    if wanted.since:
        asked = asked.where(AuditEntry.at >= wanted.since)
    if wanted.before:
        asked = asked.where(AuditEntry.at < wanted.before)
    return asked


def as_csv(found: Sequence[AuditEntry]) -> Iterator[str]:
    """Lines of a table; what a spreadsheet would work out as a sum stands as text (ASVS 5, 1.2.10)."""
    yield _line(COLUMNS)
    for entry in found:
        values = [entry.at.isoformat() + "Z", *(getattr(entry, name) for name in COLUMNS[1:])]
        yield _line([f"'{value}" if value.startswith(DOES_SUMS) else value for value in values])


def _line(values: Sequence[str]) -> str:
    out = io.StringIO()
    csv.writer(out).writerow(values)
    return out.getvalue()


def forget(session: Session, at: datetime | None = None) -> int:
    """Remove what is older than it is kept; how many."""
    gone = session.execute(delete(AuditEntry).where(AuditEntry.at < (at or now()) - KEPT))
    return int(gone.rowcount)  # type: ignore[attr-defined]
