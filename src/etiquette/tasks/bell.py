"""How a process is woken when there is work for it. Not by a semaphore: the ones that processes share count their
patience by the clock on the wall, and after that was set back a worker would sleep as long as it was set back."""

import contextlib
import os
import time

from etiquette.sandbox.door import FORK


class Bell:
    """Given to a process when it is started. Each ring ends one wait, in whichever process or thread; a ring that
    nobody waits for is kept."""

    def __init__(self) -> None:
        self._hears, self._rings = FORK.Pipe(duplex=False)
        for end in (self._hears, self._rings):
            os.set_blocking(end.fileno(), False)

    def ring(self) -> None:
        with contextlib.suppress(BlockingIOError):  # full: thousands of rings are waiting to be heard
            os.write(self._rings.fileno(), b"!")

    def wait(self, seconds: float) -> bool:
        """Whether it was rung within so long."""
        until = time.monotonic() + seconds
        while self._hears.poll(max(0.0, until - time.monotonic())):
            with contextlib.suppress(BlockingIOError):  # all who wait see it, one has it
                return bool(os.read(self._hears.fileno(), 1))
        return False
