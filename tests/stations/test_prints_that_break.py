"""A print never stays “printing”, is never sent twice, and its name is its own.

The defects of the list “Firm ground”, by their numbers: 7, 8, 9, 10, 19, 25, 28.
"""

import itertools
import random
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
import pymysql
import pytest
from pyipp.enums import IppOperation
from sqlalchemy import func, select, update
from sqlalchemy.event import listen, remove
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from etiquette.core.errors import DiskFull, JobError, NotThere
from etiquette.core.printing.previews import part
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.devices.contracts import Document, LineBroken, PrintJob, Progress, Unreachable
from etiquette.devices.drivers import printer_at
from etiquette.devices.ipp_message import IppLine
from etiquette.devices.ipp_printer import IppPrinter
from etiquette.stations import cut_files, line_finding, plate_sets, run_edits, runs, sheet_log
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.lines import taking_in
from etiquette.stations.print import following, plating, previews, sending
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.stations.what_lies import ask_printer
from etiquette.store.models import Cutter, Laminator, MarkSet, Printer, Roll, Run, Sheet, Stock, Task
from etiquette.store.states import SheetState, TaskState
from etiquette.tasks.following import cancel
from etiquette.tasks.work import Worker, release_all
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, on_shelf, sheet_of, tell, with_its_knife
from tests.strangers import eve_printer

MOST_LOOKS = 2000
"""At a printer: counted, not timed."""


def plated(shop: Shop, **settings: Any) -> tuple[int, int]:
    """A run of twelve targets, nested, with its plate: (run, plate)."""
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(
        lambda session: run_edits.create(session, "Targets", [{"design_id": design, "count": 12}])
    )
    if settings:
        shop.database.within(lambda session: run_edits.change(session, run, None, "settings", settings))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return run, do(shop, plating.make_plates, run_id=run)["plate_ids"][0]


@pytest.fixture
def sent(room: Shop) -> tuple[Shop, int]:
    """A sheet that is about to be printed, its roll on the printer."""
    run, plate = plated(room)
    hands.put_roll_on(room, run)
    return room, room.database.within(lambda session: sending.new_sheet(session, plate))


def left_mm(shop: Shop) -> float:
    return shop.database.within(lambda session: session.get_one(Roll, 1).remaining_mm)


@pytest.fixture
def client(room: Shop) -> Iterator[httpx.Client]:
    with signed_in(room) as made:
        yield made


def test_7_the_same_key_prints_once_and_an_old_plate_never(room: Shop, client: httpx.Client) -> None:
    run, plate = plated(room)
    revision = client.get(f"/api/print/{run}").json()["settings"]["revision"]
    asked = {"revision": revision, "key": "once-and-only-once"}
    with ThreadPoolExecutor(4) as four:
        answers = list(four.map(lambda _: client.post(f"/api/plates/{plate}/send", json=asked), range(4)))
    assert {answer.status_code for answer in answers} == {200}
    assert len({answer.json()["task_id"] for answer in answers}) == 1
    count = room.database.within(lambda session: session.scalar(select(func.count()).select_from(Sheet)))
    assert count == 1 == room.database.within(lambda session: session.query(Task).where(Task.name == "print").count())
    held = {
        client.post(f"/api/plates/{plate}/hold", json={**asked, "key": "held-held"}).json()["sheet_id"]
        for _ in range(2)
    }
    assert len(held) == 1
    room.database.within(lambda session: run_edits.change(session, run, None, "name", {"name": "Another"}))
    for body in ({"revision": revision, "key": "a-new-key-1"}, {"revision": revision + 1, "key": "a-new-key-2"}):
        # the screen is old, or it is new and only the plate is old
        refused = client.post(f"/api/plates/{plate}/send", json=body)
        assert refused.status_code == 409 and refused.json()["revision"] == revision + 1
    assert client.post(f"/api/plates/{plate}/send", json={}).status_code == 422


