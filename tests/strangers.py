"""Machines that nobody here wrote, or that know nothing of Etiquette, for tests and benchmarks."""

import os
import pty
import re
import select
import socket
import subprocess
import threading
import time
import tty
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


def free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        return int(listener.getsockname()[1])


@contextmanager
def private_bus() -> Iterator[str]:
    """A message bus of the test's own: ippeveprinter wants the system's, and the name of a variable is enough."""
    command = ["dbus-daemon", "--session", "--nofork", "--nopidfile", "--print-address=1"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as bus:
        assert bus.stdout is not None
        try:
            yield bus.stdout.readline().strip()
        finally:  # else what failed would wait for its end for ever
            bus.terminate()


class EvePrinter:
    """The IPP Everywhere printer of CUPS (`ippeveprinter`). What it “prints” waits for files in `folder`: a test makes
    STEP.n, and the printer has said that it printed n of four pages."""

    def __init__(self, folder: Path, bus: str) -> None:
        self.folder, self._bus, self.port = folder, bus, free_port()
        self._said = 0
        self.process: subprocess.Popen[bytes] | None = None
        command = folder / "printing.sh"
        command.write_text(
            f"""#!/bin/sh
cp "$1" "{folder}/printed.$$.pdf"
echo "ATTR: job-impressions=4" >&2
for n in 1 2 3 4; do
  while [ ! -e "{folder}/step.$n" ]; do
    for said in "{folder}"/say.*; do [ -e "$said" ] && cat "$said" >&2 && rm "$said"; done
    sleep 0.02
  done
  echo "ATTR: job-impressions-completed=$n" >&2
done
"""
        )
        command.chmod(0o700)

    @property
    def uri(self) -> str:
        return f"ipp://127.0.0.1:{self.port}/ipp/print"

    def start(self) -> None:
        (self.folder / "spool").mkdir(exist_ok=True)
        keys = self.folder / "keys"
        keys.mkdir(exist_ok=True)
        command = [
            "ippeveprinter", "-r", "off", "-p", str(self.port), "-n", "localhost", "-K", str(keys),
            "-d", str(self.folder / "spool"),
            "-f", "application/pdf,application/octet-stream", "-c", str(self.folder / "printing.sh"), "Proof",
        ]  # fmt: skip
        environment = {**os.environ, "DBUS_SYSTEM_BUS_ADDRESS": self._bus, "PATH": f"{os.environ['PATH']}:/usr/sbin"}
        log = open(self.folder / "log", "ab")  # noqa: SIM115 - the printer's own, for as long as it lives
        self.process = subprocess.Popen(command, env=environment, stdout=log, stderr=log)
        log.close()
        while self._refuses():
            assert self.process.poll() is None, (self.folder / "log").read_text()

    def say(self, *lines: str) -> None:
        """Lines that change the printer's state, as its command would say them."""
        unfinished = self.folder / "unfinished"
        unfinished.write_text("".join(f"{line}\n" for line in lines))
        self._said += 1  # a name of its own: the printer takes away what it has said while the next may come
        unfinished.rename(self.folder / f"say.{self._said}")

    def step(self, number: int) -> None:
        (self.folder / f"step.{number}").touch()

    @property
    def printed(self) -> int:
        return len(list(self.folder.glob("printed.*.pdf")))

    def stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.process.kill()
            self.process.wait()
        for number in range(1, 5):  # so that what it had begun ends too
            self.step(number)
        while not self._refuses():  # its command has the printer's sockets too until it runs, which may be after this
            pass

    def _refuses(self) -> bool:
        try:
            socket.create_connection(("127.0.0.1", self.port), 1).close()
        except OSError as said:
            return isinstance(said, ConnectionRefusedError)
        return False


@contextmanager
def eve_printer(folder: Path) -> Iterator[EvePrinter]:
    with private_bus() as bus:
        printer = EvePrinter(folder, bus)
        printer.start()
        try:
            yield printer
        finally:
            printer.stop()


class SlowPlotter:
    """A plotter behind a pseudo-terminal: it takes in 960 bytes a second, as 9,600 baud bring them, holds 1,024, and
    counts what would not have fitted. Pseudo-terminals know no speed, so it keeps the pace itself."""

    RATE, BUFFER = 960.0, 1024

    def __init__(self) -> None:
        self._master, slave = pty.openpty()
        tty.setraw(slave)
        self.path = os.ttyname(slave)
        self._slave = slave  # held open: a pseudo-terminal that nobody has open hangs up
        self.received, self.overruns, self.most_held = b"", 0, 0
        self._held, self._at = bytearray(), "0,0"
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)

    def __enter__(self) -> "SlowPlotter":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join(5)
        os.close(self._slave)
        os.close(self._master)

    def wait_for(self, count: int) -> None:
        """Until so many bytes were taken in or lost."""
        while len(self.received) + len(self._held) + self.overruns < count:
            self._ended.wait(0.01)

    def _work(self) -> None:
        begun, followed = time.monotonic(), 0
        while not self._ended.is_set():
            readable, _, _ = select.select([self._master], [], [], 0.01)
            if readable:
                came = os.read(self._master, 4096)
                room = self.BUFFER - len(self._held)
                self._held += came[:room]
                self.overruns += max(0, len(came) - room)
                self.most_held = max(self.most_held, len(self._held))
            may = int((time.monotonic() - begun) * self.RATE) - followed
            if not self._held:
                followed += max(0, may)  # time in which nothing came is not saved up
                continue
            while may > 0 and (end := self._held.find(b";")) >= 0 and end < may + 200:
                self._follow(bytes(self._held[: end + 1]))
                del self._held[: end + 1]
                followed, may = followed + end + 1, may - end - 1

    def _follow(self, instruction: bytes) -> None:
        if instruction == b"OA;":
            os.write(self._master, f"{self._at},0\r".encode())
            return
        self.received += instruction
        pairs = re.findall(rb"-?\d+,-?\d+", instruction)
        if pairs and instruction[:2] in (b"PU", b"PD", b"PA"):
            self._at = pairs[-1].decode()
