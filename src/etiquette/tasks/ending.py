"""The end of a worker process, told to the work it has in hand: a machine that moves is brought to a place where it can
stand, everything else is left where it can be taken up again."""

import signal
import threading

ENDING = threading.Event()


class WorkEnds(BaseException):
    """This work is put back in the queue. Not an Exception: nothing that mends errors may take it for one."""


def end_when_told() -> None:
    """From now on SIGTERM lets this process end by itself."""
    signal.signal(signal.SIGTERM, lambda *_: ENDING.set())
