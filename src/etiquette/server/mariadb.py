"""A private MariaDB server: its own data directory, one account with a password, a socket instead of a port."""

import getpass
import os
import secrets
import shutil
import subprocess
import tempfile
import time
from pathlib import Path
from urllib.parse import quote

import pymysql

from etiquette.server.children import Child
from etiquette.server.ports import listening

DATABASE = "etiquette"
START_PATIENCE_SECONDS = 90.0
TRIES = 4
LONGEST_SOCKET = 100
"""A socket's path may be 107 bytes long at most; a data directory that is deeper is reached over loopback."""
ACCOUNTS = (
    # Whatever accounts there are go, in directories of former versions too: the installer's (root without a password on
    # four
    # hosts, nobody on two), and our own with rights it may have had. mariadb.sys stays: it is locked and defines
    # mysql.user.
    "DELETE FROM mysql.global_priv WHERE User <> 'mariadb.sys';\n"
    "DELETE FROM mysql.db;\n"
    "DELETE FROM mysql.proxies_priv;\n"
    "FLUSH PRIVILEGES;\n"
    "DROP DATABASE IF EXISTS test;\n"
    "CREATE DATABASE IF NOT EXISTS {user} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n"
    "CREATE USER '{user}'@'{host}' IDENTIFIED BY '{password}';\n"
    "GRANT ALL ON `{user}%`.* TO '{user}'@'{host}';\n"
)


class DatabaseDidNotStart(RuntimeError):
    """The private server did not come up; the message names its log."""


class PrivateMariaDB:
    """A server whose data lie in `directory`. A data directory left by a crash is recovered by InnoDB at start."""

    def __init__(self, directory: Path, *, durable: bool = True) -> None:
        self._directory = directory
        self._durable = durable
        self._log = directory / "server.log"
        # its own: a server that starts removes what it takes for leftovers in its folder for temporary tables,
        # another's too
        self._tmp = directory / "tmp"
        self._tmp.mkdir(parents=True, exist_ok=True)
        self._password = self._credentials()
        self.socket: Path | None = directory / "socket"
        self.port = 0
        if len(str(self.socket)) > LONGEST_SOCKET:
            self.socket = None
            self._choose_port()
        self.child = Child("database", self._command(), self._log)

    @property
    def url(self) -> str:
        return _url(self._password, self.socket, self.port)

    def connect(self) -> pymysql.Connection:  # type: ignore[type-arg]
        """A connection of our one account, past SQLAlchemy. Raises pymysql.MySQLError."""
        where = {"unix_socket": str(self.socket)} if self.socket else {"host": "127.0.0.1", "port": self.port}
        return pymysql.connect(
            **where,  # type: ignore[arg-type]
            user=DATABASE,
            password=self._password,
            database=DATABASE,
            autocommit=True,
            ssl_disabled=True,
        )

    def start(self) -> None:
        """Make the data directory if there is none, start the server, wait until it answers.

        Raises DatabaseDidNotStart."""
        if not (self._directory / "data" / "mysql").exists():
            self._install()
        for _ in range(TRIES):
            self.child.start()
            if self._answers():
                return
            self.stop()
            if self.socket is not None:
                break
            # somebody may have taken the port between the look for a free one and the start
            self._choose_port()
            self.child = Child("database", self._command(), self._log)
        raise DatabaseDidNotStart(f"The database server did not start. Its log is {self._log}.")

    def _answers(self) -> bool:
        """Wait until it does. False when it has ended, or does not for too long."""
        deadline = time.monotonic() + START_PATIENCE_SECONDS
        while not self.child.has_ended and time.monotonic() < deadline:
            try:
                self.connect().close()
                return True
            except pymysql.MySQLError:
                time.sleep(0.1)
        return False

    def _choose_port(self) -> None:
        with listening(3310) as held:
            self.port = int(held.getsockname()[1])
        (self._directory / "port").write_text(str(self.port))

    def stop(self) -> None:
        self.child.stop(patience_seconds=30)

    def _credentials(self) -> str:
        self._directory.mkdir(parents=True, exist_ok=True)
        file = self._directory / "password"
        if not file.exists():
            with open(os.open(file, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600), "w") as handle:
                handle.write(secrets.token_urlsafe(24))
        return file.read_text()

    def _install(self) -> None:
        data = self._directory / "data"
        shutil.rmtree(data, ignore_errors=True)  # an installation that was cut short cannot be trusted
        unfinished = self._directory / "data.unfinished"
        shutil.rmtree(unfinished, ignore_errors=True)
        unfinished.mkdir()
        # its script takes a folder whose name has spaces for several: it gets a way round them
        with open(self._log, "ab") as log, tempfile.TemporaryDirectory(prefix="etq-db-", dir="/tmp") as plain:
            way = Path(plain) / "data"
            way.symlink_to(unfinished)
            done = subprocess.run(
                [
                    "mariadb-install-db",
                    "--no-defaults",
                    f"--datadir={way}",
                    f"--user={getpass.getuser()}",
                    "--auth-root-authentication-method=normal",
                    "--skip-test-db",
                ],
                stdout=log,
                stderr=subprocess.STDOUT,
                env={**os.environ, "TMPDIR": plain},
                check=False,
            )
        if done.returncode:
            raise DatabaseDidNotStart(f"The database could not be set up. Its log is {self._log}.")
        unfinished.rename(data)

    def _command(self) -> list[str]:
        first = self._directory / "first.sql"
        host = "localhost" if self.socket else "127.0.0.1"
        with open(os.open(first, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "w") as handle:
            handle.write(ACCOUNTS.format(user=DATABASE, host=host, password=self._password))
        network = (
            [f"--socket={self.socket}", "--skip-networking"]
            if self.socket
            else ["--bind-address=127.0.0.1", f"--port={self.port}", "--socket="]
        )
        return [
            _server_program(),
            "--no-defaults",
            f"--datadir={self._directory / 'data'}",
            f"--tmpdir={self._tmp}",
            f"--user={getpass.getuser()}",
            *network,
            f"--pid-file={self._directory / 'server.pid'}",
            "--skip-name-resolve",
            f"--init-file={first}",
            "--transaction-isolation=READ-COMMITTED",
            "--default-time-zone=+00:00",
            "--innodb-buffer-pool-size=64M",
            "--max-allowed-packet=64M",
            f"--innodb-flush-log-at-trx-commit={1 if self._durable else 2}",
        ]


def url_of_running(directory: Path) -> str:
    """How the server is reached that another process has started on these data. Raises OSError without one."""
    socket, password = directory / "socket", (directory / "password").read_text()
    if len(str(socket)) > LONGEST_SOCKET:
        return _url(password, None, int((directory / "port").read_text()))
    return _url(password, socket, 0)


def _url(password: str, socket: Path | None, port: int) -> str:
    """Without TLS: it never leaves this machine, and to make TLS ready takes longer than most questions."""
    where = f"localhost/{DATABASE}?unix_socket={quote(str(socket))}&" if socket else f"127.0.0.1:{port}/{DATABASE}?"
    return f"mysql+pymysql://{DATABASE}:{password}@{where}charset=utf8mb4&ssl_disabled=true"


def _server_program() -> str:
    program = shutil.which("mariadbd") or shutil.which("mariadbd", path="/usr/sbin:/usr/local/sbin")
    if program is None:
        raise DatabaseDidNotStart(
            "The program mariadbd is missing. Install Debian's packages mariadb-server-core and mariadb-client-core."
        )
    return program
