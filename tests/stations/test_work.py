"""Tasks: leases, cancelling, publishing only under a live lease; files that are whole or not there."""

import hashlib
import os
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import Connection, update
from sqlalchemy.event import listen, remove

from etiquette.core.errors import DiskFull, DiskUnusable, JobError
from etiquette.core.planning import framing
from etiquette.demo.art import art_file
from etiquette.devices import holds
from etiquette.sandbox.art import read_art
from etiquette.sandbox.door import Limits
from etiquette.stations import run_edits, runs
from etiquette.stations.bench import mark_reading
from etiquette.stations.edits import Stale
from etiquette.stations.lines import taking_in
from etiquette.stations.print import sending
from etiquette.stations.shelf import keeping
from etiquette.stations.shop import Shop
from etiquette.store.blobs import Blobs
from etiquette.store.models import Blob, Cutter, Design, MarkSet, Printer, Roll, RollEntry, Stock, Task, TaskEvent, now
from etiquette.store.states import TaskState
from etiquette.tasks import work
from etiquette.tasks.ending import ENDING
from etiquette.tasks.following import cancel
from etiquette.tasks.task import Outcome, TaskType
from etiquette.tasks.work import Worker
from tests.stations.shop_floor import Anything, queued
from tests.strangers import free_port


def nothing(context: object, arguments: Anything, report: object) -> Outcome[Anything]:
    return Outcome(Anything(saw=arguments.model_dump()))


def taken_over(context: Shop, arguments: Anything, report: object) -> Outcome[Anything]:
    """While this works, its lease runs out and another worker claims the task."""
    context.database.within(lambda session: _bump(session))
    return Outcome(Anything(late=True), lambda session: session.add(Blob(sha256="0" * 64, size=0, media_type="x")))


def _bump(session: object) -> None:
    task = session.query(Task).one()  # type: ignore[attr-defined]
    task.attempt += 1


def patient(context: object, arguments: Anything, report: object) -> Outcome[Anything]:
    steps = 0
    while report(0.5, "working", {"step": steps}) and steps < 1000:  # type: ignore[operator]
        steps += 1
        if steps == 3:
            context.database.within(lambda session: cancel(session, session.query(Task).one().id))  # type: ignore[attr-defined]
    return Outcome(Anything(steps=steps))