def test_8_a_file_that_is_missing_ends_the_print_before_it_began(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    pdf = shop.blobs.path(sheet_of(shop, sheet).plate.pdf_sha)
    kept = pdf.read_bytes()
    pdf.unlink()
    try:
        with pytest.raises(NotThere, match="is not there any more"):
            do(shop, following.print_plate, sheet_id=sheet)
    finally:
        pdf.write_bytes(kept)
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == 5000


def test_8_a_full_disk_leaves_it_to_the_printer(sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch) -> None:
    """Whether the printer has the whole job is not known then: it is asked."""
    shop, sheet = sent

    def full(*_: object) -> None:
        raise DiskFull

    monkeypatch.setattr(IppPrinter, "send", full)
    with pytest.raises(DiskFull):
        do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "unclear"
    task_id = shop.database.within(lambda session: sending.settle_print(session, sheet, "ask"))
    assert task_id and sheet_of(shop, sheet).state == "printing"
    with pytest.raises(JobError, match="does not say what became of this sheet"):
        do(shop, following.print_plate, sheet_id=sheet, again=True)
    assert sheet_of(shop, sheet).state == "unclear"  # nothing was sent again
    shop.database.within(lambda session: sending.settle_print(session, sheet, "spoiled"))
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) < 5000


def broken_off(monkeypatch: pytest.MonkeyPatch) -> None:
    """The line breaks once, between a job and its file."""
    ask, left = IppLine.ask, iter([None])

    def breaks(line: IppLine, operation: Any, *of: Any, **more: Any) -> Any:
        if operation is IppOperation.SEND_DOCUMENT and next(left, "whole") is None:
            raise LineBroken("The line broke.", "printer", "Look at it.")
        return ask(line, operation, *of, **more)

    monkeypatch.setattr(IppLine, "ask", breaks)


