"""A deadline for the whole of an exchange: a machine that drips has no more time than one that is silent."""

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress


@contextmanager
def whole_deadline(link: socket.socket, seconds: float) -> Iterator[None]:
    """Shut `link` down when the block is not through after `seconds`: whatever waits on it then fails."""

    def shut() -> None:
        with suppress(OSError):
            link.shutdown(socket.SHUT_RDWR)

    timer = threading.Timer(seconds, shut)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()