@pytest.fixture
def registered(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("nothing", "taken_over", "patient"):
        monkeypatch.setitem(work.TASKS, name, TaskType(name, Anything, Anything, globals()[name]))


def one_task(shop: Shop) -> Task:
    return shop.database.within(lambda session: session.query(Task).one())


def test_the_same_key_makes_one_task(shop: Shop, registered: None) -> None:
    ids = {shop.database.within(lambda session: queued(session, "nothing", {"a": 1}, "once")) for _ in range(3)}
    assert len(ids) == 1
    assert Worker(shop.database, shop).run_one() and not Worker(shop.database, shop).run_one()
    assert one_task(shop).result == {"saw": {"a": 1}}


def test_a_result_is_not_published_when_the_lease_was_lost(shop: Shop, registered: None) -> None:
    shop.database.within(lambda session: queued(session, "taken_over", {}))
    Worker(shop.database, shop).run_one()
    assert one_task(shop).state == "running" and one_task(shop).result is None
    assert shop.database.within(lambda session: session.get(Blob, "0" * 64)) is None


def test_work_of_which_nothing_is_heard_is_claimed_again_but_not_for_ever(shop: Shop, registered: None) -> None:
    shop.database.within(lambda session: queued(session, "nothing", {}))
    clock = [0.0]
    worker = Worker(shop.database, shop, clock=lambda: clock[0])

    def runs(attempt: int) -> None:
        row = update(Task).values(state=TaskState.RUNNING, attempt=attempt, heartbeat_at=now())
        shop.database.within(lambda session: session.execute(row))

    def listens(seconds: float) -> bool:
        """Looks every second; whether it found work."""
        for _ in range(round(seconds)):
            clock[0] += 1
            if worker.run_one():
                return True
        return False

    runs(1)
    assert not worker.run_one()
    assert not listens(work.LEASE_SECONDS)
    assert listens(1)
    assert one_task(shop).state == "done" and one_task(shop).attempt == 2
    runs(work.MOST_ATTEMPTS)
    assert not worker.run_one()
    assert not listens(work.LEASE_SECONDS + 1)
    assert one_task(shop).state == "failed"


def test_a_database_that_was_away_takes_no_task_from_its_worker(shop: Shop, registered: None) -> None:
    """It was away for ten minutes, between two looks or in the middle of one: who was at work all the time says so
    within a heartbeat of its return. Who says nothing then has lost it."""
    shop.database.within(lambda session: queued(session, "nothing", {}))

    def beats(second: float) -> None:
        at = datetime(2026, 11, 30) + timedelta(seconds=second)
        row = update(Task).values(state=TaskState.RUNNING, attempt=1, heartbeat_at=at)
        shop.database.within(lambda session: session.execute(row))

    clock = [0.0]
    silent = work.Silent(lambda: clock[0])
    for second in range(10):
        clock[0] = second
        beats(5 * (second // 5))
        shop.database.within(silent.end)
    returned = 600
    for second in range(returned, returned + round(work.HEARTBEAT_SECONDS)):  # the last beat was at 5
        clock[0] = second
        shop.database.within(silent.end)
    assert one_task(shop).state == "running"
    beats(clock[0])
    for second in range(round(work.LEASE_SECONDS) + 1):
        clock[0] += 1
        shop.database.within(silent.end)
        assert one_task(shop).state == "running", second
    clock[0] += 1
    shop.database.within(silent.end)
    assert one_task(shop).state == "waiting"


@pytest.mark.parametrize("jump", [timedelta(hours=1), timedelta(hours=-1)])
def test_a_clock_that_jumps_takes_no_task_from_its_worker_and_hides_no_lost_one(
    shop: Shop, registered: None, jump: timedelta
) -> None:
    """What is beaten comes an hour later or earlier than the beat before it: it is heard all the same."""
    shop.database.within(lambda session: queued(session, "nothing", {}))
    clock = [0.0]
    silent = work.Silent(lambda: clock[0])
    for beats in range(8):
        at = now() + (jump if beats >= 4 else timedelta()) + timedelta(seconds=beats)
        row = update(Task).values(state=TaskState.RUNNING, attempt=1, heartbeat_at=at)
        shop.database.within(lambda session, row=row: session.execute(row))
        for _ in range(round(work.LEASE_SECONDS)):
            clock[0] += 1
            shop.database.within(silent.end)
        assert one_task(shop).state == "running"
    for _ in range(2):  # the first of them heard the last beat
        clock[0] += 1
        shop.database.within(silent.end)
    assert one_task(shop).state == "waiting"


def test_cancelling_stops_the_work_and_keeps_what_it_has(shop: Shop, registered: None) -> None:
    shop.database.within(lambda session: queued(session, "patient", {}))
    Worker(shop.database, shop).run_one()
    task = one_task(shop)
    assert task.state == "done" and task.result is not None and task.result["steps"] < 10
    events = shop.database.within(lambda session: session.query(TaskEvent).order_by(TaskEvent.id).all())
    assert [event.id for event in events] == sorted(event.id for event in events) and events[-1].words == "Done"


def test_files_are_whole_under_their_own_hash_or_not_there(
    tmp_path: Path, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    blobs = Blobs(tmp_path / "b")
    sha = shop.database.within(lambda session: blobs.put(session, b"abc", "text/plain"))
    assert sha == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"  # FIPS 180-4, the example "abc"
    assert blobs.read(sha) == b"abc"
    (tmp_path / "b" / "unfinished" / "left").write_bytes(b"half")
    assert blobs.sweep_unfinished() == 1

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(DiskFull):
        shop.database.within(lambda session: blobs.put(session, b"more", "text/plain"))
    assert list((tmp_path / "b" / "unfinished").iterdir()) == []

    def read_only(*_: object, **more: object) -> None:
        raise OSError(30, "Read-only file system")

    monkeypatch.setattr("tempfile.mkstemp", read_only)
    with pytest.raises(DiskUnusable, match="cannot be written: read-only file system; nothing was kept"):
        shop.database.within(lambda session: blobs.put(session, b"more", "text/plain"))


def test_art_that_breaks_its_limits_or_its_format_is_a_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(JobError, match="not an SVG"):
        read_art(b"<svg xmlns='x'/>", "a.png")
    with pytest.raises(JobError, match="not a picture"):
        read_art(b"<html/>", "a.png")
    monkeypatch.setattr("etiquette.sandbox.art.PICTURES", Limits(60, 1 << 20))
    with pytest.raises(JobError, match="too much memory"):
        read_art(art_file("radish")[1], "a.png")


def test_nothing_is_kept_of_art_that_was_refused(shop: Shop) -> None:
    with pytest.raises(JobError):
        taking_in.take_in(shop, b"not art", "a.png", None)
    assert shop.database.within(lambda session: session.query(Design).count() + session.query(Blob).count()) == 0


@pytest.fixture
def stocked(shop: Shop) -> int:
    """A shop with a roll of 2 m and one design in a run; returns the run."""
    from decimal import Decimal

    def fill(session: object) -> None:
        session.add(Stock(name="White 500", width_mm=500, price_m2=Decimal("4.00"), currency="EUR", tolerance_mm=0.3))  # type: ignore[attr-defined]
        session.flush()  # type: ignore[attr-defined]
        session.add(Roll(stock_id=1, name="White 500 A", length_mm=2000, remaining_mm=2000))  # type: ignore[attr-defined]
        dark = f"ipp://127.0.0.1:{free_port()}/ipp/print"
        session.add(Printer(name="Printer", print_width_mm=1300, address=dark))  # type: ignore[attr-defined]
        session.add(Cutter(name="Knife", reach_across_mm=1616, reach_along_mm=3200, speed_mm_s=300))  # type: ignore[attr-defined]
        session.add(
            MarkSet(name="Discs", size_mm=6, clear_mm=3, spacing_mm=400, head_margin_mm=10.16, tail_margin_mm=30.48)
        )  # type: ignore[attr-defined]

    shop.database.within(fill)
    name, content = art_file("jar-label")
    (design,) = taking_in.take_in(shop, content, name, None)
    return shop.database.within(lambda session: run_edits.create(session, "Jars", [{"design_id": design, "count": 9}]))


def run_task(shop: Shop, name: str, **arguments: object) -> Task:
    shop.database.within(lambda session: queued(session, name, arguments))
    Worker(shop.database, shop).run_one()
    return shop.database.within(lambda session: session.query(Task).order_by(Task.id.desc()).first())


def test_a_nested_run_has_figures_that_add_up(shop: Shop, stocked: int) -> None:
    task = run_task(shop, "nest", run_id=stocked, steps=1)
    assert task.state == "done", task.problem
    state = shop.database.within(lambda session: runs.state_of(shop, session, stocked))
    assert state.plans and state.figures and state.fresh
    assert state.figures.pieces == 9
    area = state.figures.length_mm * 500 / 1e6
    # a disc of 26 mm radius with the line 2 mm outside: 9 π 28² mm²
    assert state.figures.used_share == pytest.approx(9 * 3.14159265 * 28**2 / 1e6 / area, rel=0.01)
    assert float(state.figures.stock_cost) == pytest.approx(4 * area, abs=0.006)
    assert state.figures.waste_m2 + state.figures.used_share * area == pytest.approx(area)


def test_a_run_changed_while_it_was_nested_is_not_overwritten(
    shop: Shop, stocked: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    nest = framing.nest_in_frames

    def meanwhile(*arguments: object) -> object:
        shop.database.within(lambda session: run_edits.change(session, stocked, None, "gap", {"gap_mm": 7}))
        return nest(*arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(framing, "nest_in_frames", meanwhile)
    task = run_task(shop, "nest", run_id=stocked, steps=1)
    assert task.state == "failed" and task.problem and "changed while" in task.problem["what"]


def test_a_plate_is_made_once_for_one_state_and_a_short_roll_is_refused(shop: Shop, stocked: int) -> None:
    run_task(shop, "nest", run_id=stocked, steps=1)
    first = run_task(shop, "make plate", run_id=stocked).result
    second = run_task(shop, "make plate", run_id=stocked).result
    assert first and second and first["plate_ids"] == second["plate_ids"]
    shop.database.within(lambda session: setattr(session.get(Roll, 1), "remaining_mm", 50))
    with pytest.raises(JobError, match=r"needs .* mm; White 500 A has 50 mm left"):
        shop.database.within(lambda session: sending.new_sheet(session, first["plate_ids"][0]))


def test_a_printer_that_does_not_listen_loses_nothing(shop: Shop, stocked: int) -> None:
    run_task(shop, "nest", run_id=stocked, steps=1)
    plate = run_task(shop, "make plate", run_id=stocked).result
    assert plate
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate["plate_ids"][0]))
    task = run_task(shop, "print", sheet_id=sheet)
    assert task.state == "failed" and task.problem and "not listening" in task.problem["what"]
    assert shop.database.within(lambda session: session.query(RollEntry).count()) == 0
    assert shop.database.within(lambda session: session.get(runs.Run, stocked).state) == "planned"
    with pytest.raises(JobError, match="Print it first"):
        mark_reading.load(shop, sheet, "head")


def test_frame_codes_are_never_given_twice(shop: Shop, stocked: int, monkeypatch: pytest.MonkeyPatch) -> None:
    taken = shop.database.within(lambda session: session.query(runs.Frame).one().code)
    drawn = iter([taken, taken, "NEWCDE"])
    monkeypatch.setattr(run_edits, "new_code", lambda: next(drawn))
    other = shop.database.within(lambda session: run_edits.create(session, "Other", []))
    assert (
        shop.database.within(lambda session: session.query(runs.Frame).filter_by(run_id=other).one().code) == "NEWCDE"
    )


def test_the_shelf_refuses_stale_and_impossible_values(shop: Shop, stocked: int) -> None:
    shop.database.within(lambda session: keeping.change(session, "roll", 1, 1, {"remaining_mm": 1500}, "measured"))
    with pytest.raises(Stale):
        shop.database.within(lambda session: keeping.change(session, "roll", 1, 1, {"remaining_mm": 100}))
    with pytest.raises(JobError, match="cannot have more left"):
        shop.database.within(lambda session: keeping.change(session, "roll", 1, 2, {"remaining_mm": 2500}))


def ends(context: object, arguments: Anything, report: object) -> Outcome[Anything]:
    """The server is ended while this works."""
    ENDING.set()
    try:
        stopped = not report(0.5, "working")  # type: ignore[operator]
    except Exception:  # what mends errors does not take the end for one
        stopped = True
    return Outcome(Anything(stopped=stopped))


@pytest.fixture
def ending(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setitem(work.TASKS, "computes", TaskType("computes", Anything, Anything, ends))
    yield
    ENDING.clear()


def test_at_the_end_of_the_server_work_that_computes_goes_back_into_the_queue(shop: Shop, ending: None) -> None:
    shop.database.within(lambda session: queued(session, "computes", {"a": 1}))
    Worker(shop.database, shop).run_one()
    task = one_task(shop)
    assert (task.state, task.attempt, task.arguments) == ("waiting", 0, {"a": 1})


@pytest.mark.parametrize("follows", [True, False])
def test_at_the_end_a_machine_is_stopped_or_what_moves_by_itself_is_asked_about_later(
    shop: Shop, ending: None, monkeypatch: pytest.MonkeyPatch, follows: bool
) -> None:
    goes_on = (lambda told: Anything(again=True)) if follows else None
    moves = TaskType("moves", Anything, Anything, ends, lambda session, told: "cutter 1", "it moves", goes_on=goes_on)
    monkeypatch.setitem(work.TASKS, "moves", moves)
    shop.database.within(lambda session: queued(session, "moves", {"again": False}))
    Worker(shop.database, shop).run_one()
    task = one_task(shop)
    if follows:
        assert (task.state, task.arguments) == ("waiting", {"again": True})
    else:
        assert (task.state, task.result) == ("done", {"stopped": True})
    assert shop.database.within(lambda session: holds.is_free(session, "cutter 1"))


def test_a_file_is_on_the_disk_before_its_row_is_kept(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    """In the order in which a power cut could part them: what is in the file, its name, its folder, then the row."""
    said: list[str] = []
    fsync, replace = os.fsync, os.replace

    def flushes(handle: int) -> None:
        place = Path(os.readlink(f"/proc/self/fd/{handle}"))
        said.append("file" if place.is_file() else place.name)
        fsync(handle)

    def names(source: str, target: Path) -> None:
        said.append("name")
        replace(source, target)

    def commits(_: Connection) -> None:
        said.append("commit")

    monkeypatch.setattr(os, "fsync", flushes)
    monkeypatch.setattr(os, "replace", names)
    listen(shop.database.engine, "commit", commits)
    try:
        shas = [
            shop.database.within(lambda session, part=part: shop.blobs.put(session, part, "text/plain"))
            for part in PARTS
        ]
    finally:
        remove(shop.database.engine, "commit", commits)
    folder = shas[0][:2]
    assert shas[1][:2] == folder
    assert said == ["files", "file", "name", folder, "commit", "file", "name", folder, "commit"]


def _two_in_one_folder() -> tuple[bytes, bytes]:
    """Two contents whose digests begin alike."""
    seen: dict[str, bytes] = {}
    for number in range(10_000):
        content = b"part %d" % number
        begins = hashlib.sha256(content).hexdigest()[:2]
        if begins in seen:
            return seen[begins], content
        seen[begins] = content
    raise AssertionError("unreachable")


PARTS = _two_in_one_folder()