@pytest.mark.parametrize("killed", [True, False], ids=["Etiquette was killed", "the line broke"])
def test_a_print_whose_file_never_came_is_given_up_and_holds_up_no_other(
    sent: tuple[Shop, int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, killed: bool
) -> None:
    """Source: RFC 8011, 4.2.4 and 5.3.8 (job-data-insufficient). The printer of CUPS (`ippeveprinter`) waits for the
    file of a job for ever, and prints nothing else meanwhile."""
    shop, sheet = sent
    with eve_printer(tmp_path) as stranger:
        shop.database.within(lambda session: setattr(session.query(Printer).one(), "address", stranger.uri))
        driver, name = printer_at(stranger.uri, "Printer"), sheet_of(shop, sheet).name
        broken_off(monkeypatch)
        monkeypatch.setattr(IppPrinter, "loaded", lambda printer: ())
        monkeypatch.setattr(following, "LOOK_SECONDS", 0.0)
        if killed:
            with pytest.raises(LineBroken):
                driver.send(PrintJob(name, "killed", (Document("plate", b"%PDF-1.4\n%%EOF\n"),)))
            assert driver.progress(name).state == "waiting"
        looks = iter([True] * MOST_LOOKS)
        with pytest.raises(JobError, match="broken off on its way to") as told:
            do(shop, following.print_plate, lambda *_: next(looks), sheet_id=sheet, again=killed)
        assert "Print it again" in told.value.do
        assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == 5000
        assert driver.progress(name).state == "cancelled" and stranger.printed == 0
        driver.send(PrintJob("E2", "next", (Document("plate", b"%PDF-1.4\n%%EOF\n"),)))
        assert any(driver.progress("E2").state == "printing" for _ in range(MOST_LOOKS))


def test_a_job_that_waits_for_its_turn_is_not_taken_for_one_whose_file_never_came(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """However long; and what the printer says for a moment after the last byte counts for nothing."""
    shop, sheet = sent
    waits, comes = Progress("waiting", reasons=("job-queued",)), Progress("waiting", reasons=("job-incoming",))
    said = iter([*[comes] * (following.HALF_SENT_LOOKS - 1), *[waits] * 60, comes, waits, Progress("done", 1.0)])
    monkeypatch.setattr(IppPrinter, "progress", lambda printer, key: next(said))
    monkeypatch.setattr(IppPrinter, "cancel", lambda printer, key: pytest.fail("it was called off"))
    monkeypatch.setattr(following, "LOOK_SECONDS", 0.0)
    monkeypatch.setattr(following, "SLOW_LOOK_SECONDS", 0.0)
    do(shop, following.print_plate, sheet_id=sheet, again=True)
    assert sheet_of(shop, sheet).state == "printed"


def test_a_job_that_began_while_it_was_given_up_costs_what_it_printed(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its file came after all, between the last look and the word to give it up."""
    shop, sheet = sent
    comes, began = Progress("waiting", reasons=("job-incoming",)), Progress("cancelled", 0.25)
    said = iter([*[comes] * (following.HALF_SENT_LOOKS + 1), began])
    monkeypatch.setattr(IppPrinter, "progress", lambda printer, key: next(said))
    monkeypatch.setattr(IppPrinter, "cancel", lambda printer, key: None)
    monkeypatch.setattr(following, "LOOK_SECONDS", 0.0)
    with pytest.raises(JobError, match="was cancelled"):
        do(shop, following.print_plate, sheet_id=sheet, again=True)
    length = sheet_of(shop, sheet).plate.summary.plan.stock_mm
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == pytest.approx(5000 - 0.25 * length)


def test_a_print_that_never_reached_the_printer_costs_nothing(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The line broke before the job was over it: asked, the printer knows nothing of it, and somebody has looked."""
    shop, sheet = sent
    plate = sheet_of(shop, sheet).plate

    def broken(*_: object) -> None:
        raise LineBroken("printer", "nothing came", "")

    monkeypatch.setattr(IppPrinter, "send", broken)
    with pytest.raises(JobError):
        do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "unclear"
    assert shop.database.within(lambda session: sending.settle_print(session, sheet, "nothing")) is None
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == 5000
    monkeypatch.undo()
    again = shop.database.within(lambda session: sending.new_sheet(session, plate.id))
    do(shop, following.print_plate, sheet_id=again)
    assert sheet_of(shop, again).state == "printed"
    assert left_mm(shop) == pytest.approx(5000 - plate.summary.plan.length_mm)


@pytest.mark.parametrize(("state", "words"), [("waiting", "has this print."), ("done", "says that it is done")])
def test_a_print_that_the_printer_has_did_not_come_to_nothing(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch, state: str, words: str
) -> None:
    """Sent again it would be printed twice. One that nobody answers for is the word of who looked."""
    shop, sheet = sent
    monkeypatch.setattr(IppPrinter, "progress", lambda *_: Progress(state))  # type: ignore[arg-type]
    with pytest.raises(JobError, match=words):
        sending.refuse_while_the_printer_has_it(shop, sheet)
    monkeypatch.setattr(IppPrinter, "progress", lambda *_: Progress("unknown"))
    sending.refuse_while_the_printer_has_it(shop, sheet)

    def away(*_: object) -> None:
        raise Unreachable("It does not answer.", "printer", "")

    monkeypatch.setattr(IppPrinter, "progress", away)
    sending.refuse_while_the_printer_has_it(shop, sheet)


@pytest.mark.parametrize("answer", [{}, {"job-name": None}, {"job-name": "", "job-state": "soon"}])
def test_8_an_answer_that_lacks_what_is_asked_does_not_leave_it_printing(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch, answer: dict[str, Any]
) -> None:
    """The printer is another one by now, or has lost its mind: a person is asked."""
    shop, sheet = sent
    ask, asked = IppLine.ask, iter(range(99))

    def odd(self: IppLine, operation: Any, *more: Any, **named: Any) -> dict[str, Any]:
        real = ask(self, operation, *more, **named)
        return {**real, "jobs": [answer]} if operation.name == "GET_JOBS" and next(asked) > 1 else real

    monkeypatch.setattr(IppLine, "ask", odd)
    with pytest.raises(JobError, match="does not say what became"):
        do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "unclear"


def test_8_after_a_broken_line_the_printer_is_asked_and_a_slow_one_waited_for(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    shop, sheet = sent
    monkeypatch.setattr(following, "LOOK_SECONDS", 0.001)
    monkeypatch.setattr(following, "SLOW_LOOK_SECONDS", 0.001)
    progress, looks = IppPrinter.progress, iter(range(10_000))

    def slow(self: IppPrinter, key: str) -> Progress:
        number = next(looks)
        if number in (5, 40):
            raise LineBroken("Printer east closed the line.", "Printer east", "Look at the machine.")
        if 1 < number < 4000:  # longer than any clock of ours would have waited
            return Progress("stopped" if number % 500 == 0 else "printing", number / 4000, ("media-empty-error",))
        return progress(self, key)

    monkeypatch.setattr(IppPrinter, "progress", slow)
    do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "printed"


def test_a_printer_that_stops_is_waited_for_and_says_why(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    tell(shop, "printer", "fault", kind="empty")
    said: list[str] = []

    def mend_it(share: float, words: str, data: object = None) -> bool:
        said.append(words)
        if "waits" in words:
            tell(shop, "printer", "mend")
        return True

    do(shop, following.print_plate, report=mend_it, sheet_id=sheet)
    assert any(words == "Printer east waits: the stock has run out" for words in said)
    assert sheet_of(shop, sheet).state == "printed"


def test_a_print_is_cancelled_under_way_and_what_it_took_is_booked(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    cancelled_under_way(shop, sheet)
    assert sheet_of(shop, sheet).state == "failed"
    length = sheet_of(shop, sheet).plate.summary.plan.length_mm
    assert 0.3 * length < 5000 - left_mm(shop) < 0.6 * length


def test_a_run_that_is_printed_elsewhere_goes_on_at_the_bench(room: Shop, client: httpx.Client) -> None:
    """Its files are saved, no printer is asked and no roll of ours gets shorter; the same key makes one sheet."""
    room.database.within(lambda session: setattr(session.query(Printer).one(), "address", ""))
    run, plate = plated(room)
    revision = client.get(f"/api/print/{run}").json()["settings"]["revision"]
    assert client.get(f"/api/plates/{plate}/pdf").content.startswith(b"%PDF")
    asked = {"revision": revision, "key": "elsewhere-once"}
    made = {client.post(f"/api/plates/{plate}/elsewhere", json=asked).json()["sheet_id"] for _ in range(2)}
    (sheet,) = made
    row = sheet_of(room, sheet)
    assert row.state == "printed" and row.printed_at is not None and left_mm(room) == 5000
    assert room.database.within(lambda session: session.get_one(Run, run).state) == "film"
    stale = client.post(f"/api/plates/{plate}/elsewhere", json={"revision": revision + 7, "key": "elsewhere-twice"})
    assert stale.status_code == 409
    assert client.post(f"/api/sheets/{sheet}/film").json()["state"] == "laminated"  # hands say so
    mark_reading.load(room, sheet, "head")
    assert sheet_of(room, sheet).state == "loaded"


def cancelled_under_way(shop: Shop, sheet: int) -> None:
    """Send a print and cancel it in the middle, whatever the speed of the machine: the printer waits there."""
    tell(shop, "printer", "fault", kind="empty")
    with pytest.raises(JobError, match="The print was cancelled"):
        do(shop, following.print_plate, report=lambda _, words, __=None: until_stopped(shop, words), sheet_id=sheet)


def until_stopped(shop: Shop, words: str) -> bool:
    if "waits" not in words:
        return True
    tell(shop, "printer", "mend")
    return False


def test_a_folder_takes_a_print_and_a_person_says_what_became_of_it(sent: tuple[Shop, int], tmp_path: Path) -> None:
    """Nothing comes back from a folder but that the ticket is gone."""
    shop, sheet = sent
    folder = tmp_path / "jobs"
    folder.mkdir()
    shop.database.within(lambda session: setattr(session.query(Printer).one(), "address", f"folder:{folder}"))
    name = sheet_of(shop, sheet).name

    def taken(share: float, words: str, data: object = None) -> bool:
        assert words == "Printer east has it, and has not begun"
        assert sorted(one.suffix for one in folder.iterdir()) == [".json", ".pdf"]
        (folder / f"{name}.json").unlink()
        return True

    with pytest.raises(JobError, match="does not say what became of this sheet"):
        do(shop, following.print_plate, report=taken, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "unclear"
    shop.database.within(lambda session: sending.settle_print(session, sheet, "printed"))
    assert sheet_of(shop, sheet).state == "printed" and left_mm(shop) < 5000


def test_a_run_without_a_printer_that_can_be_reached_is_not_left_printing(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    shop.database.within(lambda session: setattr(session.query(Printer).one(), "address", ""))
    with pytest.raises(JobError, match="has no address yet"):
        do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == 5000


class Losing:
    """A database that loses the answer to one statement of this thread, the one of that number from `begin` on."""

    def __init__(self, at: int) -> None:
        self.at, self.asked, self._thread = at, 0, 0

    def begin(self) -> None:
        self._thread = threading.get_ident()  # not the heartbeat's

    def __call__(self, *_: object) -> None:
        if threading.get_ident() != self._thread:
            return
        self.asked += 1
        if self.asked == self.at:
            raise OperationalError("SELECT", {}, pymysql.err.OperationalError(2013, "Lost connection"))


@pytest.mark.parametrize(("becomes", "ends", "patience"), [("done", "printed", 0.0), ("failed", "failed", 60.0)])
def test_a_database_that_is_lost_at_any_moment_of_a_print_leaves_no_sheet_printing(
    sent: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch, becomes: str, ends: str, patience: float
) -> None:
    """Statement for statement, until a print has none that could be lost any more. benchmarks/random_kills.py had
    killed the database as a print began: nobody was asked about that sheet ever after."""
    shop, sheet = sent
    plate, handed = sheet_of(shop, sheet).plate.id, list[str]()
    monkeypatch.setattr(following, "NOTE_SECONDS", patience)
    monkeypatch.setattr(IppPrinter, "send", lambda self, job: handed.append(job.key))
    monkeypatch.setattr(
        IppPrinter, "progress", lambda self, key: Progress(becomes if key in handed else "unknown", 0.5)
    )
    print_plate, losing = following.print_plate, Losing(0)

    def begun(*given: Any) -> Any:
        losing.begin()
        return print_plate(*given)

    monkeypatch.setattr(following, "print_plate", begun)
    for at in itertools.count(1):
        shop.database.within(lambda session, sheet=sheet: sending.submit_print(session, sheet))
        losing = Losing(at)
        listen(shop.database.engine, "before_cursor_execute", losing)
        Worker(shop.database, shop).run_one()
        remove(shop.database.engine, "before_cursor_execute", losing)
        if losing.asked < at:
            break
        assert sheet_of(shop, sheet).state in ("printed", "failed", "unclear"), f"statement {at}"
        sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
    assert sheet_of(shop, sheet).state == ends and at > 10
    assert len(handed) == len(set(handed))


def test_8_a_print_that_was_killed_is_settled_by_asking(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    plate = sheet_of(shop, sheet).plate
    task_id = shop.database.within(lambda session: sending.submit_print(session, sheet))
    do(shop, following.print_plate, sheet_id=sheet)  # the printer did it, and then the worker was killed

    def killed(session: Session) -> None:
        session.execute(update(Sheet).values(state=SheetState.PRINTING))
        session.execute(update(Task).where(Task.id == task_id).values(state=TaskState.RUNNING, attempt=1))
        release_all(session)

    shop.database.within(killed)
    assert sheet_of(shop, sheet).state == "unclear"
    assert shop.database.within(lambda session: session.get_one(Task, task_id)).state == "failed"
    shop.database.within(lambda session: sending.settle_print(session, sheet, "ask"))
    do(shop, following.print_plate, sheet_id=sheet, again=True)
    assert sheet_of(shop, sheet).state == "printed"
    assert left_mm(shop) == pytest.approx(5000 - plate.summary.plan.length_mm)  # booked once
    with pytest.raises(JobError, match="known what became"):
        shop.database.within(lambda session: sending.settle_print(session, sheet, "printed"))


def test_8_a_print_that_is_called_off_while_it_waits_was_never_printed(sent: tuple[Shop, int]) -> None:
    shop, sheet = sent
    task_id = shop.database.within(lambda session: sending.submit_print(session, sheet))
    shop.database.within(lambda session: cancel(session, task_id))
    assert sheet_of(shop, sheet).state == "failed" and left_mm(shop) == 5000
    assert not Worker(shop.database, shop, "devices").run_one()


def test_9_a_name_that_was_let_go_is_not_given_again(room: Shop) -> None:
    _, plate = plated(room)

    def new(hold: bool) -> int:
        return room.database.within(lambda session: sending.new_sheet(session, plate, hold))

    first, second = new(True), new(True)
    room.database.within(lambda session: sending.let_go(session, first))
    names = [sheet_of(room, sheet).name for sheet in (second, new(True), new(False))]
    assert [name[-2:] for name in names] == ["-2", "-3", "-4"]


def test_10_parts_drawn_side_by_side_are_those_drawn_alone(room: Shop) -> None:
    """Two hundred parts and previews of two plates, six asked for at a time; each compared with the same drawn by
    itself."""
    _, first = plated(room)
    _, second = plated(room, half_turn=True)
    plates = [
        room.database.within(lambda session, one=one: plate_sets.plate_there(session, one)) for one in (first, second)
    ]
    dice = random.Random(3)
    asked = [
        (
            dice.choice(plates),
            (dice.uniform(0, 200), dice.uniform(0, 60), dice.uniform(5, 90), dice.uniform(5, 60)),
            dice.choice((30.0, 72.0, 110.0)),
        )
        for _ in range(200)
    ]
    with ThreadPoolExecutor(6) as six:
        together = list(six.map(lambda one: previews.part_of(room, one[0], "colour", one[1], one[2]), asked))
    files = {plate.id: room.blobs.read(plate.pdf_sha) for plate in plates}
    alone = [part(files[plate.id], box, dpi) for plate, box, dpi in asked]
    assert sum(one != other for one, other in zip(together, alone, strict=True)) == 0


def test_19_the_check_of_contrast_fails_where_marks_show_too_little(room: Shop) -> None:
    run, _ = plated(room)

    def words(ground: str, ink: str) -> list[str]:
        def put(session: Session) -> None:
            session.get_one(Stock, 1).ground = ground
            session.query(MarkSet).one().ink = ink

        room.database.within(put)
        do(room, nesting.nest_run, run_id=run, steps=1)
        told = ask_printer(room, run)
        checks = room.database.within(lambda session: preflight(room, session, runs.state_of(room, session, run), told))
        assert len(checks) > 4  # all of them were made
        return [check.words for check in checks if "show too little" in check.words]

    assert not words("white", "cyan") and not words("dark", "black")
    assert words("dark", "cyan") == [
        "Marks in cyan show too little on this stock: choose black marks, or print a second layer of white"
    ]


@pytest.mark.parametrize("stock_takes_film", [True, False])
def test_25_a_sheet_without_film_goes_from_the_printer_to_the_cutter(room: Shop, stock_takes_film: bool) -> None:
    def film(session: Session) -> int:
        session.get_one(Stock, 1).takes_film = stock_takes_film
        return session.query(Laminator).one().id

    laminator = room.database.within(film)
    # without film because the run wants none, or because its stock takes none
    run, plate = plated(room, laminator_id=None if stock_takes_film else laminator)
    hands.put_roll_on(room, run)
    sheet = room.database.within(lambda session: sending.new_sheet(session, plate))
    do(room, following.print_plate, sheet_id=sheet)
    assert sheet_of(room, sheet).state == "printed"
    assert room.database.within(lambda session: session.get_one(Run, run).state) == "cutter"
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"


def test_25_a_sheet_that_is_taken_off_keeps_what_it_was(room: Shop) -> None:
    first, second = on_shelf(room, "First", 1), on_shelf(room, "Second", 2)
    room.database.within(lambda session: setattr(session.get_one(Sheet, first), "film", False))
    hands.lay(room, first, "head")
    hands.lay(room, second, "head")
    assert sheet_of(room, first).state == "printed"
    hands.lay(room, first, "head")
    assert sheet_of(room, second).state == "laminated"


def test_28_the_first_tool_is_asked_when_it_is_not_known(room: Shop) -> None:
    sheet = on_shelf(room)
    room.database.within(lambda session: setattr(session.query(Cutter).one(), "holder", ""))
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    asked = do(room, cutting.cut_sheet, sheet_id=sheet)
    assert asked["state"] == "tool" and tell(room, "cutter", "judge")["cut_mm"] == 0
    assert do(room, cutting.cut_sheet, sheet_id=sheet, ready=asked["waits_for"])["state"] == "done"
    # and it is remembered for the next sheet
    assert room.database.within(lambda session: session.query(Cutter).one().holder) == asked["waits_for"]


def test_28_the_printers_own_knife_goes_by_the_tool_cards(room: Shop) -> None:
    run, plate = plated(room)
    knife = room.database.within(with_its_knife)

    def through(session: Session) -> Run:
        from etiquette.stations.tools import card_row

        card_row(session, 1, session.get_one(Stock, 1), "kiss").force_gf = 61
        card_row(session, knife, session.get_one(Stock, 1), "kiss").force_gf = 83
        return session.get_one(Run, run)

    row = room.database.within(through)
    held = room.database.within(lambda session: plate_sets.plate_there(session, plate))
    assert b"FS83;" in following._own_cut(room, held, row)


def test_a_cutter_that_fetches_its_jobs_finds_them_when_the_frame_is_printed(
    sent: tuple[Shop, int], tmp_path: Path
) -> None:
    """Both ends, as whole files, while the print is wanted; gone again when it was not made."""
    shop, sheet = sent
    folder = tmp_path / "jobs"
    folder.mkdir()
    shop.database.within(lambda session: setattr(session.get_one(Cutter, 1), "address", f"folder:{folder}"))
    do(shop, following.print_plate, sheet_id=sheet)
    code = sheet_of(shop, sheet).plate.summary.code
    assert sorted(one.name for one in folder.iterdir()) == [f"{code}-H.plt", f"{code}-T.plt"]
    head, tail = ((folder / f"{code}-{end}.plt").read_text() for end in "HT")
    assert head.startswith("IN;") and head != tail

    # another print of the frame is cancelled: the first still has to be cut
    plate = sheet_of(shop, sheet).plate_id
    other = shop.database.within(lambda session: sending.new_sheet(session, plate))
    cancelled_under_way(shop, other)
    assert len(list(folder.iterdir())) == 2
    # and when that is spoiled, too, nothing is left to be fetched
    shop.database.within(lambda session: session.execute(update(Sheet).values(state="failed")))
    cut_files.take_back(shop, sheet_of(shop, sheet).plate)
    assert list(folder.iterdir()) == []


def test_an_older_print_of_a_frame_is_not_cut_by_the_newer_file(sent: tuple[Shop, int], tmp_path: Path) -> None:
    """A run keeps its codes when it is edited, and a cutter that fetches its jobs knows nothing but the code."""
    shop, sheet = sent
    shop.database.within(lambda session: setattr(session.get_one(Cutter, 1), "address", f"folder:{tmp_path}"))
    do(shop, following.print_plate, sheet_id=sheet)
    first = {one.name: one.read_bytes() for one in tmp_path.glob("*.plt")}
    run = sheet_of(shop, sheet).plate.run_id
    shop.database.within(lambda session: run_edits.change(session, run, None, "gap", {"gap_mm": 6.0}))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    newer = shop.database.within(lambda session: sending.new_sheet(session, plate))
    do(shop, following.print_plate, sheet_id=newer)
    assert {one.name: one.read_bytes() for one in tmp_path.glob("*.plt")} == first and len(first) == 2
    words = shop.database.within(sheet_log.latest)[0].words
    assert f"{sheet_of(shop, sheet).name} is another print of this frame" in words
    # one more of the newer is called off: the files of the older are not taken with it
    cancelled_under_way(shop, shop.database.within(lambda session: sending.new_sheet(session, plate)))
    shop.database.within(lambda session: session.execute(update(Sheet).where(Sheet.id == newer).values(state="failed")))
    cut_files.take_back(shop, sheet_of(shop, newer).plate)
    assert {one.name: one.read_bytes() for one in tmp_path.glob("*.plt")} == first
    # the older one is cut: now the files of the newer one can be had
    shop.database.within(lambda session: session.execute(update(Sheet).where(Sheet.id == sheet).values(state="cut")))
    cut_files.hand_to_cutter(shop, sheet_of(shop, newer).plate)
    assert {one.name: one.read_bytes() for one in tmp_path.glob("*.plt")} != first


def test_a_folder_of_a_cutter_that_is_gone_stops_no_print(sent: tuple[Shop, int], tmp_path: Path) -> None:
    shop, sheet = sent
    shop.database.within(lambda session: setattr(session.get_one(Cutter, 1), "address", f"folder:{tmp_path}/gone"))
    do(shop, following.print_plate, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "printed"
    (entry,) = shop.database.within(sheet_log.latest)
    assert "could not be put into" in entry.words and "write them at the Bench" in entry.words
