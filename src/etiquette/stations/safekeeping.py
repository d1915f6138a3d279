"""Copies of the shop that are made by themselves: where, how many, when; and what became of the last one."""

import json
import os
from dataclasses import dataclass
from datetime import datetime, time
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations.clock import clock_of
from etiquette.store.models import Setting, now
from etiquette.store.rows import loaded

FOLDER, KEPT, HOUR, ASKED, LAST = "copies folder", "copies kept", "copies hour", "copies asked", "copies last"
FIRST_KEPT, FIRST_HOUR = 7, 2
MOST_KEPT = 365
PATTERN = "etiquette-*.zip"
"""What we make and take away again; whatever else lies in the folder stays."""


@dataclass(frozen=True)
class Copies:
    """`folder` empty: none are made. `hour`: from which on the copy of a day is made, by the shop's clock."""

    folder: str = ""
    kept: int = FIRST_KEPT
    hour: int = FIRST_HOUR


@dataclass(frozen=True)
class Last:
    """The last try: when, the file it made and how large it is, or why it made none."""

    at: datetime
    file: str = ""
    bytes: int = 0
    problem: str = ""


def copies_of(session: Session) -> Copies:
    held = {name: row.value for name, row in loaded(session, Setting, (FOLDER, KEPT, HOUR)).items()}
    return Copies(held.get(FOLDER, ""), int(held.get(KEPT, FIRST_KEPT)), int(held.get(HOUR, FIRST_HOUR)))


def choose(session: Session, copies: Copies, own_files: Path) -> None:
    """Raises JobError for a folder that no copy can be put into."""
    if copies.folder:
        folder, do = Path(copies.folder), "Choose another folder, best on another disk."
        if not folder.is_absolute() or not folder.is_dir():
            raise JobError("There is no such folder on the machine that Etiquette runs on.", copies.folder, do)
        if not os.access(folder, os.W_OK):
            raise JobError("Etiquette may not write into this folder.", copies.folder, do)
        if folder.resolve().is_relative_to(own_files.resolve()):
            raise JobError("The files of the shop itself lie in this folder.", copies.folder, do)
    for name, value in ((FOLDER, copies.folder), (KEPT, str(copies.kept)), (HOUR, str(copies.hour))):
        session.merge(Setting(name=name, value=value))


def ask_for_one(session: Session, at: datetime | None = None) -> None:
    """A copy is made now, whatever the hour. Raises JobError when nobody said where to."""
    if not copies_of(session).folder:
        raise JobError("Nobody has said where copies go.", "copies", "Type a folder first.")
    session.merge(Setting(name=ASKED, value=(at or now()).isoformat()))


def last_of(session: Session) -> Last | None:
    held = session.get(Setting, LAST)
    if held is None:
        return None
    values: dict[str, Any] = json.loads(held.value)
    return Last(**{**values, "at": datetime.fromisoformat(values["at"])})


def is_due(session: Session, at: datetime | None = None) -> bool:
    """Whether a copy is to be made: one was asked for since the last, or the hour of a day without one has come."""
    at = at or now()
    copies, last, asked = copies_of(session), last_of(session), session.get(Setting, ASKED)
    if not copies.folder:
        return False
    if asked and (last is None or datetime.fromisoformat(asked.value) > last.at):
        return True
    clock = clock_of(session)
    hour = clock.moment(datetime.combine(clock.day(at), time(copies.hour)))
    return at >= hour and (last is None or last.at < hour)


def note(session: Session, last: Last) -> None:
    values = {**last.__dict__, "at": last.at.isoformat(), "problem": last.problem[:300]}
    session.merge(Setting(name=LAST, value=json.dumps(values)))


def name_at(at: datetime) -> str:
    """Of the copy of that moment: the order of names is that of time."""
    return f"etiquette-{at:%Y-%m-%d-%H%M%S}.zip"


def rotate(folder: Path, kept: int) -> list[Path]:
    """Take the oldest copies away, so that `kept` are left; those that went."""
    gone = sorted(folder.glob(PATTERN))[:-kept]
    for file in gone:
        file.unlink()
    return gone
