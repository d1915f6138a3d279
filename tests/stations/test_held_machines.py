"""Nothing physical happens twice: one holder a machine, a fence before each instruction, nothing that goes on by
itself.

The defects of the list “Firm ground”, by their numbers: 3, 4, 5, 6, 11, 14.
"""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.devices import holds
from etiquette.devices.byte_line import ByteLine
from etiquette.devices.contracts import LineBroken
from etiquette.devices.hpgl_cutter import as_program
from etiquette.devices.registry import Machine
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.stations import sheet_log
from etiquette.stations.bench import counting, cut_progress, cutting, mark_reading
from etiquette.stations.lines import taking_in
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.print import tasks as print_tasks
from etiquette.stations.shop import Shop
from etiquette.store import database
from etiquette.store.database import Database
from etiquette.store.models import Art, Blob, Sheet, Task, now
from etiquette.tasks import work
from etiquette.tasks.task import TASKS, Outcome, TaskType
from etiquette.tasks.work import Worker, release_all
from tests.stations.shop_floor import Anything, do, queued, sheet_of, tell


def cut_mm(shop: Shop) -> float:
    return float(tell(shop, "cutter", "judge")["cut_mm"])


def task_of(shop: Shop, task_id: int) -> Task:
    return shop.database.within(lambda session: session.get_one(Task, task_id))


def begun(shop: Shop, sheet: int) -> tuple[int, Shop]:
    """A cut that a worker has claimed, and the shop as that worker has it."""
    task_id = shop.database.within(lambda session: queued(session, "cut", {"sheet_id": sheet}))
    claimed = shop.database.within(Worker(shop.database, shop, "devices")._claim)
    assert claimed is not None and claimed.id == task_id and claimed.hold is not None
    return task_id, shop.holding(claimed.hold)


def lost(shop: Shop, *only: int) -> None:
    """For longer than a lease nothing is heard of what runs, or of these alone."""
    clock = [0.0]
    silent = work.Silent(lambda: clock[0])
    for second in range(round(work.LEASE_SECONDS) + 2):
        clock[0] = second
        heard = update(Task).where(Task.id.not_in(only)).values(heartbeat_at=now())
        if only:
            shop.database.within(lambda session, heard=heard: session.execute(heard))
        shop.database.within(silent.end)


def test_3_a_worker_that_lost_its_lease_cuts_nothing_more(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    first, frozen = begun(shop, sheet)
    lost(shop)
    assert task_of(shop, first).state == "failed" and "Broken off" in task_of(shop, first).problem["what"]  # type: ignore[index]
    assert do(shop.holding(_next(shop)), cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    before = cut_mm(shop)
    # the frozen one wakes up, with all that it had read before
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, sheet))
    with pytest.raises(holds.LeftBehind, match="given to another"), cutter.line(frozen) as line:
        line.run(as_program("IN;PA;PU0,0;PD400,0;PU;"), lambda *_: True)
    with pytest.raises(holds.LeftBehind):
        frozen.database.within(frozen.check_hold)
    assert cut_mm(shop) == before and sheet_of(shop, sheet).state == "cut"


def _next(shop: Shop) -> holds.Hold:
    return shop.database.within(lambda session: holds.take(session, "cutter 1", "a sheet is being cut"))


