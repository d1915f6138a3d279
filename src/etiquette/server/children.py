"""Child processes that die with their parent, and are started again when they fall over."""

import ctypes
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

_PR_SET_PDEATHSIG = 1
_LIBC = ctypes.CDLL(None, use_errno=True)

FIRST_PAUSE_SECONDS = 0.5
LONGEST_PAUSE_SECONDS = 30.0
STEADY_SECONDS = 60.0
"""A child that ran this long is taken as healthy again, and its pause starts over."""
MOST_LOG_BYTES = 4 << 20
"""A log that has grown beyond is kept once more under its name with .1, and begun anew."""


def dies_with(parent: int, signal_number: int = signal.SIGTERM) -> Callable[[], None]:
    """A `preexec_fn`: the kernel sends the child `signal_number` when the thread that started it ends."""

    def prepare() -> None:
        _LIBC.prctl(_PR_SET_PDEATHSIG, signal_number, 0, 0, 0)
        if os.getppid() != parent:  # the parent went before the request was made
            os._exit(1)
        signal.pthread_sigmask(signal.SIG_SETMASK, ())

    return prepare


class Child:
    """A named child process with its log file; `tend` restarts it with a growing pause when it has ended."""

    def __init__(
        self,
        name: str,
        command: Sequence[str],
        log: Path,
        environment: dict[str, str] | None = None,
        handles: Sequence[int] = (),
    ) -> None:
        self.name = name
        self._command = list(command)
        self.log = log
        self._environment = {**os.environ, **(environment or {})}
        self._handles = tuple(handles)
        self._pause = FIRST_PAUSE_SECONDS
        self._due = 0.0
        self._started = 0.0
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.log.parent.mkdir(parents=True, exist_ok=True)
        with open(self.log, "ab") as log:
            self.process = subprocess.Popen(
                self._command,
                stdout=log,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                env=self._environment,
                pass_fds=self._handles,
                start_new_session=True,  # Ctrl-C reaches the supervisor only, which ends the children in order
                preexec_fn=dies_with(os.getpid()),
            )
        self._started = time.monotonic()

    @property
    def has_ended(self) -> bool:
        return self.process is not None and self.process.poll() is not None

    def tend(self) -> None:
        """Start the child again when it has ended and its pause is over; keep its log from growing without end."""
        rotate(self.log)
        if self.process is None or self.process.poll() is None:
            if self.process is not None and time.monotonic() - self._started > STEADY_SECONDS:
                self._pause = FIRST_PAUSE_SECONDS
            return
        now = time.monotonic()
        if not self._due:
            self._due = now + self._pause
            self._pause = min(self._pause * 2, LONGEST_PAUSE_SECONDS)
            print(
                f"{self.name} ended with {self.process.returncode}; starting it again. See {self.log}.",
                file=sys.stderr,
            )
        elif now >= self._due:
            self._due = 0.0
            self.start()

    def stop(self, patience_seconds: float = 15.0) -> None:
        """Ask the child to end; after `patience_seconds` make it."""
        if self.process is None or self.process.poll() is not None:
            return
        self.process.terminate()
        try:
            self.process.wait(patience_seconds)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()


def rotate(log: Path) -> None:
    """Keep a log that has grown too long as NAME.1 and empty it. Whoever writes it appends, so nothing is lost but what
    is written in this very moment."""
    try:
        if log.stat().st_size <= MOST_LOG_BYTES:
            return
    except FileNotFoundError:
        return
    shutil.copyfile(log, log.with_name(f"{log.name}.1"))
    os.truncate(log, 0)
