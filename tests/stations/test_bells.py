"""What wakes a worker process: every ring is heard once, by whoever waits, and a clock that jumps stops nobody."""

import itertools
import os
import subprocess
import sys
import threading
from multiprocessing.connection import Connection
from pathlib import Path

from benchmarks.killable import Clock
from etiquette.sandbox.door import FORK
from etiquette.tasks.bell import Bell
from tests.conftest import PATIENCE

WAITS = "from etiquette.tasks.bell import Bell\nbell = Bell()\nwhile True: print(bell.wait(0.1), flush=True)"


def hear(bell: Bell, says: Connection) -> None:
    """In a process of its own: all that is to be heard."""
    says.send(sum(1 for _ in iter(lambda: bell.wait(0.0), False)))


def test_every_ring_is_heard_once_by_one_of_those_who_wait() -> None:
    bell = Bell()
    pairs = [FORK.Pipe() for _ in range(2)]
    processes = [FORK.Process(target=hear, args=(bell, says)) for _, says in pairs]
    for _ in range(40):
        bell.ring()
    for one in processes:
        one.start()
    assert sum(asked.recv() for asked, _ in pairs) == 40
    for one in processes:
        one.join(PATIENCE)
    assert [one.exitcode for one in processes] == [0, 0]


def test_what_nobody_hears_stops_nobody() -> None:
    bell = Bell()
    for _ in range(200_000):  # more than a pipe holds
        bell.ring()
    assert bell.wait(0.0)
    assert not Bell().wait(0.0)


def test_threads_share_a_bell() -> None:
    bell, heard = Bell(), []
    threads = [threading.Thread(target=lambda: heard.append(bell.wait(PATIENCE))) for _ in range(8)]
    for one in threads:
        one.start()
    for _ in threads:
        bell.ring()
    for one in threads:
        one.join(PATIENCE)
    assert heard == [True] * 8 and not bell.wait(0.0)


def test_a_clock_that_is_set_back_an_hour_lets_nobody_sleep_for_an_hour(tmp_path: Path) -> None:
    """libfaketime's clock, not ours. The semaphores of multiprocessing never came back from this."""
    clock = Clock(tmp_path / "clock")
    command = [sys.executable, "-c", WAITS]
    with subprocess.Popen(command, stdout=subprocess.PIPE, env={**os.environ, **clock.environment}) as waits:
        assert waits.stdout
        patience = threading.Timer(PATIENCE, waits.kill)
        patience.start()
        try:
            for hours in (1, -1, -1, 1):
                told = list(itertools.islice(waits.stdout, 20))  # it looks at its clock every second
                clock.jump(hours * 3600)
                assert told == [b"False\n"] * 20
            assert list(itertools.islice(waits.stdout, 30)) == [b"False\n"] * 30
        finally:
            patience.cancel()
            waits.kill()
