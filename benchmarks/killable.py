"""What random_kills.py kills: a running Etiquette, and a cutter that notes every stroke."""

import collections
import contextlib
import importlib.util
import json
import os
import signal
import socket
import socketserver
import subprocess
import sys
import threading
import time
from email.utils import parsedate_to_datetime
from pathlib import Path

import httpx

from etiquette.core.cutting.instructions import Pacer
from tests.let_in import let_in
from tests.strangers import free_port

QUICKER = 3.0
"""The cutter moves so many times as fast as it was told: a cut takes two seconds."""


JUMPED_SECONDS = 60.0
"""A clock that is nearer to where it was sent than this has jumped."""


class NotingCutter:
    """Follows HP-GL on a port, and notes where each stroke with the knife down began and ended."""

    def __init__(self) -> None:
        self.strokes: collections.Counter[tuple[float, float, float, float]] = collections.Counter()
        self._links: set[socket.socket] = set()
        self._lock = threading.Lock()
        self._pacer = Pacer()
        outer = self

        class Connection(socketserver.BaseRequestHandler):
            request: socket.socket

            def handle(self) -> None:
                outer._links.add(self.request)
                held = b""
                with contextlib.suppress(OSError):
                    while data := self.request.recv(4096):
                        held += data.replace(b"\x1b.K", b"")
                        while (end := held.find(b";")) >= 0:
                            told, held = held[: end + 1], held[end + 1 :]
                            said = outer._follow(told)
                            if said:
                                self.request.sendall(said)
                outer._links.discard(self.request)

        class Server(socketserver.ThreadingTCPServer):
            daemon_threads = True
            allow_reuse_address = True

        self._server = Server(("127.0.0.1", 0), Connection)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        self.address = f"socket://127.0.0.1:{self._server.server_address[1]}"

    def _follow(self, told: bytes) -> bytes:
        with self._lock:
            x, y = self._pacer.at
            answers = {b"OA;": f"{x:.0f},{y:.0f},0", b"OF;": "40,40", b"OE;": "0", b"OI;": "NOTER"}
            if told in answers:
                return answers[told].encode() + b"\r"
            for one in self._pacer.split(told.decode("ascii", "replace")):
                begun = self._pacer.at if not one.text.startswith("PD") else (x, y)
                time.sleep(one.seconds / QUICKER)
                if one.text.startswith("PD"):
                    self.strokes[(*map(float, begun), *map(float, one.end))] += 1
                x, y = one.end
            return b""

    def hang_up(self) -> None:
        """The line breaks; what was told goes on."""
        for link in list(self._links):
            with contextlib.suppress(OSError):
                link.shutdown(socket.SHUT_RDWR)

    def lose_power(self) -> None:
        """The line breaks, and the head stands where nobody had led it."""
        self.hang_up()
        with self._lock:
            self._pacer = Pacer()


class Clock:
    """The clock on the wall of all processes that are started with it, by libfaketime: it can jump. How long something
    takes is measured by another clock, which never does."""

    def __init__(self, file: Path) -> None:
        self._file, self._ahead_seconds = file, 0
        self.jump(0)
        package = importlib.util.find_spec("libfaketime")
        assert package and package.origin
        library = Path(package.origin).parent / "vendor" / "libfaketime" / "src" / "libfaketime.so.1"
        self.environment = {
            "LD_PRELOAD": str(library),
            "FAKETIME_TIMESTAMP_FILE": str(file),
            "FAKETIME_CACHE_DURATION": "1",  # it looks at the file every second
            "FAKETIME_DONT_FAKE_MONOTONIC": "1",
        }

    def jump(self, seconds: int) -> None:
        self._ahead_seconds += seconds
        beside = self._file.with_suffix(".new")
        beside.write_text(f"{self._ahead_seconds:+d}")
        beside.replace(self._file)  # nobody reads half of it


def parent_of(pid: int) -> int:
    """0: it has ended meanwhile, as a child of the sandbox does."""
    try:
        return int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1])
    except OSError:
        return 0


class Running:
    """An Etiquette of its own, and who of it can be killed; it has a clock of its own as well."""

    def __init__(self, data: Path) -> None:
        data.mkdir(parents=True, exist_ok=True)
        self.data, self._port = data, free_port()
        self.clock, self._jumped = Clock(data.with_name("clock")), False
        self.process, printed = self._started()
        self.client = let_in(printed, 60)

    def _started(self) -> tuple["subprocess.Popen[str]", str]:
        """The process, and the address that it prints."""
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--port", str(self._port)]
        environment = {**os.environ, "ETIQUETTE_DATA": str(self.data), **self.clock.environment}
        process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        return process, process.stdout.readline()

    def end_and_start(self) -> None:
        self.process.terminate()
        self.process.wait()
        self.process, _ = self._started()

    def jump(self, seconds: int) -> None:
        """The clock goes on by so much, and the next time back to where it was; seen at the time that answers bear."""
        self.clock.jump(-seconds if self._jumped else seconds)
        self._jumped = not self._jumped
        wanted = seconds if self._jumped else 0
        while True:
            with contextlib.suppress(httpx.HTTPError):
                shown = parsedate_to_datetime(self.client.get("/health/live").headers["date"])
                if abs(shown.timestamp() - time.time() - wanted) < JUMPED_SECONDS:
                    return
            time.sleep(0.1)

    def kill_all(self) -> None:
        """At once, the one that would start others first."""
        self.process.kill()
        while pids := self.pids(b""):
            for pid in pids:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)
            time.sleep(0.05)
        self.process.wait()
        self.process, _ = self._started()

    def check(self) -> list[dict[str, str]]:
        """What `etiquette check` finds."""
        command = [sys.executable, "-m", "etiquette.cli", "check"]
        environment = {**os.environ, "ETIQUETTE_DATA": str(self.data)}
        said = subprocess.run(command, env=environment, capture_output=True, text=True, check=False).stdout
        return list(json.loads(said)["found"])

    def pids(self, sign: bytes) -> list[int]:
        found = []
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(OSError, ValueError):
                if sign in (entry / "cmdline").read_bytes() and str(self.data).encode() in (
                    (entry / "environ").read_bytes() + (entry / "cmdline").read_bytes()
                ):
                    found.append(int(entry.name))
        return found

    def kill(self, victim: str) -> None:
        """The worker is a child of the fork server of the web server, like those that compute: all of them go."""
        sign = {"web": b"etiquette.server.web\0", "database": b"mariadbd\0", "worker": b"etiquette.server.workers"}[
            victim
        ]
        pids = self.pids(sign)
        if victim == "worker":  # the fork server itself stays: its children are what works
            parents = {parent_of(pid) for pid in pids}
            pids = [pid for pid in pids if pid not in parents]
        for pid in pids:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
