"""A copy of everything, in one file: the rows as they were at one moment, and the files that they name. BACKUP.zip
holds backup.json (what it is), rows/TABLE.jsonl (a head with the columns, then a row a line) and files/SHA256."""

import base64
import json
import os
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import IO, Any

from alembic import command
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, text

from etiquette.core.errors import JobError, NotThere
from etiquette.store.blobs import Blobs, hash_of
from etiquette.store.database import FILES_LOCK, Database, alembic_config
from etiquette.store.naming import STAYS

ABOUT, ROWS, FILES = "backup.json", "rows", "files"
FORMAT = 1
AT_A_TIME = 500
LOCK_SECONDS = 600.0
"""A sweep of finished work that is under way is waited for so long."""
VERSIONS = "alembic_version"


@dataclass
class Copied:
    """What a copy holds. `damaged` and `missing`: files that rows need and that are not what they were, or not there:
    they are not in it."""

    revision: str
    made_at: str
    tables: dict[str, int] = field(default_factory=dict)
    files: int = 0
    bytes: int = 0
    damaged: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)


def write(database: Database, blobs: Blobs, out: Path) -> Copied:
    """Copy all of a shop into `out` while it works, of whatever version its tables are. Nothing is at `out` until the
    copy is whole and on the disk. Raises JobError."""
    part = out.with_name(f"{out.name}.part")
    with database.lock(FILES_LOCK, LOCK_SECONDS) as held:
        if not held:
            raise JobError("Finished work is being cleared just now.", str(out), "Try again in a few minutes.")
        try:
            with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as packed:
                copied, shas, needed = _rows_into(database, packed)
                for sha in shas:
                    _file_into(packed, blobs, sha, sha in needed, copied)
                packed.writestr(ABOUT, json.dumps({"format": FORMAT, **copied.__dict__}, indent=1) + "\n")
            with open(part, "rb") as file:
                os.fsync(file.fileno())
            os.replace(part, out)
        except OSError as error:
            raise JobError(
                f"The copy cannot be written: {error.strerror}.", str(out), "Choose another place, or make room there."
            ) from None
        finally:
            part.unlink(missing_ok=True)
    folder = os.open(out.parent, os.O_RDONLY)
    os.fsync(folder)
    os.close(folder)
    return copied


def _rows_into(database: Database, packed: zipfile.ZipFile) -> tuple[Copied, list[str], set[str]]:
    """Every row as it is at one moment, the files there are, and those that rows need. The first read begins the
    moment, and all that follow see it (REPEATABLE READ)."""
    with database.engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
        revision = MigrationContext.configure(connection).get_current_revision()
        if revision is None:
            raise JobError("There is no shop in this database yet.", "database", "Start Etiquette once first.")
        copied = Copied(revision, datetime.now(UTC).isoformat(timespec="seconds"))
        for table in _tables(connection):
            columns = _columns(connection, table)
            with packed.open(f"{ROWS}/{table}.jsonl", "w", force_zip64=True) as file:
                file.write(_line({"columns": columns}))
                copied.tables[table] = _table_into(connection, table, list(columns), file)
        shas = list(connection.execute(text("SELECT sha256 FROM `blob` ORDER BY sha256")).scalars())
        return copied, shas, _needed(connection)


def _needed(connection: Connection) -> set[str]:
    """The files that rows need, told by the database: its tables may be of a former version."""
    keys = connection.execute(
        text(
            "SELECT TABLE_NAME, COLUMN_NAME FROM information_schema.KEY_COLUMN_USAGE "
            "WHERE TABLE_SCHEMA = DATABASE() AND REFERENCED_TABLE_NAME = 'blob'"
        )
    )
    found: set[str] = set()
    for table, column in keys.tuples().all():
        gone = "cleared_at" in _columns(connection, table) and (table, column) not in STAYS
        of = " AND cleared_at IS NULL" if gone else ""
        named = text(f"SELECT DISTINCT `{column}` FROM `{table}` WHERE `{column}` IS NOT NULL{of}")
        found |= set(connection.execute(named).scalars())
    return found


def _table_into(connection: Connection, table: str, columns: list[str], file: IO[bytes]) -> int:
    named = ", ".join(f"`{one}`" for one in columns)
    rows = connection.execution_options(stream_results=True).execute(text(f"SELECT {named} FROM `{table}`"))
    count = 0
    for row in rows:
        file.write(_line([_plain(value) for value in row]))
        count += 1
    return count


def _file_into(packed: zipfile.ZipFile, blobs: Blobs, sha: str, needed: bool, copied: Copied) -> None:
    """A file of the store, looked at while it is copied. One that no row needs may be gone: its work was cleared."""
    try:
        path = blobs.path(sha)
    except NotThere:
        copied.missing += [sha] if needed else []
        return
    if hash_of(path) != sha:
        copied.damaged.append(sha)
        return
    packed.write(path, f"{FILES}/{sha}", zipfile.ZIP_STORED)  # pictures and PDF are as small as they get
    copied.files += 1
    copied.bytes += path.stat().st_size


