"""The private server lets one account in, and nobody else; the supervisor stays small.

The defects of the list “Firm ground”, by their numbers: 1, 21, 22."""

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pymysql
import pytest

from etiquette.server import mariadb
from etiquette.server.mariadb import PrivateMariaDB


@pytest.fixture(params=["socket", "loopback"])
def private(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[PrivateMariaDB]:
    """A server of its own; in a deep directory it is reached over loopback, because a socket's path may not be long."""
    directory = tmp_path / ("d" if request.param == "socket" else "d" * 100)
    made = PrivateMariaDB(directory, durable=False)
    assert (made.socket is None) == (request.param == "loopback")
    made.start()
    yield made
    made.stop()


def connected(private: PrivateMariaDB, user: str, password: str = "") -> "pymysql.Connection[pymysql.cursors.Cursor]":
    where = {"unix_socket": str(private.socket)} if private.socket else {"host": "127.0.0.1", "port": private.port}
    return pymysql.connect(**where, user=user, password=password)  # type: ignore[call-overload,no-any-return]


def test_1_one_account_can_sign_in(private: PrivateMariaDB) -> None:
    with private.connect() as ours, ours.cursor() as cursor:
        cursor.execute("SHOW GRANTS")
        grants = " ".join(row[0] for row in cursor.fetchall())
        assert "FILE" not in grants and "ON *.* TO" in grants and "USAGE" in grants  # no right but on our own databases
        cursor.execute("SHOW DATABASES")
        assert {row[0] for row in cursor.fetchall()} == {"etiquette", "information_schema"}
        cursor.execute("SELECT @@tmpdir, @@datadir")
        folders = cursor.fetchone()
        # a folder that servers share loses one's temporary tables when another starts
        assert folders is not None and Path(folders[0]).parent == Path(folders[1]).parent
        if private.socket:
            cursor.execute("SELECT @@skip_networking")
            assert cursor.fetchone() == (1,)
    for user, password in (("root", ""), ("", ""), ("mariadb.sys", ""), ("etiquette", ""), ("etiquette", "wrong")):
        with pytest.raises(pymysql.err.OperationalError) as refused:
            connected(private, user, password)
        assert refused.value.args[0] in (1045, 1698, 4151), (user, refused.value)


def test_1_a_directory_of_a_former_version_is_closed_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Former versions left root open without a password, and knew our account at 127.0.0.1 only."""
    before = PrivateMariaDB(tmp_path, durable=False)
    old = (
        "CREATE DATABASE IF NOT EXISTS etiquette;\nGRANT ALL ON *.* TO 'etiquette'@'localhost' IDENTIFIED BY "
        "'{password}';\nGRANT ALL ON *.* TO 'root'@'%' IDENTIFIED BY '' WITH GRANT OPTION;\nGRANT ALL ON *.* TO "
        "''@'localhost';\nCREATE DATABASE test;\n"
    )
    monkeypatch.setattr(mariadb, "ACCOUNTS", old)
    before = PrivateMariaDB(tmp_path, durable=False)
    before.start()
    connected(before, "root").close()
    with before.connect() as ours, ours.cursor() as cursor:
        cursor.execute("CREATE TABLE etiquette.kept (a INT)")
    before.stop()
    monkeypatch.undo()
    after = PrivateMariaDB(tmp_path, durable=False)
    after.start()
    try:
        for user in ("root", ""):
            with pytest.raises(pymysql.err.OperationalError):
                connected(after, user)
        with after.connect() as ours, ours.cursor() as cursor:
            cursor.execute("SHOW TABLES")
            assert cursor.fetchall() == (("kept",),)
            cursor.execute("SHOW GRANTS")
            assert "ALL PRIVILEGES ON *.*" not in str(cursor.fetchall())
    finally:
        after.stop()


def test_22_the_supervisor_imports_nothing_that_computes() -> None:
    """Megabytes differ from machine to machine; what is imported does not."""
    program = "import sys, etiquette.server.supervisor; print(*sys.modules)"
    said = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True).stdout.split()
    heavy = {
        "numpy",
        "scipy",
        "shapely",
        "cv2",
        "numba",
        "PIL",
        "sqlalchemy",
        "pydantic",
        "fastapi",
        "typer",
        "etiquette.core",
    }
    assert not heavy & set(said)


def test_22_the_web_server_starts_without_compiled_kernels() -> None:
    program = "import sys, etiquette.server.app; print(*sys.modules)"
    said = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True).stdout.split()
    assert not {"numba", "scipy.optimize", "scipy.spatial", "ezdxf", "svgelements"} & set(said)


@pytest.mark.parametrize("main", ["etiquette.server.web", "etiquette.server.prepare"])
def test_22_a_child_that_reads_a_file_imports_no_server(main: str) -> None:
    """Python imports the main module of a process again in every child of its fork server, before the child does
    anything: whatever that module imports is paid for by each file that is read."""
    program = f"import sys, {main}; print(*sys.modules)"
    said = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True).stdout.split()
    assert not {"fastapi", "uvicorn", "sqlalchemy", "pydantic", "numpy", "structlog"} & set(said)


def test_21_a_stamp_holds_until_what_it_stands_for_changes(tmp_path: Path) -> None:
    """What the build itself writes does not ask for a second build."""
    root = Path(__file__).parents[2]
    (tmp_path / "src").mkdir()
    (tmp_path / "src" / "a.ts").write_text("one")

    def unchanged() -> bool:
        script = (
            f"cd {tmp_path}; . {root}/scripts/set_up.sh; if unchanged front src; then exit 0; else stamp front; "
            "exit 1; fi"
        )
        return subprocess.run(["bash", "-c", script], check=False).returncode == 0

    assert [unchanged(), unchanged()] == [False, True]
    (tmp_path / "src" / "schema.d.ts").write_text("made by the build")
    assert unchanged()
    (tmp_path / "src" / "a.ts").write_text("two")
    assert [unchanged(), unchanged()] == [False, True]
