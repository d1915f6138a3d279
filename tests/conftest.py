"""What tests share: a private database server, an empty shop, a running Etiquette with the demo, a browser."""

import contextlib
import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from random import Random
from typing import Any

import httpx
import pytest
import structlog
from hypothesis import settings
from playwright.sync_api import Page
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy.orm import Session

os.environ["STANDINS_SEED"] = "4"  # the film and the hands of the simulated devices, the same in every run
os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(__file__).parents[1] / "var" / "numba"))

from benchmarks.killable import parent_of
from etiquette.core.marking.codes import new_code
from etiquette.demo.moving_in import machines_move_in
from etiquette.demo.room import Room as RoomClient
from etiquette.devices.byte_line import ByteLine
from etiquette.devices.http_eye import HttpEye
from etiquette.devices.ipp_message import IppLine
from etiquette.people import passwords
from etiquette.sandbox import art, door, drawing
from etiquette.server.mariadb import PrivateMariaDB
from etiquette.server.room import start_room
from etiquette.settings import Settings
from etiquette.stations import run_edits
from etiquette.stations.shop import Shop
from etiquette.store.blobs import Blobs
from etiquette.store.database import Database
from etiquette.store.models import Base
from tests.let_in import client_at, cookies_for, let_in
from tests.made_once import made_once
from tests.stations.shop_floor import fill_shelf, tell

# the same examples in every check; HYPOTHESIS_PROFILE=wide looks further
settings.register_profile("check", max_examples=15, derandomize=True, deadline=None)
settings.register_profile("wide", max_examples=400, deadline=None)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "check"))

# what fails in a task is logged with its traceback: in colours it took longer to write than the task had taken
structlog.configure(processors=[structlog.processors.format_exc_info, structlog.processors.KeyValueRenderer()])

CHROMIUM_FLAGS = (
    "--no-sandbox --disable-gpu --enable-unsafe-swiftshader --disable-background-networking "
    "--disable-component-update --disable-sync "
    "--no-first-run"
)

PATIENCE = 300.0
"""Seconds until a wait fails: nothing here depends on how fast the machine is."""

TESTS = Path(__file__).parent
FAST = {"core"}
MARKED = {"browser", "outside"}
TOGETHER = {
    "tests/browser/test_set_up.py": "hostile files",  # with an Etiquette of its own
    "tests/browser/": "the running demo",
    "tests/outside/test_api.py": "the API",
    "tests/server/test_one_instance.py": "the running demo",
    "tests/server/test_safekeeping.py::test_commands_copy": "the running demo",
    "tests/sandbox/test_hostile.py": "hostile files",
    # these share nothing with those; alone they would be begun last, beside the running demo they would be the longest
    "tests/server/test_crashes.py": "hostile files",
    "tests/server/test_random_kills.py": "hostile files",
    "tests/stations/test_bench_faults.py": "the bench",
    "tests/stations/test_card_cutting.py": "the bench",
    "tests/stations/test_whole_job.py": "the whole job",
    "tests/stations/test_prints_that_break.py": "the whole job",
    "tests/stations/test_held_machines.py": "the whole job",
}
"""Tests that share something that takes long to make: they go to one worker, in their order."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark tests by their folder and by what they use."""
    for item in items:
        folder = item.path.relative_to(TESTS).parts[0]
        if folder in FAST:
            item.add_marker("fast")
        if folder in MARKED:
            item.add_marker(folder)
        if "machines" in getattr(item, "fixturenames", ()):
            item.add_marker("devices")


@pytest.hookimpl(optionalhook=True)  # without xdist nobody asks for it
def pytest_xdist_make_scheduler(config: pytest.Config, log: object) -> object:
    """Every test goes where there is room, but those of TOGETHER, which are begun first. (The groups of xdist's own
    marker are lost with this version of pytest.)"""
    from xdist.scheduler import LoadScopeScheduling

    class WithGroups(LoadScopeScheduling):
        def _split_scope(self, nodeid: str) -> str:
            return next((name for path, name in TOGETHER.items() if nodeid.startswith(path)), nodeid)

    return WithGroups(config, log)


class Transactions(threading.local):
    """How many transactions this thread is in."""

    depth = 0


