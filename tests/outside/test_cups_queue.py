"""A queue of a print server between Etiquette and the printer. The answers are those that the scheduler of CUPS 2.4.2
gave (Debian's cups-daemon and its ipp backend before its own `ippeveprinter`, tried by hand, December 2026)."""

from typing import Any

import pytest
from pyipp.enums import IppOperation

from etiquette.devices.drivers import printer_at
from etiquette.devices.ipp_message import IppLine
from etiquette.stations.print.following import _told

OFF = "The printer may not exist or is unavailable at this time."


def says(monkeypatch: pytest.MonkeyPatch, printer: dict[str, Any], **job: Any) -> str:
    """What an operator reads of the print A1 while the queue answers so."""
    of_job = {"job-id": 11, "job-name": "A1 x", "job-uuid": "urn:uuid:a4ef337a", "job-state-message": "", **job}

    def ask(_: IppLine, operation: IppOperation, *__: object, **___: object) -> dict[str, Any]:
        return {"printers": [printer]} if operation is IppOperation.GET_PRINTER_ATTRIBUTES else {"jobs": [of_job]}

    monkeypatch.setattr(IppLine, "ask", ask)
    return _told("Chain", printer_at("ipp://127.0.0.1:6631/printers/Chain", "Chain").progress("A1"))


def under_way(*reasons: str, progress: int = 0) -> dict[str, Any]:
    return {
        "job-state": 5, "job-state-reasons": list(reasons), "job-impressions-completed": 0,
        "job-media-progress": progress,
    }  # fmt: skip


def test_a_queue_whose_printer_is_off_does_not_print_in_silence(monkeypatch: pytest.MonkeyPatch) -> None:
    """CUPS says that it prints for as long as it tries to reach the printer."""
    printer = {"printer-state": 4, "printer-state-message": OFF, "printer-state-reasons": ["none"]}
    assert says(monkeypatch, printer, **under_way("job-printing")) == f"Printing 0 %: {OFF}"


def test_what_the_printer_behind_a_queue_lacks_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """All is sent, which CUPS calls 100 %, and the stock has run out, of which it only warns."""
    reasons = ["cups-waiting-for-job-completed", "media-empty-warning", "media-needed-warning"]
    printer = {"printer-state": 4, "printer-state-message": "", "printer-state-reasons": reasons}
    told = says(monkeypatch, printer, **under_way("job-printing", progress=100))
    assert told == "Printing 100 %: the stock has run out, it wants a stock put on"


def test_a_queue_that_hands_paused_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    printer = {"printer-state": 5, "printer-state-message": "ribbon empty", "printer-state-reasons": ["paused"]}
    waiting = {"job-state": 3, "job-state-reasons": ["none"], "job-media-progress": 0}
    assert says(monkeypatch, printer, **waiting) == "Chain waits: it is paused at its panel"


@pytest.mark.parametrize("message", ["", "Printing.", "Idle.", "processing"])
def test_what_only_repeats_the_state_or_reports_is_not_said(monkeypatch: pytest.MonkeyPatch, message: str) -> None:
    """`ippeveprinter` says “Printing.” while it prints, and reports what its trays lack."""
    printer = {"printer-state": 4, "printer-state-message": message, "printer-state-reasons": ["media-empty-report"]}
    assert says(monkeypatch, printer, **under_way("job-printing", progress=40)) == "Printing 40 %"
