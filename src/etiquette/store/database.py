"""The connection to MariaDB: sessions, retries, migrations."""

import itertools
import socket
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DisconnectionError, IntegrityError, OperationalError
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker
from sqlalchemy.pool import ConnectionPoolEntry

from etiquette.core.errors import JobError
from etiquette.store.models.base import DOING, Doing, now
from etiquette.store.models.people import AuditEntry

if TYPE_CHECKING:
    from alembic.config import Config

T = TypeVar("T")
LOCK_WAIT_TIMEOUT, DEADLOCK, DUPLICATE = 1205, 1213, 1062
AWAY = (2002, 2003, 2006, 2013, 2055, 1053, 1927)
"""Errors of a server that cannot be reached, went away, or is going down."""
AWAY_PAUSE_SECONDS = 0.2
TRIES = 5
CHANGED = "changed"
"""The note of a session that something was written in it."""
MOST_CONNECTIONS = 45
"""More than the web server has threads for requests: none waits for a connection until it gives up."""
RESTED, RESTS_SECONDS = "rested", 0.5
"""Less than a server needs to end and to start again."""
CONNECT_SECONDS = 5
LOST = {"TCP_KEEPIDLE": 10, "TCP_KEEPINTVL": 5, "TCP_KEEPCNT": 3, "TCP_USER_TIMEOUT": 25_000}
"""A database on another machine that is gone without a word (its power, its cable) is noticed within half a minute, by
the kernel; one that only answers late may take its time. As the system has it, it would be quarters of an hour."""
FILES_LOCK = "etiquette files"
"""Whoever removes files of the store holds it, and whoever copies them."""
ALONE, LEADS = "etiquette ", "etiquette leads "
PLACES = tuple(f"etiquette {number} " for number in range(100))
"""A lock for each process of a shop that works on several machines."""
LOCK_NAME = "CONCAT(:name, MD5(DATABASE()))"
"""The name of a lock is the server's: it may hold several databases."""
HOLD_SECONDS = 10
"""How long a starter waits for the one before it to be gone."""


class Database:
    """One engine and its sessions. `within` is the only way to change data: one transaction, retried when it was
    the victim of a deadlock or a lock that was held too long."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url,
            isolation_level="READ COMMITTED",
            pool_recycle=600,
            max_overflow=MOST_CONNECTIONS,
            connect_args={"connect_timeout": CONNECT_SECONDS},
            pool_reset_on_return=None,  # all that is done with a connection ends in a commit or a rollback of its own
        )
        event.listen(self.engine, "connect", _use_utc)
        event.listen(self.engine, "connect", _notice_a_lost_server)
        event.listen(self.engine, "checkin", _note_rest)
        event.listen(self.engine, "checkout", _look_whether_it_lives)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        event.listen(self._sessions, "after_flush", _note_flush)
        event.listen(self._sessions, "do_orm_execute", _note_statement)

    def within(self, work: Callable[[Session], T], patience_seconds: float = 0.0) -> T:
        """Run `work` in one transaction and return its value. Raises what `work` raises, after rolling back. With
        `patience_seconds` a database that is away is waited for; `work` is then begun anew, and may have been done
        before the answer was lost: it has to be such that twice is as once."""
        deadline = time.monotonic() + patience_seconds
        for attempt in itertools.count():
            try:
                with self._sessions.begin() as session:
                    made = work(session)
                    told = _trail(session)
                if told:
                    told.written = True
                return made
            except IntegrityError as error:
                # two wrote the same at once: begun anew, the second finds what the first has written
                if error.orig is None or error.orig.args[0] != DUPLICATE or attempt >= TRIES - 1:
                    raise
            except OperationalError as error:
                code = error.orig.args[0] if error.orig and error.orig.args else None
                if code in AWAY and time.monotonic() < deadline:
                    time.sleep(AWAY_PAUSE_SECONDS)
                    continue
                if code not in (LOCK_WAIT_TIMEOUT, DEADLOCK) or attempt >= TRIES - 1:
                    raise
                time.sleep(0.02 * 2**attempt)
        raise AssertionError("unreachable")

    def version(self) -> tuple[str | None, str]:
        """The version of the tables (None: there are none yet), and that of this Etiquette. Raises JobError when the
        tables are of a newer one."""
        from alembic.migration import MigrationContext  # large: only where it works
        from alembic.script import ScriptDirectory

        scripts = ScriptDirectory.from_config(alembic_config(self.url))
        own = str(scripts.get_current_head())
        with self.engine.connect() as connection:
            there = MigrationContext.configure(connection).get_current_revision()
        if there is not None and there not in {one.revision for one in scripts.walk_revisions()}:
            raise JobError(
                f"These data are of a newer Etiquette (version {there}; this one knows {own}).",
                "database",
                "Start that one. Nothing was changed.",
            )
        return there, own

    def migrate(self) -> None:
        """Bring the tables to this version. DDL is not transactional: a lock keeps a second starter out. Raises
        JobError when they are of a newer one."""
        from alembic import command

        self.version()
        with self.engine.connect() as connection:
            connection.execute(text("SELECT GET_LOCK('etiquette-migrate', 120)"))
            try:
                command.upgrade(alembic_config(self.url), "head")
            finally:
                connection.execute(text("SELECT RELEASE_LOCK('etiquette-migrate')"))

    @contextmanager
    def held_alone(self) -> Iterator[None]:
        """Hold this database against every other Etiquette, on this machine or another, for as long as the block lasts.
        A process that is killed gives it back: its connection ends. Raises JobError when another one holds it."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.detach()  # closed for good at the end, and the lock with it
            connection.execute(text("SET SESSION wait_timeout = 31536000"))  # it is silent for days
            if not _has_lock(connection, ALONE, HOLD_SECONDS) or any(_is_locked(connection, one) for one in PLACES):
                raise JobError(
                    "Another Etiquette works with this database.",
                    "database",
                    "End it, or give this one a database of its own in ETIQUETTE_DATABASE_URL.",
                )
            yield

    @contextmanager
    def held_with_others(self) -> Iterator[None]:
        """Hold this database together with others that hold it so, against any that would hold it alone, for as long as
        the block lasts. Raises JobError."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.detach()
            connection.execute(text("SET SESSION wait_timeout = 31536000"))
            if not _has_lock(connection, ALONE, HOLD_SECONDS):
                raise JobError(
                    "Another Etiquette works with this database alone.",
                    "database",
                    "End it, and start it with ETIQUETTE_BROKER like the others.",
                )
            if not any(_has_lock(connection, one, 0) for one in PLACES):
                raise JobError(f"{len(PLACES)} processes work with this database already.", "database", "End some.")
            connection.execute(text(f"SELECT RELEASE_LOCK({LOCK_NAME})"), {"name": ALONE})
            yield

    @contextmanager
    def leading(self) -> Iterator[Callable[[], bool] | None]:
        """Be the one of all that hold this database that leads, if nobody does: gives a way to look whether it is so
        still, or None."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.detach()
            if not _has_lock(connection, LEADS, 0):
                yield None
                return
            own = text(f"SELECT IS_USED_LOCK({LOCK_NAME}) = CONNECTION_ID()")
            yield lambda: bool(connection.execute(own, {"name": LEADS}).scalar())

    @contextmanager
    def lock(self, name: str, seconds: float) -> Iterator[bool]:
        """Hold a lock of this database for as long as the block lasts; whether it was to be had within `seconds`."""
        key = {"key": f"{name} ", "seconds": seconds}
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            held = connection.execute(text("SELECT GET_LOCK(CONCAT(:key, MD5(DATABASE())), :seconds)"), key).scalar()
            try:
                yield bool(held)
            finally:
                if held:
                    connection.execute(text("SELECT RELEASE_LOCK(CONCAT(:key, MD5(DATABASE())))"), key)

    def close(self) -> None:
        self.engine.dispose()


