"""The line to a machine when the machine does not behave: every way of failing is a sentence that names it."""

import base64
import json
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.devices.line import DeviceLine, OpticalHead
from etiquette.devices.open_directory import drop_job


@contextmanager
def machine(answers: Callable[[dict[str, object]], bytes | None]) -> Iterator[int]:
    """A machine on a port of its own that answers each request with bytes, or closes the line on None."""
    listener = socket.create_server(("127.0.0.1", 0))

    def work() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            with connection, connection.makefile("rb") as requests:
                for request in requests:
                    answer = answers(json.loads(request))
                    if answer is None:
                        break
                    connection.sendall(answer)

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    yield listener.getsockname()[1]
    listener.shutdown(socket.SHUT_RDWR)
    listener.close()
    thread.join(5)


def window(size: tuple[int, int] = (40, 60), **changes: object) -> bytes:
    out = BytesIO()
    Image.fromarray(np.full(size, 200, np.uint8)).save(out, "PNG")
    answer = {"png": base64.b64encode(out.getvalue()).decode(), "x": 10.0, "y": 20.0, "mm_per_px": 0.05, **changes}
    return json.dumps({name: value for name, value in answer.items() if value is not None}).encode() + b"\n"


def test_a_machine_that_is_off_is_named() -> None:
    with socket.socket() as taken:  # bound, so that nobody else gets the port, and silent
        taken.bind(("127.0.0.1", 0))
        with pytest.raises(JobError, match="The long cutter is not listening") as raised:
            DeviceLine("The long cutter", taken.getsockname()[1]).__enter__()
    assert raised.value.where == "The long cutter" and "Switch it on" in raised.value.do


def test_a_refusal_is_passed_on_in_the_machines_words() -> None:
    with (
        machine(lambda _: b'{"error": "the door is open"}\n') as port,
        DeviceLine("Cutter", port) as line,
        pytest.raises(JobError, match="Cutter: the door is open"),
    ):
        line.ask("plot", hpgl="IN;")


def test_a_line_that_closes_in_the_middle_is_told_from_silence() -> None:
    with (
        machine(lambda _: None) as port,
        DeviceLine("Cutter", port) as line,
        pytest.raises(JobError, match="closed the line"),
    ):
        line.ask("state")
    with (
        machine(lambda _: b"") as port,
        DeviceLine("Cutter", port, answer_seconds=0.1) as line,
        pytest.raises(JobError, match="stopped answering"),
    ):
        line.ask("state")


@pytest.mark.parametrize("answer", [b"HELLO\r\n", b"[1, 2]\n", b"null\n", b"\xff\xfe\n", b'{"state": \n'])
def test_another_kind_of_machine_at_the_address_is_noticed(answer: bytes) -> None:
    with (
        machine(lambda _: answer) as port,
        DeviceLine("Printer", port) as line,
        pytest.raises(JobError, match="cannot be understood") as raised,
    ):
        line.ask("state")
    assert "right machine" in raised.value.do


@pytest.mark.parametrize(
    "answer",
    [
        window(png=None),
        window(png="not base64 at all"),
        window(png=base64.b64encode(b"not a picture").decode()),
        window(x=None),
        window(mm_per_px=0),
        window(mm_per_px="wide"),
        window(x=[1, 2]),
    ],
)
def test_a_window_that_is_no_window_is_refused(answer: bytes) -> None:
    with (
        machine(lambda _: answer) as port,
        DeviceLine("Cutter", port) as line,
        pytest.raises(JobError, match="cannot be understood"),
    ):
        OpticalHead(line)(1.0, 2.0)


def test_a_window_comes_with_its_place_and_is_counted() -> None:
    asked: list[dict[str, object]] = []

    def answer(request: dict[str, object]) -> bytes:
        asked.append(request)
        return window()

    with machine(answer) as port, DeviceLine("Cutter", port) as line:
        head = OpticalHead(line)
        seen = [head(5.0, 6.0), head(7.0, 8.0)]
    assert [(request["x"], request["y"]) for request in asked] == [(5.0, 6.0), (7.0, 8.0)]
    assert head.looks == 2 and seen[0].pixels.shape == (40, 60)
    assert (seen[0].x, seen[0].y, seen[0].mm_per_px) == (10.0, 20.0, 0.05)


def test_a_job_in_an_open_directory_is_whole_when_its_ticket_appears(tmp_path: object) -> None:
    from pathlib import Path

    folder = Path(str(tmp_path)) / "printer" / "in"
    drop_job(folder, "A-1", {".pdf": b"%PDF", ".svg": b"<svg/>"}, {"job": "A-1"})
    assert sorted(file.name for file in folder.iterdir()) == ["A-1.json", "A-1.pdf", "A-1.svg"]
    times = {file.suffix: file.stat().st_mtime_ns for file in folder.iterdir()}
    assert times[".json"] >= max(times[".pdf"], times[".svg"])
    drop_job(folder, "A-1", {".pdf": b"%PDF-2"}, {"job": "A-1"})  # sent again: replaced, never mixed
    assert (folder / "A-1.pdf").read_bytes() == b"%PDF-2"
