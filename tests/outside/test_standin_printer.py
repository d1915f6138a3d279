"""The stand-in printer against a test suite that nobody here wrote: `ipptool` of CUPS (Debian cups-ipp-utils) with its
ipp-1.1.test and ipp-2.0.test (RFC 8011, PWG 5100.12)."""

import shutil
import subprocess
import threading
from io import BytesIO
from pathlib import Path

import pytest
from PIL import Image

from standins.ipp_message import Malformed, Message, of, read, written
from standins.ipp_printer import serve_ipp
from standins.printer import Printer
from standins.room import Room

SUITE = Path("/usr/share/cups/ipptool")
DOCUMENTS = ("document-a4.pdf", "document-letter.pdf", "document-a4.ps", "document-letter.ps", "color.jpg", "gray.jpg")
"""What the suite would print in sizes and formats that this printer does not offer: it asks for the files all the
same, and then skips those tests."""


@pytest.mark.parametrize("version", ("1.1", "2.0"))
def test_the_suite_finds_no_fault(tmp_path: Path, version: str) -> None:
    printer = Printer(Room(tmp_path / "room"))
    threading.Thread(target=printer.watch, daemon=True).start()
    serve_ipp(printer.queue, 0)
    tests = tmp_path / "tests"
    shutil.copytree(SUITE, tests)
    page = BytesIO()
    Image.new("RGB", (300, 200), "white").save(page, "PDF", resolution=150)
    for name in (*DOCUMENTS, "page.pdf"):
        (tests / name).write_bytes(page.getvalue())
    suite = f"ipp-{version}.test"
    told = subprocess.run(
        ["ipptool", "-tI", "-f", "page.pdf", "-V", version, printer.queue.uri, suite],
        cwd=tests,
        capture_output=True,
        text=True,
    )
    verdicts = [line.rsplit("[", 1)[1].rstrip("]") for line in told.stdout.splitlines() if line.rstrip().endswith("]")]
    assert told.returncode == 0 and "FAIL" not in verdicts, told.stdout
    assert verdicts.count("PASS") >= 28  # skipped is what it does not offer: URIs, holding, sizes of office paper


def test_what_is_written_is_read_again_and_what_is_cut_short_is_refused() -> None:
    column = {"media-size": of(0x34, {"x-dimension": of(0x21, 76000)}), "media-info": of(0x41, "Gloss, roll A")}
    group = {
        "media-col-ready": of(0x34, column),
        "copies-supported": of(0x33, (1, 9)),
        "finishings-supported": of(0x23, 3, 63),
        "printer-is-accepting-jobs": of(0x22, True),
    }
    content = written(Message((2, 0), 0, 7, [(4, group)]))
    again = read(content)
    assert again.request_id == 7 and again.groups == [(4, group)]
    for end in range(len(content) - 1):
        with pytest.raises(Malformed):
            read(content[:end])
    deep = (
        b"\x02\x00\x00\x0b\x00\x00\x00\x01\x01"
        + b"\x34\x00\x01a\x00\x00"
        + b"\x4a\x00\x00\x00\x01b\x34\x00\x00\x00\x00" * 50
    )
    with pytest.raises(Malformed):
        read(deep)