def test_3_progress_is_written_only_by_who_holds_the_machine(ready: tuple[Shop, int]) -> None:
    """The fence is lost in the middle of a cut: the part that was under the knife stays noted as in doubt."""
    shop, sheet = ready
    _, worker = begun(shop, sheet)
    parts = iter(range(9))

    def report(share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        if data and next(parts) == 1:  # after the second part
            lost(shop)
            _next(shop)
        return True

    with pytest.raises(holds.LeftBehind):
        do(worker, cutting.cut_sheet, report=report, sheet_id=sheet)
    progress = cut_progress.progress_of(sheet_of(shop, sheet))
    assert len(progress.done) == 16 and not progress.doubtful and sheet_of(shop, sheet).state == "read"


def test_3_the_heartbeat_outlives_a_database_that_is_away(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(work, "HEARTBEAT_SECONDS", 0.01)
    monkeypatch.setitem(work.TASKS, "patient", TaskType("patient", Anything, Anything, patient))
    away = iter([True] * 3)
    renew = work._Reporter._renew

    def sometimes(self: Any, session: Session) -> None:
        if next(away, False):
            raise OperationalError("UPDATE", None, Exception(2013, "Lost connection to server during query"))
        renew(self, session)
        BEATEN.append(self)

    monkeypatch.setattr(work._Reporter, "_renew", sometimes)
    shop.database.within(lambda session: queued(session, "patient", {}))
    assert Worker(shop.database, shop).run_one()
    assert shop.database.within(lambda session: session.query(Task).one()).state == "done" and BEATEN


BEATEN: list[object] = []


def patient(context: object, arguments: Anything, report: Any) -> Outcome[Anything]:
    """Works until its heart has beaten."""
    while not BEATEN:
        report(0.5, "working")
    return Outcome(Anything())


def test_3_what_was_said_while_the_database_was_away_is_said_again(shop: Shop) -> None:
    tries: list[int] = []

    def work(session: Session) -> str:
        tries.append(1)
        if len(tries) < 3:
            raise OperationalError("INSERT", None, Exception(2006, "Server has gone away"))
        return "said"

    assert shop.database.within(work, patience_seconds=60) == "said" and len(tries) == 3
    with pytest.raises(OperationalError):
        shop.database.within(lambda _: work_that_is_away())


def work_that_is_away() -> None:
    raise OperationalError("INSERT", None, Exception(2006, "Server has gone away"))


@pytest.mark.parametrize(("how", "left", "spoiled"), [("cut", 22, 0), ("again", 30, 0), ("spoiled", 22, 8)])
def test_4_a_cut_that_was_killed_waits_for_a_person(ready: tuple[Shop, int], how: Any, left: int, spoiled: int) -> None:
    shop, sheet = ready
    task_id, _ = begun(shop, sheet)

    def killed(session: Session) -> None:  # as a kill -9 leaves it: a part under the knife, nothing else noted
        row = session.get_one(Sheet, sheet)
        row.progress = ProgressDocument(doubtful=tuple(range(8)))
        release_all(session)

    shop.database.within(killed)
    assert task_of(shop, task_id).state == "failed"
    assert not Worker(shop.database, shop, "devices").run_one() and cut_mm(shop) == 0  # nothing goes on by itself
    assert "broken off" in shop.database.within(sheet_log.latest)[0].words
    with pytest.raises(JobError, match="8 lines were under the knife"):
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    cutting.settle_doubt(shop, sheet, how)
    progress = cut_progress.progress_of(sheet_of(shop, sheet))
    assert 30 - len(progress.done) == left and not progress.doubtful and len(progress.spoiled) == spoiled
    with pytest.raises(JobError, match="No line of this sheet is in doubt"):
        cutting.settle_doubt(shop, sheet, how)
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    assert sheet_of(shop, sheet).good == 30 - spoiled


def test_4_work_that_computes_is_taken_up_again(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(work.TASKS, "compute", TaskType("compute", Anything, Anything, nothing))
    task_id = shop.database.within(lambda session: queued(session, "compute", {}))
    shop.database.within(Worker(shop.database, shop)._claim)
    shop.database.within(release_all)
    assert task_of(shop, task_id).state == "waiting" and Worker(shop.database, shop).run_one()


def nothing(context: object, arguments: Anything, report: object) -> Outcome[Anything]:
    return Outcome(Anything())


def test_5_while_a_sheet_is_cut_the_cutter_takes_nothing_else(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    task_id = shop.database.within(lambda session: queued(session, "cut", {"sheet_id": sheet}))
    for state in ("waiting", "running"):
        if state == "running":
            shop.database.within(Worker(shop.database, shop, "devices")._claim)
        assert task_of(shop, task_id).state == state
        one, several, card = {"sheet_id": sheet}, {"sheet_ids": [sheet]}, {"cutter_id": 1}
        given_to = {"cut": one, "read marks": one, "cut roll": several, "cut mat": several}
        for name, given in {**given_to, "cut card": card, "read card": card}.items():
            with pytest.raises(holds.Busy, match="Knife is busy: a sheet is being cut"):
                shop.database.within(lambda session, name=name, given=given: queued(session, name, given))
    for by_hand in (
        lambda: hands.lay(shop, sheet, "tail"),
        lambda: mark_reading.look_at(shop, sheet, 10.0, 10.0),
        lambda: cutting.settle_doubt(shop, sheet, "again"),
    ):
        with pytest.raises(holds.Busy):
            by_hand()
    lost(shop)
    hands.lay(shop, sheet, "tail")  # and then it does


def test_6_all_lines_are_cut_and_the_last_answer_lost(ready: tuple[Shop, int]) -> None:
    """The line is dead when the tool is to be put away: every line is known to be cut, and the next go ends it."""
    shop, sheet = ready
    answers = count_answers(shop, sheet)
    hands.lay(shop, sheet, "head")
    do(shop, mark_reading.read_sheet)
    tell(shop, "cutter", "fault", kind="drop", on="answer", after=answers - 1, bytes=0)
    with pytest.raises(LineBroken):
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    before = cut_mm(shop)
    assert len(cut_progress.progress_of(sheet_of(shop, sheet)).done) == 30
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done" and cut_mm(shop) == before
    row = sheet_of(shop, sheet)
    assert row.state == "cut" and row.good == 30 and row.report is not None
    shop.database.within(lambda session: counting.count_good(session, sheet, 29))


def count_answers(shop: Shop, sheet: int) -> int:
    """How many answers the cutter gives in a whole cut."""
    given: list[bytes | None] = []
    patch = pytest.MonkeyPatch()
    read = ByteLine.read_line
    patch.setattr(ByteLine, "read_line", lambda self, *more: given.append(read(self, *more)) or given[-1])
    try:
        assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    finally:
        patch.undo()
    return len(given)


def test_6_a_person_saw_that_the_last_lines_are_cut(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    done = ProgressDocument(done=tuple(range(28)), doubtful=(28, 29))
    shop.database.within(lambda session: setattr(session.get_one(Sheet, sheet), "progress", done))
    cutting.settle_doubt(shop, sheet, "cut")
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done" and cut_mm(shop) == 0
    assert sheet_of(shop, sheet).state == "cut"


def test_11_the_same_file_twice_at_once_is_one_row_and_both_are_answered(shop: Shop) -> None:
    name, content = art_file("spark")
    start = Barrier(2)

    def upload(_: int) -> list[int]:
        start.wait()
        return taking_in.take_in(shop, content, name, None)

    with ThreadPoolExecutor(2) as two:
        made = list(two.map(upload, range(2)))
    assert len({one for ids in made for one in ids}) == 2
    arts = shop.database.within(lambda session: session.query(Art).all())
    assert len(arts) == 2 and len({art.content_sha for art in arts}) == 1


@pytest.mark.parametrize(
    "error",
    [
        OperationalError("INSERT", None, Exception(1114, "The table is full")),
        OSError(28, "No space left on device"),
        ZeroDivisionError(),
    ],
)
def test_11_whatever_goes_wrong_in_publishing_ends_the_task_and_not_the_worker(
    shop: Shop, monkeypatch: pytest.MonkeyPatch, error: Exception
) -> None:
    def refuses(context: Shop, arguments: Anything, report: object) -> Outcome[Anything]:
        def publish(session: Session) -> None:
            session.add(Blob(sha256="0" * 64, size=0, media_type="x"))
            raise error

        return Outcome(Anything(), publish)

    monkeypatch.setitem(work.TASKS, "refuses", TaskType("refuses", Anything, Anything, refuses))
    task_id = shop.database.within(lambda session: queued(session, "refuses", {}))
    assert Worker(shop.database, shop).run_one()
    ended = task_of(shop, task_id)
    assert ended.state == "failed" and ended.problem and ended.problem["do"]
    assert shop.database.within(lambda session: session.get(Blob, "0" * 64)) is None


def test_11_a_task_that_used_up_its_attempts_ends(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(work.TASKS, "compute", TaskType("compute", Anything, Anything, nothing))
    task_id = shop.database.within(lambda session: queued(session, "compute", {}))
    for attempt in range(1, work.MOST_ATTEMPTS + 1):
        shop.database.within(Worker(shop.database, shop)._claim)
        assert task_of(shop, task_id).attempt == attempt
        lost(shop)
    assert task_of(shop, task_id).state == "failed" and "several times" in task_of(shop, task_id).problem["what"]  # type: ignore[index]


def test_14_a_worker_for_computing_leaves_machines_alone_and_the_other_way_round(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    def queue(session: Session) -> tuple[int, int, int]:
        for number in (1, 2):
            work.submit(session, TASKS["print"], TASKS["print"].arguments.model_construct(sheet_id=number))
        return (*session.scalars(select(Task.id).order_by(Task.id)), queued(session, "find lines", {}))  # type: ignore[return-value]

    monkeypatch.setattr(print_tasks, "printer_of_sheet", lambda *_: Machine("printer", 1, "Printer east"))
    first, second, line = shop.database.within(queue)
    computing, devices = (Worker(shop.database, shop, lane) for lane in ("computing", "devices"))
    assert shop.database.within(devices._claim).id == first  # type: ignore[union-attr]
    assert shop.database.within(devices._claim) is None  # the second print waits for its machine
    assert shop.database.within(computing._claim).id == line  # type: ignore[union-attr]
    assert task_of(shop, second).state == "waiting"


def test_two_machines_of_a_kind_work_at_once_and_each_has_its_own_queue(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Three prints, the first two for one printer: the third does not wait for them."""
    of_sheet = {1: Machine("printer", 1, "East"), 2: Machine("printer", 1, "East"), 3: Machine("printer", 2, "West")}
    monkeypatch.setattr(print_tasks, "printer_of_sheet", lambda _, sheet_id: of_sheet[sheet_id])
    kind = TASKS["print"]

    def queue(session: Session) -> list[int]:
        return [work.submit(session, kind, kind.arguments.model_construct(sheet_id=number)) for number in (1, 2, 3)]

    first, second, third = shop.database.within(queue)
    devices = Worker(shop.database, shop, "devices")
    claimed = [shop.database.within(devices._claim) for _ in range(3)]
    assert [one and one.id for one in claimed] == [first, third, None]
    assert [one.hold.machine for one in claimed if one and one.hold] == ["printer 1", "printer 2"]
    lost(shop, first)
    again = shop.database.within(devices._claim)
    assert again is not None and again.id == second and again.hold is not None and again.hold.fence == 2
    assert task_of(shop, third).state == "running"  # the other machine knows nothing of it


def test_23_two_etiquettes_never_work_on_one_database(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(database, "HOLD_SECONDS", 0)
    other = Database(shop.database.url)
    try:
        with shop.database.held_alone(), pytest.raises(JobError, match="Another Etiquette"), other.held_alone():
            pass
        with other.held_alone():  # given back at the end
            pass
    finally:
        other.close()
