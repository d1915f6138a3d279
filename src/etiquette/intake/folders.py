"""Drop folders: kept, and what lies in them."""

import os
import stat
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.production.file_names import read_name
from etiquette.stations.edits import Stale
from etiquette.stations.shop import Shop
from etiquette.store.models import DropFolder

DONE, REFUSED = "done", "refused"
PASSED_BY = (".tmp", ".part", ".partial", ".crdownload", ".download", ".swp", "~")
"""Ends of names under which programs write what is not whole yet (common practice, no published source)."""


@dataclass(frozen=True)
class Lying:
    """A file in a folder: what shows whether it rests."""

    name: str
    size: int
    mtime_ns: int


@dataclass(frozen=True)
class Seen:
    """What lies in a folder, or why it cannot be looked at."""

    files: tuple[Lying, ...] = ()
    links: tuple[str, ...] = ()
    """Names that lead elsewhere: they are not followed."""
    inside: tuple[str, ...] = ()
    """Folders inside: they are not looked into."""
    problem: str = ""


def look(path: Path) -> Seen:
    """Never raises: a share that is gone is a problem that is said."""
    if not path.is_dir():
        return Seen(problem="It is not there: look whether the disk or the share is connected.")
    if not os.access(path, os.R_OK | os.W_OK | os.X_OK):
        return Seen(problem="It cannot be read or written: give Etiquette's user the right to it.")
    files, links, inside = [], [], []
    try:
        with os.scandir(path) as entries:
            for entry in entries:
                if entry.name.startswith((".", "~$")) or entry.name.lower().endswith(PASSED_BY):
                    continue
                if entry.is_symlink():
                    links.append(entry.name)
                elif entry.is_dir():
                    inside += [] if entry.name in (DONE, REFUSED) else [entry.name]
                elif stat.S_ISREG((found := entry.stat()).st_mode):
                    files.append(Lying(entry.name, found.st_size, found.st_mtime_ns))
    except OSError as error:
        return Seen(problem=f"It cannot be read: {error.strerror or error}.")
    return Seen(tuple(sorted(files, key=lambda one: one.name)), tuple(links), tuple(inside))


def put_by(path: Path, name: str, where: str, why: str = "") -> None:
    """A file goes to done/ or refused/, beside it the reason; what lies there under its name stays. Raises OSError."""
    target = path / where
    target.mkdir(exist_ok=True)
    stem, end = os.path.splitext(name)
    free, number = target / name, 1
    while free.exists() or free.is_symlink():
        number += 1
        free = target / f"{stem} {number}{end}"
    if (path / name).exists() or (path / name).is_symlink():
        os.rename(path / name, free)
    if why:
        free.with_name(f"{free.name}.txt").write_text(f"{why}\n", encoding="utf-8")


def all_folders(session: Session) -> list[DropFolder]:
    return list(session.scalars(select(DropFolder).where(~DropFolder.away).order_by(DropFolder.name)))


def folder_there(session: Session, folder_id: int) -> DropFolder:
    """Raises NotThere."""
    row = session.get(DropFolder, folder_id)
    if row is None:
        raise NotThere("There is no such folder.", f"folder {folder_id}", "Look at the Shelf again.")
    return row


def add(shop: Shop, session: Session, values: Mapping[str, Any]) -> int:
    """Raises JobError."""
    row = DropFolder(name=values["name"], path=values["path"])
    _set(shop, session, row, values)
    session.add(row)
    session.flush()
    return row.id


def change(shop: Shop, session: Session, folder_id: int, version: int, values: Mapping[str, Any]) -> None:
    """Raises NotThere, Stale, JobError."""
    row = folder_there(session, folder_id)
    if row.version != version:
        raise Stale("folder", folder_id, row.version)
    _set(shop, session, row, values)


def _set(shop: Shop, session: Session, row: DropFolder, values: Mapping[str, Any]) -> None:
    for name, value in values.items():
        setattr(row, name, value)
    read_name(row.pattern or "", "try")
    path = Path(row.path)
    if not path.is_absolute():
        raise JobError("The path has to be a whole one, from the root on.", row.path, "Write it like /srv/orders.")
    real = path.resolve()
    own = shop.settings.data.resolve()
    if real == own or own in real.parents or real in own.parents:
        raise JobError("Etiquette keeps its own files there.", row.path, "Choose a folder of its own for orders.")
    twin = select(DropFolder).where(~DropFolder.away, DropFolder.id != (row.id or 0))
    for other in session.scalars(twin):
        there = Path(other.path).resolve()
        if there == real or there in real.parents or real in there.parents:
            raise JobError(f"{other.name} watches there already.", row.path, "Choose a folder outside of it.")
        if other.name.casefold() == row.name.casefold():
            raise JobError(f"Another folder is called {other.name}.", "name", "Give it another name.")
    row.problem = look(real).problem
