"""What a child that stays is asked to do in test_staying.py. By itself: the child imports this module and no more."""

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from etiquette.core.errors import JobError
from etiquette.sandbox import door, staying
from etiquette.sandbox.door import Limits

staying_live = staying._live


def does(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    """What the child is asked to do here."""
    WAYS[note["how"]]()
    read = (folder / "in").read_bytes().decode()
    if "links" in note:
        for name in ("in", staying.NOTE):
            (folder / name).unlink()
            (folder / name).symlink_to(note["links"])
    return {"pid": os.getpid(), "read": read}


def _works(seconds: float) -> None:
    end = time.process_time() + seconds
    while time.process_time() < end:
        pass


def _raises() -> None:
    raise JobError("This is nothing.", "in", "Leave it.")


def _leaves_nothing() -> None:
    raise MemoryError


WAYS: dict[str, Callable[[], object]] = {
    "does it": lambda: None,
    "works a second": lambda: _works(1.0),
    "works for ever": lambda: _works(1e9),
    "raises": _raises,
    "is killed": lambda: os.kill(os.getpid(), signal.SIGKILL),
    "breaks": lambda: os.kill(os.getpid(), signal.SIGSEGV),
    "has no memory": _leaves_nothing,
}


def live(folder: str, job: str, limits: Limits, name: str, line: Any) -> None:
    door.JOBS["does"] = "tests.sandbox.jobs:does"  # in the child: its fork server knows nothing of tests
    staying_live(folder, job, limits, name, line)
