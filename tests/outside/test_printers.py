"""Our driver of IPP against a printer that nobody here wrote: `ippeveprinter` of CUPS (Debian cups-ipp-utils)."""

import hashlib
import signal
import socket
import ssl
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from etiquette.core.errors import JobError
from etiquette.devices import ipp_message
from etiquette.devices.contracts import Document, LineBroken, Printer, PrintJob, Progress, Unreachable
from etiquette.devices.drivers import printer_at
from etiquette.devices.reasons import in_words
from tests.strangers import EvePrinter, eve_printer

PDF = b"%PDF-1.4\n%%EOF\n"
MOST_LOOKS = 2000


@pytest.fixture
def stranger(tmp_path: Path) -> Iterator[EvePrinter]:
    with eve_printer(tmp_path) as printer:
        yield printer


def job(key: str = "E1", documents: int = 1) -> PrintJob:
    return PrintJob(key, "Seed swap jars", tuple(Document(f"plate {n}", PDF) for n in range(documents)))


def until(driver: Printer, key: str, holds: Callable[[Progress], bool]) -> Progress:
    """Asked again and again; counted, not timed."""
    for _ in range(MOST_LOOKS):
        progress = driver.progress(key)
        if holds(progress):
            return progress
    raise AssertionError(f"still {progress}")


def test_who_it_is_and_what_lies_there(stranger: EvePrinter) -> None:
    driver = printer_at(stranger.uri, "Printer")
    who = driver.identity()
    assert who.kind == "printer" and who.id.startswith("urn:uuid:") and "create-job" in who.understands
    assert driver.status().state == "ready"
    # the sizes of its two trays, by the names of PWG 5101.1: letter, and an envelope of 4⅛ × 9½ in
    assert [(one.width_mm, one.length_mm) for one in driver.loaded()] == [(215.9, 279.4), (104.77, 241.3)]


def test_the_certificate_of_a_secure_line_is_told_and_another_one_refused(stranger: EvePrinter) -> None:
    secure = stranger.uri.replace("ipp:", "ipps:")
    shown = printer_at(secure, "Printer").identity().certificate
    (kept,) = (stranger.folder / "keys").glob("*.crt")
    assert shown == hashlib.sha256(ssl.PEM_cert_to_DER_cert(kept.read_text())).hexdigest()
    driver = printer_at(secure, "Printer", shown)
    driver.send(job())
    for page in range(1, 5):
        stranger.step(page)
    assert until(driver, "E1", lambda now: now.state == "done").share == 1.0
    with pytest.raises(JobError, match="another certificate"):
        printer_at(secure, "Printer", "0" * 64).send(job("E2"))
    assert stranger.printed == 1 and printer_at(stranger.uri, "Printer").progress("E2").state == "unknown"


def test_a_printer_that_makes_no_secure_line_is_said_so() -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        port = listener.getsockname()[1]

        def speak_plainly() -> None:
            link, _ = listener.accept()
            with link:
                link.recv(4096)
                link.sendall(b"HTTP/1.1 400 Bad Request\r\n\r\n")

        threading.Thread(target=speak_plainly, daemon=True).start()
        with pytest.raises(Unreachable, match="makes no secure line"):
            printer_at(f"ipps://127.0.0.1:{port}/ipp/print", "Printer").identity()


def test_a_print_is_followed_page_by_page_through_what_goes_wrong(stranger: EvePrinter) -> None:
    driver = printer_at(stranger.uri, "Printer")
    driver.send(job())
    until(driver, "E1", lambda now: now.state == "printing")
    stranger.step(1)
    assert until(driver, "E1", lambda now: now.share == 0.25).state == "printing"
    for reason, words in (("media-empty", "the stock has run out"), ("media-jam", "the stock is jammed")):
        stranger.say(f"STATE: +{reason}-error")
        # while its command runs this printer calls it a warning: it says what is wrong, and that it goes on
        troubled = until(driver, "E1", lambda now: in_words(now.reasons) != "")
        assert in_words(troubled.reasons) == words and troubled.state == "printing"
        stranger.say(f"STATE: -{reason}-error")
        assert until(driver, "E1", lambda now: in_words(now.reasons) == "").share == 0.25
    for number in (2, 3, 4):
        stranger.step(number)
    assert until(driver, "E1", lambda now: now.state == "done").share == 1.0
    assert stranger.printed == 1


def test_a_print_is_cancelled_under_way_and_once_more_for_nothing(stranger: EvePrinter) -> None:
    driver = printer_at(stranger.uri, "Printer")
    driver.send(job())
    until(driver, "E1", lambda now: now.state == "printing")
    driver.cancel("E1")
    for number in (1, 2, 3, 4):
        stranger.step(number)
    until(driver, "E1", lambda now: now.state == "cancelled")
    driver.cancel("E1")
    assert driver.progress("E1").state == "cancelled"


def test_a_printer_that_hangs_is_a_broken_line_and_then_has_printed_once(
    stranger: EvePrinter, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver = printer_at(stranger.uri, "Printer")
    driver.send(job())
    assert stranger.process is not None
    stranger.process.send_signal(signal.SIGSTOP)
    monkeypatch.setattr(ipp_message, "ANSWER_SECONDS", 0.5)
    with pytest.raises(LineBroken, match="stopped answering"):
        driver.progress("E1")
    monkeypatch.undo()
    stranger.process.send_signal(signal.SIGCONT)
    for number in (1, 2, 3, 4):
        stranger.step(number)
    until(driver, "E1", lambda now: now.state == "done")
    assert stranger.printed == 1


def test_a_printer_that_was_killed_knows_nothing_of_the_job_and_another_job_is_not_taken_for_it(
    stranger: EvePrinter,
) -> None:
    driver = printer_at(stranger.uri, "Printer")
    driver.send(job("E1"))
    until(driver, "E1", lambda now: now.state == "printing")
    stranger.stop()
    with pytest.raises(Unreachable, match="not listening"):
        driver.progress("E1")
    stranger.start()
    assert driver.progress("E1").state == "unknown"
    driver.send(job("E2"))  # which the printer, begun anew, numbers as it did the first
    until(driver, "E2", lambda now: now.state in ("printing", "done"))
    assert driver.progress("E1").state == "unknown"


def test_several_files_are_refused_before_anything_is_sent(stranger: EvePrinter) -> None:
    driver = printer_at(stranger.uri, "Printer")
    with pytest.raises(JobError, match="takes one file a job"):
        driver.send(job(documents=2))
    assert driver.progress("E1").state == "unknown" and stranger.printed == 0
