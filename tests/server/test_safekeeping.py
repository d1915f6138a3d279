"""Copies of a shop: made while it works, restored elsewhere, refused where they are not whole; and whether a shop is
whole."""

import json
import os
import subprocess
import sys
import threading
import zipfile
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from alembic import command
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.server import copying, prepare
from etiquette.server.mariadb import PrivateMariaDB, url_of_running
from etiquette.settings import Settings
from etiquette.stations import finished, ledger, line_finding, run_edits, safekeeping
from etiquette.stations.finished import Choice, Gone
from etiquette.stations.floor.hands import _of_copies
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.safekeeping import Copies, Last
from etiquette.stations.shop import Shop
from etiquette.store import backups, checking
from etiquette.store.blobs import Blobs
from etiquette.store.database import FILES_LOCK, Database, alembic_config
from etiquette.store.models import Design, DropFolder, Machine, Order, OrderState, Plate, Roll, Sheet, Task, now
from etiquette.store.settling import settle, settle_unfollowed
from etiquette.store.states import SheetState, TaskState
from tests.conftest import RunningEtiquette
from tests.let_in import client_at, let_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture(scope="module")
def elsewhere(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateMariaDB]:
    """Another server, with another password, so deep in a folder whose name has spaces that it has a port instead of a
    socket."""
    deep = tmp_path_factory.mktemp("elsewhere") / ("another shop, " * 7).strip(", ")
    server = PrivateMariaDB(deep, durable=False)
    server.start()
    yield server
    server.stop()


@pytest.fixture
def empty(elsewhere: PrivateMariaDB, tmp_path: Path) -> Iterator[tuple[Database, Blobs]]:
    database = Database(elsewhere.url)
    yield database, Blobs(tmp_path / "restored")
    backups._empty(database)
    database.close()


