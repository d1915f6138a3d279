"""A child of the door that stays: what comes from one place again and again, like the pictures of one eye while a sheet
is read, need not have a child forked for each. What one of them does to a decoder can reach the next of the same place,
and nothing else: each place has a child of its own, behind the same walls, and only bytes and JSON come out of it."""

import json
import os
import resource
import tempfile
import time
import weakref
from collections.abc import Mapping
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from pathlib import Path
from typing import Any

from etiquette.sandbox import door
from etiquette.sandbox.door import Limits

MOST_JOBS = 500
"""Of one child: then another begins, with what processor time there is for one anew."""
NOTE = "note.json"
ASKS, ANSWERS = b"?", b"!"


class Staying:
    """Does `job` again and again, each within `limits`. The child begins with the first and is ended with the last that
    holds this. Not for several threads at once."""

    def __init__(self, job: str, limits: Limits) -> None:
        self._job, self._limits = job, limits
        self._child: _Child | None = None

    def ask(self, note: Mapping[str, Any], files: Mapping[str, bytes], name: str) -> tuple[dict[str, Any], Path]:
        """What the child says about `files`, laid into its folder under their names, and that folder, which is good
        until the next is asked. Raises JobError as `door.ask` does; the next has a new child then."""
        child, self._child = self._child, None
        if child is None or child.done >= MOST_JOBS or not child.process.is_alive():
            child = _Child(self._job, self._limits, name)
        with door.PLACES:
            child.do(note, files, name, self._limits)
        self._child = child  # only where it has answered: what has not may be in the middle of anything
        return door.answer_in(child.folder), child.folder


class _Child:
    def __init__(self, job: str, limits: Limits, name: str) -> None:
        place = tempfile.TemporaryDirectory(prefix="etq-stays-")
        self.folder, self.done = Path(place.name), 0
        self._line, other = door.FORK.Pipe()
        # ended with this process whatever comes, should it end without a word
        self.process = door.FORK.Process(target=_live, args=(place.name, job, limits, name, other), daemon=True)
        self.process.start()
        other.close()
        weakref.finalize(self, _over, self.process, self._line, place)

    def do(self, note: Mapping[str, Any], files: Mapping[str, bytes], name: str, limits: Limits) -> None:
        for file, content in {**files, NOTE: json.dumps(dict(note)).encode()}.items():
            (self.folder / file).unlink(missing_ok=True)
            with (self.folder / file).open("xb") as new:  # anew: a child that was taken over may have laid a link there
                new.write(content)
        (self.folder / door.ANSWER).unlink(missing_ok=True)
        self.done += 1
        try:
            answered = self._answered(name, limits)
        except BaseException:
            door.end_group(self.process)
            raise
        if not answered or not (self.folder / door.ANSWER).exists():
            door.end_group(self.process)
            raise door.without_answer(self.process.exitcode, name)

    def _answered(self, name: str, limits: Limits) -> bool:
        """Whether it has answered, rather than ended. Raises JobError at a limit."""
        deadline = time.monotonic() + limits.seconds * door.WALL_TIMES
        try:
            os.write(self._line.fileno(), ASKS)
            while not self._line.poll(door.WATCH_SECONDS):
                door.look_after(self.process, name, limits, deadline)
            return os.read(self._line.fileno(), 1) == ANSWERS  # no message: one that was taken over could hold it back
        except ConnectionError:  # it ended before it was asked
            return False


def _over(process: ForkServerProcess, line: Connection, place: tempfile.TemporaryDirectory[str]) -> None:
    line.close()
    door.end_group(process)
    place.cleanup()


# --- the child


def _live(folder: str, job: str, limits: Limits, name: str, line: Connection) -> None:
    """Its whole life: jobs until nobody holds the other end, or there is no memory for an answer."""
    door.go_behind(folder, limits, [], MOST_JOBS)
    while os.read(line.fileno(), 1) == ASKS:
        _, last = resource.getrlimit(resource.RLIMIT_CPU)
        resource.setrlimit(resource.RLIMIT_CPU, (min(last, int(time.process_time() + limits.seconds) + 1), last))
        note: dict[str, Any] = json.loads(Path(folder, NOTE).read_text())
        if not door.leave_answer(Path(folder), job, note, name):
            return
        os.write(line.fileno(), ANSWERS)