@pytest.fixture(scope="session", autouse=True)
def nothing_slow_in_a_transaction() -> Iterator[None]:
    """No device is asked and no child is started inside a database transaction: its locks would be held for as long as
    that takes, and a retried transaction would ask twice."""
    here, patch = Transactions(), pytest.MonkeyPatch()
    within, forked = Database.within, door.ask

    def counted(self: Database, work: Callable[..., Any], *more: Any, **named: Any) -> Any:
        def inside(session: Session) -> Any:
            here.depth += 1
            try:
                return work(session)
            finally:
                here.depth -= 1

        return within(self, inside, *more, **named)

    def outside(wrapped: Callable[..., Any], what: str) -> Callable[..., Any]:
        def asked(*arguments: Any, **named: Any) -> Any:
            assert here.depth == 0, f"{what} inside a transaction"
            return wrapped(*arguments, **named)

        return asked

    patch.setattr(Database, "within", counted)
    for line, name in ((ByteLine, "write"), (IppLine, "ask"), (HttpEye, "look"), (RoomClient, "ask")):
        patch.setattr(line, name, outside(getattr(line, name), "a device is asked"))
    for module in (door, art, drawing):
        patch.setattr(module, "ask", outside(forked, "a child is started"))
    yield
    patch.undo()


@pytest.fixture(scope="session")
def of_all_workers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of this run of tests, the same for all workers."""
    own = tmp_path_factory.getbasetemp()
    return own.parent if "PYTEST_XDIST_WORKER" in os.environ else own


@pytest.fixture(scope="session", autouse=True)
def the_same_is_made_once(of_all_workers: Path) -> Iterator[None]:
    patch = pytest.MonkeyPatch()
    made_once(patch, of_all_workers / "made once")
    yield
    patch.undo()


@pytest.fixture(scope="session", autouse=True)
def passwords_are_quick() -> Iterator[None]:
    """Of the same kind, with less work in them: what they cost is chosen against those who guess, not for tests."""
    patch = pytest.MonkeyPatch()
    patch.setattr(passwords, "_HASHER", PasswordHash((Argon2Hasher(time_cost=1, memory_cost=64, parallelism=1),)))
    yield
    patch.undo()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateMariaDB]:
    """A database server of the tests' own."""
    database = PrivateMariaDB(tmp_path_factory.mktemp("mariadb"), durable=False)
    database.start()
    yield database
    database.stop()