@pytest.fixture
def works(shop: Shop) -> Shop:
    """A shop with art, lines, a run and its plates."""

    def shelf(session: Session) -> None:
        fill_shelf(session)
        for roll in session.scalars(select(Roll)):
            ledger.opened(session, roll)

    shop.database.within(shelf)
    wanted = {"due_count": 2, "ready": True, "width_mm": 40.0, "white": "line"}
    (design,) = taking_in.take_in(shop, art_file("kite")[1], "kite – 凧.png", None, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    items = [{"design_id": design, "count": 2}]
    run = shop.database.within(lambda session: run_edits.create(session, "Kites", items))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    do(shop, plating.make_plates, run_id=run)
    return shop


def rows(database: Database) -> dict[str, list[tuple[Any, ...]]]:
    """Every row of every table, as the database gives it."""
    with database.engine.connect() as connection:
        return {
            table: sorted((tuple(row) for row in connection.execute(text(f"SELECT * FROM `{table}`"))), key=repr)
            for table in backups._tables(connection)
        }


def faults(database: Database, blobs: Blobs) -> list[str]:
    found = database.within(lambda session: list(checking.faults(session, blobs, checking.Checked())))
    return [f"{one.where}: {one.what}" for one in found]


def test_a_copy_restored_with_another_server_is_the_same_row_by_row(
    works: Shop, empty: tuple[Database, Blobs], tmp_path: Path, elsewhere: PrivateMariaDB
) -> None:
    out = tmp_path / "shop.zip"
    copied = backups.write(works.database, works.blobs, out)
    assert not out.with_name("shop.zip.part").exists() and copied.files > 5 and not copied.missing
    database, blobs = empty
    assert elsewhere.socket is None and url_of_running(elsewhere._directory) == elsewhere.url
    backups.restore(database, blobs, out)
    assert rows(database) == rows(works.database)
    assert faults(database, blobs) == []
    plate = database.within(lambda session: session.scalar(select(Plate)))
    assert plate is not None and blobs.read(plate.pdf_sha) == works.blobs.read(plate.pdf_sha)
    command.check(alembic_config(database.url))  # the tables are those of this version


def test_a_copy_made_while_others_write_is_of_one_moment(
    works: Shop, empty: tuple[Database, Blobs], tmp_path: Path
) -> None:
    """Each booking writes two rows that have to agree: what is left of a roll, and its ledger."""
    over, booked = threading.Event(), threading.Event()

    def book() -> None:
        number = 0
        while not over.is_set():
            number += 1
            works.database.within(
                lambda session, number=number: ledger.book(session, 1, 1.0, "a strip", f"strip {number}")  # type: ignore[misc]
            )
            booked.set()

    writer = threading.Thread(target=book)
    writer.start()
    try:
        assert booked.wait(60)
        backups.write(works.database, works.blobs, tmp_path / "shop.zip")
    finally:
        over.set()
        writer.join()
    database, blobs = empty
    backups.restore(database, blobs, tmp_path / "shop.zip")
    assert faults(database, blobs) == []
    strips = "SELECT COUNT(*) FROM roll_entry WHERE reason = 'a strip'"
    with database.engine.connect() as there, works.database.engine.connect() as here:
        assert 0 < (there.scalar(text(strips)) or 0) <= (here.scalar(text(strips)) or 0)


def test_a_copy_of_a_former_version_is_brought_to_this_one(
    elsewhere: PrivateMariaDB, empty: tuple[Database, Blobs], tmp_path: Path
) -> None:
    database, blobs = empty
    command.upgrade(alembic_config(database.url), "0038")
    with database.engine.begin() as connection:
        connection.execute(text("INSERT INTO printer (name, print_width_mm, version) VALUES ('Old timer', 1300, 1)"))
    copied = backups.write(database, blobs, tmp_path / "old.zip")
    assert copied.revision == "0038" and "holder" not in copied.tables
    backups._empty(database)
    backups.restore(database, blobs, tmp_path / "old.zip")
    assert database.version()[0] == database.version()[1]
    with database.engine.connect() as connection:
        assert connection.execute(text("SELECT name, ink_bends FROM printer")).one() == ("Old timer", 1)
    assert faults(database, blobs) == []


def test_newer_data_are_refused_and_left_alone(empty: tuple[Database, Blobs]) -> None:
    database, _ = empty
    database.migrate()
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(JobError, match="newer Etiquette"):
        database.migrate()
    with database.engine.connect() as connection:
        assert connection.scalar(text("SELECT version_num FROM alembic_version")) == "9999"


def rewritten(source: Path, out: Path, change: Any) -> Path:
    """A copy whose members went through `change` (name, content): None leaves one out."""
    with zipfile.ZipFile(source) as held, zipfile.ZipFile(out, "w") as made:
        for name in held.namelist():
            content = change(name, held.read(name))
            if content is not None:
                made.writestr(name, content)
    return out


def test_what_is_no_whole_copy_is_refused_and_leaves_nothing(
    works: Shop, empty: tuple[Database, Blobs], tmp_path: Path
) -> None:
    good = tmp_path / "shop.zip"
    backups.write(works.database, works.blobs, good)
    database, blobs = empty

    def newer(name: str, content: bytes) -> bytes:
        return json.dumps({**json.loads(content), "revision": "9999"}).encode() if name == "backup.json" else content

    def other_file(name: str, content: bytes) -> bytes:
        return content + b"x" if name.startswith("files/") else content

    def fewer_rows(name: str, content: bytes) -> bytes:
        return b"\n".join(content.splitlines()[:-1]) + b"\n" if name == "rows/plate.jsonl" else content

    def other_name(name: str, content: bytes) -> bytes:
        return content.replace(b'"name"', b'"name; DROP TABLE job"', 1) if name == "rows/job.jsonl" else content

    def no_table(name: str, content: bytes) -> bytes | None:
        return None if name == "rows/sheet.jsonl" else content

    cases = [(newer, "newer Etiquette"), (other_file, "is damaged"), (fewer_rows, "rows of plate are in it"),
             (other_name, "columns of job are others"), (no_table, "no whole copy")]  # fmt: skip
    for change, words in cases:
        with pytest.raises(JobError, match=words):
            backups.restore(database, blobs, rewritten(good, tmp_path / "bad.zip", change))
        assert rows(database) == {}
    (tmp_path / "cut.zip").write_bytes(good.read_bytes()[:-2000])
    for file in (tmp_path / "cut.zip", tmp_path / "not there.zip"):
        with pytest.raises(JobError, match="no whole copy"):
            backups.restore(database, blobs, file)
    with zipfile.ZipFile(tmp_path / "out.zip", "w") as packed:
        with zipfile.ZipFile(good) as held:
            for name in held.namelist():
                packed.writestr(name, held.read(name))
        packed.writestr("files/../../out", b"x")
    with pytest.raises(JobError, match="is no name of a file"):
        backups.restore(database, blobs, tmp_path / "out.zip")
    backups.restore(database, blobs, good)
    with pytest.raises(JobError, match="There is a shop here already"):
        backups.restore(database, blobs, good)


def test_a_damaged_and_a_lost_file_are_told_and_not_copied(works: Shop, tmp_path: Path) -> None:
    plate = works.database.within(lambda session: session.scalar(select(Plate)))
    assert plate is not None and plate.white_sha
    damaged, lost = works.blobs.path(plate.pdf_sha), works.blobs.path(plate.white_sha)
    content = bytearray(damaged.read_bytes())
    content[len(content) // 2] ^= 1
    damaged.write_bytes(content)
    lost.unlink()
    copied = backups.write(works.database, works.blobs, tmp_path / "shop.zip")
    assert (copied.damaged, copied.missing) == ([plate.pdf_sha], [plate.white_sha])
    found = faults(works.database, works.blobs)
    assert sorted(one.split(": ")[1] for one in found) == ["A file is gone.", "A file is not what it was."]


@pytest.mark.parametrize(
    ("statement", "told"),
    [
        ("UPDATE roll SET remaining_mm = remaining_mm - 25 WHERE id = 1", "The ledger says"),
        ("UPDATE design SET document = JSON_SET(document, '$.offset_mm', 'wide')", "A document cannot be read"),
        ("DELETE FROM art", "design 1: Its art is not there"),
        (
            "DELETE FROM run_item; DELETE FROM plate_item; DELETE FROM frame; DELETE FROM run",
            "rows name what is not there",
        ),
    ],
)
def test_what_is_not_whole_is_found(works: Shop, statement: str, told: str) -> None:
    assert faults(works.database, works.blobs) == []
    with works.database.engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for one in statement.split("; "):
            connection.execute(text(one))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    (found,) = faults(works.database, works.blobs)
    assert told in found


def test_what_was_under_way_is_not_begun_again_from_a_copy(works: Shop) -> None:
    def under_way(session: Session) -> None:
        plate = session.scalars(select(Plate)).one()
        sheet = Sheet(plate_id=plate.id, name="AAAAAA-1", state=SheetState.PRINTING, pieces=2)
        session.add(sheet)
        session.flush()
        task = Task(name="print", arguments={"sheet_id": sheet.id}, key="k1", state=TaskState.RUNNING)
        machine = Machine(name="printer 1", task_id=1, holder="somewhere")
        orders = [
            Order(key=state.value, file_name="a.png", state=state)
            for state in (OrderState.WAITING, OrderState.GATHERED, OrderState.DONE)
        ]
        session.add_all([task, machine, DropFolder(name="In", path="/in"), *orders])

    works.database.within(under_way)
    assert faults(works.database, works.blobs) == []  # it is followed
    settled = works.database.within(settle)
    assert (settled["prints_unclear"], settled["orders_asking"], settled["folders_put_away"]) == (1, 2, 1)
    going = select(Order).where(Order.state.in_((OrderState.WAITING, OrderState.GATHERED)))
    assert works.database.within(lambda session: session.scalars(going).all()) == []  # no recipe sends anything
    assert works.database.within(lambda session: {one.state for one in session.scalars(select(Sheet))}) == {
        SheetState.UNCLEAR
    }
    open_tasks = select(Task).where(Task.state.in_((TaskState.WAITING, TaskState.RUNNING)))
    assert works.database.within(lambda session: session.scalars(open_tasks).all()) == []
    assert set(works.database.within(settle).values()) == {0}


def test_a_print_that_nothing_follows_is_found_and_settled_at_the_next_start(works: Shop) -> None:
    def two_prints(session: Session) -> None:
        plate = session.scalars(select(Plate)).one()
        sheets = [Sheet(plate_id=plate.id, name=f"AAAAAA-{n}", state=SheetState.PRINTING, pieces=2) for n in (1, 2)]
        session.add_all(sheets)
        session.flush()
        states = [(sheets[0], TaskState.FAILED), (sheets[1], TaskState.FAILED), (sheets[1], TaskState.WAITING)]
        session.add_all(
            Task(name="print", arguments={"sheet_id": sheet.id}, key=f"k{n}", state=state)
            for n, (sheet, state) in enumerate(states)
        )

    works.database.within(two_prints)
    assert faults(works.database, works.blobs) == ["AAAAAA-1: It is being printed, and nothing follows it."]
    assert works.database.within(settle_unfollowed) == ["AAAAAA-1"]
    assert faults(works.database, works.blobs) == []
    states = works.database.within(
        lambda session: dict(session.execute(select(Sheet.name, Sheet.state)).tuples().all())
    )
    assert states == {"AAAAAA-1": SheetState.UNCLEAR, "AAAAAA-2": SheetState.PRINTING}  # the other is asked about again


def test_no_file_goes_while_a_copy_is_made(works: Shop) -> None:
    works.database.within(lambda session: finished.choose(session, Choice("without print files", 1)))
    with works.database.lock(FILES_LOCK, 0) as held:
        assert held and finished.sweep(works) == Gone()
        with works.database.lock(FILES_LOCK, 0) as second:
            assert not second
    assert works.database.within(lambda session: session.scalar(select(Design.id))) == 1
    assert works.database.within(lambda session: session.get_one(Roll, 1).id) == 1


def told(data: Path, *command: str) -> tuple[int, dict[str, Any]]:
    """What a command of Etiquette says of the shop in `data`."""
    environment = {**os.environ, "ETIQUETTE_DATA": str(data)}
    environment.pop("ETIQUETTE_DATABASE_URL", None)
    done = subprocess.run(
        [sys.executable, "-m", "etiquette.cli", *command], env=environment, capture_output=True, text=True, check=False
    )
    return done.returncode, json.loads(done.stdout)


def test_commands_copy_a_shop_that_works_and_one_that_was_restored_starts(
    running: RunningEtiquette, tmp_path: Path
) -> None:
    out = tmp_path / "night.zip"
    code, said = told(running.data, "backup", str(out))
    assert code == 0 and said["files"] > 20 and said["rows"] > 100
    assert out.stat().st_mode & 0o077 == 0  # it holds everything: nobody else reads it
    assert told(running.data, "check")[1]["found"] == []
    code, said = told(running.data, "link", "Demo operator")  # by name: others may have let in owners before
    assert code == 0, said
    assert said["link"].startswith(f"{running.url}/enter#")
    with let_in(said["link"]) as client:
        assert client.get("/api/people/me").json()["demo"] is True
    code, said = told(running.data, "restore", str(out))
    assert code == 1 and "already running" in said["error"]["what"]
    home = tmp_path / "new machine" / "shop"
    assert told(home, "check")[1]["error"]["what"] == "There is no shop here."
    code, said = told(home, "restore", str(out))
    assert (code, said["found"]) == (0, [])
    with running.client() as client:
        before = [one["name"] for one in client.get("/api/designs").json()]
    restored = RunningEtiquette(home, demo=False)
    try:
        restored.start()
        (key,) = running.cookies.values()
        with client_at(restored.url, {name: key for name in restored.cookies}, 60) as client:
            assert client.get("/api/designs").status_code == 401  # who was signed in when it was made
        with restored.client() as client:
            assert [one["name"] for one in client.get("/api/designs").json()] == before
            thumbs = [client.get(f"/api/designs/{one['id']}/thumb") for one in client.get("/api/designs").json()]
            assert {one.status_code for one in thumbs} == {200}
    finally:
        restored.end()
    code, said = told(home, "check")  # and while nobody works with it
    assert (code, said["found"]) == (0, [])


def test_a_copy_is_made_before_an_upgrade(empty: tuple[Database, Blobs], tmp_path: Path) -> None:
    database, blobs = empty
    shop = Shop.opened(Settings(tmp_path, None), database.url)
    command.upgrade(alembic_config(database.url), "0040")
    copies = tmp_path / "backups"
    prepare.copy_before_upgrade(shop, copies)
    (made,) = copies.iterdir()
    assert made.name == f"before-{database.version()[1]}-from-0040.zip"
    with zipfile.ZipFile(made) as packed:
        assert backups.about(packed, made).revision == "0040"
    database.migrate()
    prepare.copy_before_upgrade(shop, copies)  # nothing to upgrade: nothing to copy
    assert list(copies.iterdir()) == [made]
    shop.database.close()


def test_a_copy_is_due_once_a_day_from_its_hour_on_and_whenever_one_was_asked_for(shop: Shop, tmp_path: Path) -> None:
    def due(at: str) -> bool:
        return shop.database.within(lambda session: safekeeping.is_due(session, datetime.fromisoformat(at)))

    def made(at: str, problem: str = "") -> None:
        last = Last(datetime.fromisoformat(at), "x.zip", 1, problem)
        shop.database.within(lambda session: safekeeping.note(session, last))

    assert not due("2026-03-02T03:00")  # nobody has said where to
    shop.database.within(lambda session: safekeeping.choose(session, Copies(str(tmp_path), 7, 2), tmp_path / "files"))
    assert not due("2026-03-02T01:59") and due("2026-03-02T02:00") and due("2026-03-02T23:00")
    made("2026-03-02T02:00:10")
    assert not due("2026-03-02T02:01") and not due("2026-03-03T01:59") and due("2026-03-03T02:00")
    made("2026-03-03T02:00:10", "The disk is full.")
    assert not due("2026-03-03T02:01")  # told, and tried again the next night
    asked = datetime.fromisoformat("2026-03-03T09:00")
    shop.database.within(lambda session: safekeeping.ask_for_one(session, asked))
    assert due("2026-03-03T09:00")
    made("2026-03-03T09:00:20")
    assert not due("2026-03-03T09:01")


def test_where_no_copy_can_be_put_is_refused(shop: Shop, tmp_path: Path) -> None:
    own = tmp_path / "files"
    for folder, words in ((tmp_path / "nowhere", "no such folder"), (own / "inside", "files of the shop itself")):
        if folder.is_relative_to(own):
            folder.mkdir(parents=True)
        with pytest.raises(JobError, match=words):
            shop.database.within(lambda session, folder=folder: safekeeping.choose(session, Copies(str(folder)), own))  # type: ignore[misc]
    with pytest.raises(JobError, match="Nobody has said where"):
        shop.database.within(lambda session: safekeeping.ask_for_one(session, now()))


def test_the_copy_of_a_night_is_made_noted_and_the_oldest_goes(
    works: Shop, empty: tuple[Database, Blobs], tmp_path: Path
) -> None:
    folder = tmp_path / "other disk"
    folder.mkdir()
    (folder / "holiday.zip").write_bytes(b"not ours")
    copies = Copies(str(folder), kept=2, hour=0)
    works.database.within(lambda session: safekeeping.choose(session, copies, works.settings.files))
    nights = [datetime(2026, 3, day, 1, 30) for day in (2, 3, 4)]
    assert [copying.copy_if_due(works, night) for night in nights] == [True, True, True]
    assert not copying.copy_if_due(works, nights[-1])
    left = ["etiquette-2026-03-03-013000.zip", "etiquette-2026-03-04-013000.zip", "holiday.zip"]
    assert sorted(one.name for one in folder.iterdir()) == left
    last = works.database.within(safekeeping.last_of)
    assert last is not None and last.problem == "" and last.file == str(folder / left[1])
    backups.restore(*empty, Path(last.file))
    assert rows(empty[0])["design"] == rows(works.database)["design"]
    # a disk that is gone is told among what needs hands, and nothing that was there went
    folder.rename(tmp_path / "gone")
    assert copying.copy_if_due(works, datetime(2026, 3, 5, 1, 30))
    told = works.database.within(safekeeping.last_of)
    assert told is not None and "cannot be written" in told.problem
    (hand,) = works.database.within(lambda session: list(_of_copies(session)))
    assert hand.path == "/shelf?copies=0" and "cannot be written" in hand.detail
