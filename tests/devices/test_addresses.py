"""Addresses: what is taken, what is refused with a sentence, and the plain drivers behind them."""

import json
import os
import socket
import subprocess
import sys
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
import serial.rfc2217
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.devices import byte_line
from etiquette.devices.addresses import parsed
from etiquette.devices.contracts import Document, PrintJob, Unclear, Unreachable
from etiquette.devices.drivers import cutter_at, eye_at, printer_at
from etiquette.devices.hpgl_cutter import as_program
from etiquette.devices.reasons import in_words, stops
from tests.strangers import SlowPlotter, free_port


@pytest.mark.parametrize(
    ("text", "kind", "scheme", "host", "port", "path"),
    (
        ("ipp://printer.shop/ipp/print", "printer", "ipp", "printer.shop", 631, "/ipp/print"),
        ("ipps://10.0.0.7:8631/", "printer", "ipps", "10.0.0.7", 8631, "/"),
        (" socket://10.0.0.7:9100 ", "printer", "socket", "10.0.0.7", 9100, "/"),
        ("folder:/srv/print%20jobs", "printer", "folder", "", 0, "/srv/print jobs"),
        ("serial:/dev/ttyUSB0?baud=19200&flow=rtscts", "cutter", "serial", "", 0, "/dev/ttyUSB0"),
        ("rfc2217://box:2217", "cutter", "rfc2217", "box", 2217, "/"),
        ("usb:/dev/usb/lp0", "cutter", "usb", "", 0, "/dev/usb/lp0"),
        ("http://[::1]:8080", "eye", "http", "::1", 8080, "/"),
    ),
)
def test_addresses_that_are_taken(text: str, kind: str, scheme: str, host: str, port: int, path: str) -> None:
    at = parsed(text, kind)  # type: ignore[arg-type]
    assert (at.scheme, at.host, at.port, at.path) == (scheme, host, port, path)


@pytest.mark.parametrize(
    ("text", "kind"),
    (
        ("", "printer"),
        ("10.0.0.7", "printer"),
        ("http://10.0.0.7", "printer"),
        ("spy:///dev/ttyUSB0", "cutter"),  # one of pyserial's own for tests
        ("loop://", "cutter"),
        ("alt:///dev/ttyUSB0?class=PosixPollSerial", "cutter"),
        ("socket://10.0.0.7", "cutter"),
        ("socket://10.0.0.7:99999", "cutter"),
        ("serial:ttyUSB0", "cutter"),
        ("serial://host/dev/ttyUSB0", "cutter"),
        ("serial:/dev/ttyUSB0?baud=fast", "cutter"),
        ("serial:/dev/ttyUSB0?flow=maybe", "cutter"),
        ("file:///etc/passwd", "eye"),
        ("ipp://printer/ipp/print", "eye"),
    ),
)
def test_others_are_refused_with_what_to_write(text: str, kind: str) -> None:
    with pytest.raises(JobError) as raised:
        parsed(text, kind)  # type: ignore[arg-type]
    assert raised.value.do.startswith(("Write it like", "Choose"))


@given(st.text(max_size=60), st.sampled_from(("printer", "cutter", "eye")))
def test_no_text_at_all_is_more_than_refused(text: str, kind: str) -> None:
    try:
        parsed(text, kind)  # type: ignore[arg-type]
    except JobError as error:
        assert error.what and error.do


def test_reasons_in_words_and_which_of_them_stop() -> None:
    """RFC 8011, 5.4.12: a reason without a severity is an error."""
    assert in_words(("media-jam-error", "none", "cover-open")) == "the stock is jammed, a cover is open"
    assert in_words(("com.example-strange-thing-warning",)) == "com.example strange thing"
    assert stops(("media-empty-error",)) and stops(("cover-open",))
    assert not stops(("media-low-warning", "media-low", "none", "x-thing")) and not stops(("media-empty-warning",))


def job(*plates: str) -> PrintJob:
    return PrintJob(
        "K1-2", "Kite club", tuple(Document(plate, b"%PDF-" + plate.encode()) for plate in plates), "roll", True,
        "Gloss, fine", "Vinyl", "relative",
    )  # fmt: skip