@pytest.fixture(scope="session")
def migrated(server: PrivateMariaDB) -> str:
    """The address of a database that has all tables; made once, because that takes longer than most tests."""
    _tell(server, "CREATE DATABASE etiquette_tests CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
    url = server.url.replace("/etiquette?", "/etiquette_tests?")
    database = Database(url)
    database.migrate()
    database.close()
    return url


@pytest.fixture
def shop(
    server: PrivateMariaDB,
    migrated: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    request: pytest.FixtureRequest,
) -> Iterator[Shop]:
    """An empty shop: a database without rows, its own files. Frames get the same codes in every shop, so that the same
    plates are made once; but where machines know prints of other shops."""
    if "room" in request.fixturenames or "machines" not in request.fixturenames:
        monkeypatch.setattr(run_edits, "new_code", partial(new_code, Random(4).choice))
    opened = Shop.opened(Settings(tmp_path, None), migrated)
    yield opened
    opened.database.close()
    rows = " UNION ALL ".join(
        f"(SELECT '{table}' FROM etiquette_tests.`{table}` LIMIT 1)" for table in Base.metadata.tables
    )
    # also what was filled and is empty again: its next row would not have the number 1
    of_ours = "table_schema = 'etiquette_tests' AND auto_increment > 1"
    counted = f"SELECT table_name FROM information_schema.tables WHERE {of_ours}"
    filled = {str(table) for (table,) in _tell(server, f"{rows} UNION {counted}")}
    _tell(server, "SET FOREIGN_KEY_CHECKS = 0", *(f"TRUNCATE etiquette_tests.`{table}`" for table in sorted(filled)))


def _tell(server: PrivateMariaDB, *statements: str) -> list[tuple[object, ...]]:
    """Run `statements` as the server's own user; returns the rows of the last one."""
    with server.connect() as connection, connection.cursor() as cursor:
        for statement in statements:
            cursor.execute(statement)
        return list(cursor.fetchall())


@pytest.fixture(scope="session")
def machines(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Settings]:
    """The three simulated machines and the room they share, for all tests of the stations."""
    settings = Settings(tmp_path_factory.mktemp("room"), None)
    with contextlib.ExitStack() as stack:
        start_room(settings, stack, [], first_port=0)
        yield settings


@pytest.fixture
def room(shop: Shop, machines: Settings) -> Shop:
    """A shop with the machines, nothing printed, nothing on the cutter, nothing wrong with it."""
    made = replace(shop, settings=machines, blobs=Blobs(machines.files))
    for printed in (machines.room / "sheets").iterdir():  # what other tests printed under the same names
        wait_until(lambda printed=printed: shutil.rmtree(printed, ignore_errors=True) or not printed.exists())
    made.database.within(fill_shelf)
    machines_move_in(made)
    tell(made, "cutter", "unload")
    tell(made, "cutter", "unit", mm=0.025)
    tell(made, "cutter", "fault", kind="none")
    tell(made, "cutter", "wear", mended=True)
    tell(made, "printer", "mend")
    tell(made, "printer", "forget")
    return made


class RunningEtiquette:
    """`etiquette serve`, with the demo or empty, on a data directory of its own: from the sources, or by the `command`
    of an installed wheel, whose data lie in the user's data directory."""

    def __init__(self, data: Path, command: Path | None = None, demo: bool = True) -> None:
        self.data, self._command, self._demo = data, command, demo
        self.url = ""
        self.page_cookies: list[dict[str, str]] = []
        self.cookies: dict[str, str] = {}
        """Of whoever opened the link that was printed: the demo's operator, or the first owner."""
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> None:
        environment = {**os.environ, "ETIQUETTE_DATA": str(self.data)}
        if self._command:
            environment = {**os.environ, "XDG_DATA_HOME": str(self.data.parent), "BEGUN_FOR": str(self.data)}
        environment.pop("ETIQUETTE_DATABASE_URL", None)
        environment.pop("PYTHONPATH", None)
        command = [str(self._command)] if self._command else [sys.executable, "-m", "etiquette.cli"]
        self.process = subprocess.Popen(
            [*command, "serve", *(["--demo"] if self._demo else []), "--port", "0"],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment,
        )  # fmt: skip
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        assert line.startswith("http://127.0.0.1:"), (line, self.process.stderr and self.process.stderr.read())
        with let_in(line, PATIENCE) as client:
            self.url = line.strip().rstrip("/").partition("/enter#")[0]
            self.cookies = dict(client.cookies)
            self.page_cookies = cookies_for(client)

    def client(self) -> httpx.Client:
        """Asks as a page of it would, and waits as long as it takes."""
        return client_at(self.url, self.cookies, PATIENCE)

    def let_in(self, page: Page) -> None:
        """A page of the same person."""
        page.context.add_cookies(self.page_cookies)  # type: ignore[arg-type]

    def get(self, path: str) -> httpx.Response:
        with self.client() as client:
            return client.get(path)

    def end(self) -> int:
        assert self.process is not None
        self.process.terminate()
        return self.process.wait(60)

    def processes(self) -> list[int]:
        """Every process that works on this data directory."""
        found = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                try:
                    told = (entry / "cmdline").read_bytes() + (entry / "environ").read_bytes()
                except OSError:
                    continue
                if str(self.data).encode() in told and int(entry.name) != os.getpid():
                    found.append(int(entry.name))
        return found

    def web_servers(self) -> list[int]:
        """The one that everybody speaks with, and the one forked from it that reads."""
        found = []
        for pid in self.processes():
            with contextlib.suppress(OSError):  # a reader's child that has ended since
                if b"etiquette.server.web\0" in Path(f"/proc/{pid}/cmdline").read_bytes():
                    found.append(pid)
        return sorted(found, key=lambda pid: parent_of(pid) in found)


@pytest.fixture(scope="session")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningEtiquette]:
    etiquette = RunningEtiquette(tmp_path_factory.mktemp("running"))
    etiquette.start()
    yield etiquette
    etiquette.end()


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    return {"executable_path": "/usr/bin/chromium", "args": CHROMIUM_FLAGS.split()}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, object]:
    return {"viewport": {"width": 1280, "height": 800}}


def wait_until(true: object, seconds: float = PATIENCE) -> None:
    """Look again and again until `true()` holds; fails after `seconds`."""
    deadline = time.monotonic() + seconds
    while not true():  # type: ignore[operator]
        assert time.monotonic() < deadline, "it did not happen in time"
        time.sleep(0.05)