def restore(database: Database, blobs: Blobs, file: Path) -> Copied:
    """Put the copy in `file` into an empty database and an empty store, and bring it to this version. Raises JobError;
    the database is empty again then."""
    try:
        with zipfile.ZipFile(file) as packed:
            copied = about(packed, file)
            with database.engine.connect() as connection:
                if _tables(connection):
                    raise JobError(
                        "There is a shop here already.", "database", "Restore into an empty folder: set ETIQUETTE_DATA."
                    )
            try:
                _rows_from(database, packed, copied)
                for sha in _files_in(packed):
                    with packed.open(f"{FILES}/{sha}") as source:
                        blobs.keep(sha, source)
                command.upgrade(alembic_config(database.url), "head")
            except BaseException:
                _empty(database)
                raise
    except (OSError, zipfile.BadZipFile, KeyError, ValueError) as error:
        raise JobError(f"This is no whole copy of a shop: {error}.", str(file), "Choose another copy.") from None
    return copied


def about(packed: zipfile.ZipFile, file: Path) -> Copied:
    """What a copy says of itself. Raises JobError for one of a newer Etiquette, ValueError and KeyError for none."""
    told = json.loads(packed.read(ABOUT))
    number = told.pop("format")
    known = {one.revision for one in ScriptDirectory.from_config(alembic_config("")).walk_revisions()}
    if number != FORMAT or told["revision"] not in known:
        raise JobError("This copy was made by a newer Etiquette.", str(file), "Restore it with that one.")
    return Copied(**told)


def _rows_from(database: Database, packed: zipfile.ZipFile, copied: Copied) -> None:
    """The tables as they were in that version, filled. Keys are not looked at meanwhile: rows name each other."""
    command.upgrade(alembic_config(database.url), copied.revision)
    with database.engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in _tables(connection):
            connection.execute(text(f"DELETE FROM `{table}`"))  # what migrations put in
            if table not in copied.tables:
                raise ValueError(f"it holds no {table}")
            with packed.open(f"{ROWS}/{table}.jsonl") as file:
                count = _table_from(connection, table, file)
            if count != copied.tables[table]:
                raise ValueError(f"{count} of {copied.tables[table]} rows of {table} are in it")
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


def _table_from(connection: Connection, table: str, file: IO[bytes]) -> int:
    head = json.loads(file.readline())["columns"]
    here = _columns(connection, table)
    if set(head) != set(here):
        raise ValueError(f"the columns of {table} are others")
    named, held = ", ".join(f"`{one}`" for one in head), ", ".join(f":c{number}" for number in range(len(head)))
    insert = text(f"INSERT INTO `{table}` ({named}) VALUES ({held})")
    kinds, count = list(head.values()), 0
    for batch in _batches(file):
        values = [{f"c{at}": _read(value, kinds[at]) for at, value in enumerate(row)} for row in batch]
        connection.execute(insert, values)
        count += len(batch)
    return count


def _batches(file: IO[bytes]) -> Iterator[list[Any]]:
    batch = []
    for line in file:
        batch.append(json.loads(line))
        if len(batch) == AT_A_TIME:
            yield batch
            batch = []
    if batch:
        yield batch


def _files_in(packed: zipfile.ZipFile) -> list[str]:
    return [name.removeprefix(f"{FILES}/") for name in packed.namelist() if name.startswith(f"{FILES}/")]


def _tables(connection: Connection) -> list[str]:
    """All tables but the one that says which version they are."""
    wanted = (
        "SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() "
        "AND TABLE_TYPE = 'BASE TABLE' AND TABLE_NAME <> :versions ORDER BY TABLE_NAME"
    )
    return list(connection.execute(text(wanted), {"versions": VERSIONS}).scalars())


def _columns(connection: Connection, table: str) -> dict[str, str]:
    """The columns of a table with their kinds, but those that the database works out itself."""
    wanted = (
        "SELECT COLUMN_NAME, DATA_TYPE FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() "
        "AND TABLE_NAME = :table AND IS_GENERATED = 'NEVER' ORDER BY ORDINAL_POSITION"
    )
    return dict(connection.execute(text(wanted), {"table": table}).tuples().all())


def _empty(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in (*_tables(connection), VERSIONS):
            connection.execute(text(f"DROP TABLE IF EXISTS `{table}`"))


def _line(value: Any) -> bytes:
    return json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode() + b"\n"


def _plain(value: Any) -> Any:
    """A value as JSON has it: moments and decimals as words, bytes in base64 (RFC 4648)."""
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    if isinstance(value, datetime | date):
        return value.isoformat()
    if isinstance(value, Decimal | timedelta):
        return str(value)
    return value


def _read(value: Any, kind: str) -> Any:
    if value is None:
        return None
    if kind.endswith(("blob", "binary")):
        return base64.b64decode(value, validate=True)
    if kind in ("datetime", "timestamp"):
        return datetime.fromisoformat(value)
    if kind == "date":
        return date.fromisoformat(value)
    return Decimal(value) if kind == "decimal" else value