def test_a_folder_gets_whole_files_and_the_ticket_last_and_is_asked_by_it(tmp_path: Path) -> None:
    printer = printer_at(f"folder:{tmp_path}", "Folder")
    assert printer.identity().model == "folder" and printer.loaded() == ()
    printer.send(job("colour", "white"))
    assert sorted(os.listdir(tmp_path)) == ["K1-2.colour.pdf", "K1-2.json", "K1-2.white.pdf"]
    ticket = json.loads((tmp_path / "K1-2.json").read_text())
    assert ticket == {
        "title": "Kite club",
        "files": ["K1-2.colour.pdf", "K1-2.white.pdf"],
        "media": "roll",
        "sever": True,
        "mode": "Gloss, fine",
        "profile": "Vinyl",
        "intent": "relative",
    }
    assert printer.progress("K1-2").state == "waiting" and printer.progress("K1-22").state == "unknown"
    printer.cancel("K1-2")
    assert os.listdir(tmp_path) == [] and printer.progress("K1-2").state == "unknown"
    with pytest.raises(Unreachable, match="folder of Folder is not there"):
        printer_at(f"folder:{tmp_path}/away", "Folder").send(job("colour"))


def test_a_raw_printer_gets_one_file_and_is_never_written_to_when_it_is_asked() -> None:
    listener = socket.create_server(("127.0.0.1", 0))
    got: list[bytes] = []

    def take() -> None:
        for _ in range(2):
            link, _ = listener.accept()
            with link, link.makefile("rb") as file:
                got.append(file.read())

    thread = threading.Thread(target=take)
    thread.start()
    printer = printer_at(f"socket://127.0.0.1:{listener.getsockname()[1]}", "Raw")
    assert printer.identity().model == "raw"
    printer.send(job("colour"))
    thread.join(10)
    listener.close()
    assert got == [b"", b"%PDF-colour"]
    with pytest.raises(JobError, match="one file a job"):
        printer.send(job("colour", "white"))
    with pytest.raises(Unreachable, match="not listening"):
        printer.identity()
    with pytest.raises(JobError, match="cannot be told to stop"):
        printer.cancel("K1-2")