def _notice_a_lost_server(connection: Any, _: ConnectionPoolEntry) -> None:
    line: socket.socket = connection._sock
    if line.family in (socket.AF_INET, socket.AF_INET6):
        line.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        for name, value in LOST.items():
            if hasattr(socket, name):  # not every system has all of them
                line.setsockopt(socket.IPPROTO_TCP, getattr(socket, name), value)


def _has_lock(connection: Connection, name: str, seconds: float) -> bool:
    got = connection.execute(text(f"SELECT GET_LOCK({LOCK_NAME}, :seconds)"), {"name": name, "seconds": seconds})
    return bool(got.scalar())


def _is_locked(connection: Connection, name: str) -> bool:
    return connection.execute(text(f"SELECT IS_USED_LOCK({LOCK_NAME})"), {"name": name}).scalar() is not None


def _trail(session: Session) -> Doing | None:
    """Tell what a request does in the transaction of its first change; None: it was told, or nothing was changed."""
    doing = DOING.get()
    if doing is None or doing.written:
        return None
    if not (session.info.get(CHANGED) or session.new or session.dirty or session.deleted):
        return None
    session.add(
        AuditEntry(did=doing.did, what=doing.what, way=doing.way, address=doing.address, outcome="done", at=now())
    )
    return doing


def _note_rest(_dbapi_connection: object, record: ConnectionPoolEntry) -> None:
    record.info[RESTED] = time.monotonic()


def _look_whether_it_lives(dbapi: Any, record: ConnectionPoolEntry, _proxy: object) -> None:
    """A connection that was not used for a while may have ended with its server: another one is taken then. One that
    was used a moment ago is not asked, which each request would wait for."""
    if time.monotonic() - record.info.get(RESTED, time.monotonic()) < RESTS_SECONDS:
        return
    try:
        dbapi.ping(reconnect=False)
    except Exception as error:  # of any kind: it cannot be used
        raise DisconnectionError("the connection has ended") from error


def _note_flush(session: Session, _context: object) -> None:
    session.info[CHANGED] = True


def _note_statement(state: ORMExecuteState) -> None:
    if state.is_insert or state.is_update or state.is_delete:
        state.session.info[CHANGED] = True


def alembic_config(url: str) -> "Config":
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def _use_utc(connection: object, _record: object) -> None:
    with connection.cursor() as cursor:  # type: ignore[attr-defined]
        cursor.execute("SET time_zone = '+00:00'")
