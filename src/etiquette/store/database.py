"""The connection to MariaDB: sessions, retries, migrations."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

T = TypeVar("T")
LOCK_WAIT_TIMEOUT, DEADLOCK = 1205, 1213
TRIES = 5


class Database:
    """One engine and its sessions. `within` is the only way to change data: one transaction, retried when it was
    the victim of a deadlock or a lock that was held too long."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(url, isolation_level="READ COMMITTED", pool_pre_ping=True, pool_recycle=600)
        event.listen(self.engine, "connect", _use_utc)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    def within(self, work: Callable[[Session], T]) -> T:
        """Run `work` in one transaction and return its value. Raises what `work` raises, after rolling back."""
        for attempt in range(TRIES):
            try:
                with self._sessions.begin() as session:
                    return work(session)
            except OperationalError as error:
                code = error.orig.args[0] if error.orig and error.orig.args else None
                if code not in (LOCK_WAIT_TIMEOUT, DEADLOCK) or attempt == TRIES - 1:
                    raise
                time.sleep(0.02 * 2**attempt)
        raise AssertionError("unreachable")

    def migrate(self) -> None:
        """Bring the tables to this version. DDL is not transactional: a lock keeps a second starter out."""
        with self.engine.connect() as connection:
            connection.execute(text("SELECT GET_LOCK('etiquette-migrate', 120)"))
            try:
                command.upgrade(alembic_config(self.url), "head")
            finally:
                connection.execute(text("SELECT RELEASE_LOCK('etiquette-migrate')"))

    def close(self) -> None:
        self.engine.dispose()


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def _use_utc(connection: object, _record: object) -> None:
    with connection.cursor() as cursor:  # type: ignore[attr-defined]
        cursor.execute("SET time_zone = '+00:00'")