def test_only_one_has_the_line_to_an_address(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(byte_line, "LOCK_SECONDS", 0.0)
    with SlowPlotter() as plotter, cutter_at(f"serial:{plotter.path}", "Cutter"):
        second = cutter_at(f"serial:{plotter.path}?baud=9600", "Cutter")
        with pytest.raises(JobError, match="in use by another program"):
            second.__enter__()
    with pytest.raises(Unreachable), cutter_at(f"socket://127.0.0.1:{free_port()}", "Cutter"):
        pass


def test_the_server_and_a_command_keep_off_each_others_line(tmp_path: Path) -> None:
    """They have other temporary folders: a lock there was none between them."""
    command = (
        "import sys; from etiquette.cli import main; from etiquette.devices import byte_line; "
        "byte_line.LOCK_SECONDS = 0.0; sys.argv[0] = 'etiquette'; main()"
    )
    with SlowPlotter() as plotter, cutter_at(f"serial:{plotter.path}", "Cutter"):
        asked = [sys.executable, "-c", command, "ask", f"serial:{plotter.path}", "--kind", "cutter"]
        told = subprocess.run(asked, env={**os.environ, "TMPDIR": str(tmp_path)}, capture_output=True, text=True)
        assert told.returncode == 1 and "in use by another program" in told.stdout + told.stderr
        assert plotter.received == b""


def test_who_comes_while_a_lamp_is_asked_waits_for_the_line_and_gets_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """A cut that was begun while the lamp had the line was refused."""
    with SlowPlotter() as plotter:
        lamp = cutter_at(f"serial:{plotter.path}", "Cutter")
        lamp.__enter__()
        waits = 0

        def ends_after_three(seconds: float) -> None:
            nonlocal waits
            waits += 1
            if waits == 3:
                lamp.__exit__(None, None, None)

        monkeypatch.setattr(byte_line, "sleep", ends_after_three)
        monkeypatch.setattr(byte_line, "LOCK_SECONDS", 3600.0)
        with cutter_at(f"serial:{plotter.path}", "Cutter") as cut:
            assert waits == 3
            cut.run(as_program("PU40,40;PD80,40;"), lambda *_: True)
        assert plotter.received == b"PU40,40;PD80,40;"


def test_a_port_that_may_not_be_opened_names_the_group(tmp_path: Path) -> None:
    if os.getuid() == 0:  # root may open everything: the sentence is made from the error as the system raises it
        from etiquette.devices.byte_line import ByteLine

        line = ByteLine("Cutter", parsed(f"serial:{tmp_path}/tty", "cutter"))
        (tmp_path / "tty").touch()
        error = line._unreachable(PermissionError(13, "Permission denied"))
        assert "may not open" in error.what and "to the group " in error.do
        return
    (tmp_path / "tty").touch(mode=0)
    with pytest.raises(JobError, match="may not open"), cutter_at(f"usb:{tmp_path}/tty", "Cutter"):
        pass


class WithoutModem(serial.Serial):
    """A pseudo-terminal has no modem lines to ask."""

    cts = dsr = ri = cd = property(lambda *_: True)

    def _update_rts_state(self) -> None:
        pass

    _update_dtr_state = _update_rts_state


def test_a_serial_port_behind_a_server_speaks_rfc_2217() -> None:
    """The server is made with pyserial's own half of the protocol (RFC 2217)."""
    with SlowPlotter() as plotter:
        listener = socket.create_server(("127.0.0.1", 0))
        asked: list[bool] = []

        def serve() -> None:
            port = WithoutModem(plotter.path, timeout=0.01)
            link, _ = listener.accept()
            writing = threading.Lock()

            class Link:
                def write(self, data: bytes) -> None:
                    with writing:
                        link.sendall(data)

            manager = serial.rfc2217.PortManager(port, Link())
            link.settimeout(0.01)
            while True:
                try:
                    came = link.recv(1024)
                    if not came:
                        break
                    port.write(b"".join(manager.filter(came)))
                except TimeoutError:
                    pass
                asked.append(bool(port.rtscts))
                if answered := port.read(256):
                    Link().write(b"".join(manager.escape(answered)))
            link.close()
            port.close()

        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        program = as_program("IN;PU100,100;PD500,100,500,500;PU;")
        with cutter_at(f"rfc2217://127.0.0.1:{listener.getsockname()[1]}", "Cutter") as cutter:
            assert cutter.run(program, lambda *_: True) == len(program)
        thread.join(10)
        listener.close()
    assert plotter.received.decode() == "".join(one.text for one in program)


class Camera(BaseHTTPRequestHandler):
    """Answers with what the test put into `said`."""

    said: dict[str, object]
    asked: list[str]

    def do_GET(self) -> None:
        self.asked.append(self.path)
        self.send_response(int(str(self.said.get("status", 200))))
        for name, value in dict(self.said["headers"]).items():  # type: ignore[call-overload]
            self.send_header(name, str(value))
        self.end_headers()
        self.wfile.write(self.said["content"])  # type: ignore[arg-type]

    def log_message(self, *_: object) -> None:
        pass


def png(side: int = 30) -> bytes:
    out = BytesIO()
    Image.fromarray(np.full((side, side), 200, np.uint8)).save(out, "PNG")
    return out.getvalue()


def test_an_eye_gives_pixels_their_place_and_scale_and_nonsense_is_refused() -> None:
    Camera.said, Camera.asked = {}, []
    server = HTTPServer(("127.0.0.1", 0), Camera)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    eye = eye_at(f"http://127.0.0.1:{server.server_port}", "Eye")
    good = {"X-Position-Mm": "12.5,300", "X-Mm-Per-Px": "0.1"}
    Camera.said = {"headers": good, "content": png()}
    window = eye.look()
    assert (window.x, window.y, window.mm_per_px, window.pixels.shape) == (12.5, 300.0, 0.1, (30, 30))
    eye.look((1.25, -4))
    assert Camera.asked == ["/look", "/look?x=1.2500&y=-4.0000"]
    for bad in (
        {"headers": {}, "content": png()},
        {"headers": {**good, "X-Position-Mm": "nan,0"}, "content": png()},
        {"headers": {**good, "X-Mm-Per-Px": "0"}, "content": png()},
        {"headers": good, "content": png()[:60]},
        {"headers": good, "content": b"<svg/>"},
        {"headers": good, "content": png(), "status": 404},
    ):
        Camera.said = bad
        with pytest.raises(Unclear, match="no picture of a place"):
            eye.look()
    server.shutdown()
    server.server_close()
    with pytest.raises(Unreachable, match="not listening"):
        eye.look()
