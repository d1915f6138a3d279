"""Copies of a shop, and whether it is whole: `python -m etiquette.server.safekeeping backup FILE`, `restore FILE`,
`check`, `collect [dry]`, `link NAME`, `owner NAME`. One JSON object on stdout; exit 0 done, 1 cannot be done or
something is wrong.

A process of its own beside a shop that works, or alone with its data: then it starts their database itself. A shop
that starts it says the address of its database, with the password in it, on stdin (ETIQUETTE_DATABASE_URL=-): what is
in the environment of a process others can read."""

import json
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

MOST_TOLD = 200


def main(arguments: list[str]) -> int:
    # not above: every child of the sandbox's fork server imports the main module again, this one
    from etiquette.core.errors import JobError

    try:
        told, well = _done(*arguments)
    except JobError as error:
        told, well = {"error": {"what": error.what, "where": error.where, "do": error.do}}, False
    print(json.dumps(told, ensure_ascii=False))
    return 0 if well else 1


def _done(what: str, file: str = "") -> tuple[dict[str, Any], bool]:
    """What was done, and whether all is well. Raises JobError."""
    if what == "backup":
        return _backup(Path(file).absolute())
    if what == "link":
        return _link(file)
    if what == "owner":
        return _owner(file)
    if what == "restore":
        return _restore(Path(file).absolute())
    if what == "collect":
        return _collect(file == "dry")
    return _check()


def _backup(file: Path) -> tuple[dict[str, Any], bool]:
    from etiquette.store import backups

    with _opened() as (database, blobs, _):
        copied = backups.write(database, blobs, file)
    told = {"out": str(file), **asdict(copied), "rows": sum(copied.tables.values())}
    del told["tables"]
    return told, not (copied.damaged or copied.missing)


def _restore(file: Path) -> tuple[dict[str, Any], bool]:
    from etiquette.store import backups, checking
    from etiquette.store.settling import settle

    with _opened(empty=True) as (database, blobs, _):
        copied = backups.restore(database, blobs, file)
        settled = database.within(settle)
        checked = checking.Checked()
        found = database.within(lambda session: list(checking.faults(session, blobs, checked)))
    told = {"restored": str(file), "made_at": copied.made_at, "files": copied.files, "rows": checked.rows, **settled}
    return {**told, "found": [asdict(one) for one in found[:MOST_TOLD]]}, not found


def _collect(dry: bool) -> tuple[dict[str, Any], bool]:
    from etiquette.settings import from_environment
    from etiquette.stations.collecting import collect, note
    from etiquette.stations.shop import Shop

    with _opened() as (database, blobs, _):
        gone = collect(Shop(from_environment(), database, blobs), dry=dry)
        if not dry:
            database.within(lambda session: note(session, gone))
    return {"would_go" if dry else "gone": asdict(gone)}, True


def _link(name: str) -> tuple[dict[str, Any], bool]:
    from etiquette.people import links
    from etiquette.settings import from_environment

    with _opened() as (database, _, works):
        key = database.within(lambda session: links.link_for(session, name))
    kept = from_environment().data / "address"
    address = kept.read_text() if works and kept.exists() else ""
    return {"link": f"{address}{links.PATH}{key}", "hours": round(links.VALID.total_seconds() / 3600)}, True


def _owner(name: str) -> tuple[dict[str, Any], bool]:
    """The first one, of a shop that may not even have tables yet."""
    from getpass import getpass

    from etiquette.people.sign_in import make_first_owner

    password = getpass(f"A password for {name}: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    with _opened(empty=True) as (database, _, _):
        database.migrate()
        make_first_owner(database, name, password)
    return {"owner": name}, True


def _check() -> tuple[dict[str, Any], bool]:
    from etiquette.store import checking

    checked = checking.Checked()
    with _opened() as (database, blobs, _):
        found = database.within(lambda session: list(checking.faults(session, blobs, checked)))
    return {**asdict(checked), "found": [asdict(one) for one in found[:MOST_TOLD]]}, not found


@contextmanager
def _opened(empty: bool = False) -> Iterator[Any]:
    """The database and the files of this installation, and whether a shop works with them. `empty`: there must be none
    yet. Raises JobError."""
    from etiquette.core.errors import JobError
    from etiquette.server.lock import AlreadyRunning, InstanceLock
    from etiquette.server.mariadb import DatabaseDidNotStart, PrivateMariaDB, url_of_running
    from etiquette.settings import from_environment
    from etiquette.store.blobs import files_of
    from etiquette.store.database import Database

    settings = from_environment()
    if settings.database_url == "-":
        settings = replace(settings, database_url=sys.stdin.readline().strip())
    folder = settings.data / "mariadb"
    if not empty and settings.database_url is None and not (folder / "data" / "mysql").exists():
        raise JobError("There is no shop here.", str(settings.data), "Set ETIQUETTE_DATA to where it keeps its things.")
    private, lock, works = None, None, False
    try:
        lock = InstanceLock(settings.data)
    except AlreadyRunning as error:
        works = True
        if empty:
            raise JobError(
                str(error), str(settings.data), "Restore into an empty folder: set ETIQUETTE_DATA."
            ) from None
    try:
        if settings.database_url is not None:
            url = settings.database_url
        elif works:
            url = url_of_running(folder)
        else:
            private = PrivateMariaDB(folder)
            private.start()
            url = private.url
        database = Database(url)
        try:
            yield database, files_of(settings.files, settings.files_url), works
        finally:
            database.close()
    except DatabaseDidNotStart as error:
        raise JobError(str(error), str(folder), "Look at its log.") from None
    finally:
        if private is not None:
            private.stop()
        del lock


if __name__ == "__main__":
    os.umask(0o077)  # a copy holds everything
    os.nice(10)  # the work of the shop comes first
    raise SystemExit(main(sys.argv[1:]))
