"""The engine that needs nothing installed: worker processes on this machine, started by `forkserver`."""

import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.context import ForkServerProcess

import structlog
from sqlalchemy.exc import SQLAlchemyError

from etiquette.sandbox.door import FORK
from etiquette.store.database import Database
from etiquette.tasks.bell import Bell
from etiquette.tasks.ending import ENDING, end_when_told
from etiquette.tasks.task import Context
from etiquette.tasks.work import Lane, Worker

LANES: tuple[Lane, ...] = ("computing", "computing", "devices")
"""A process each: a cut and a print at once keep no line from being found."""
DEVICE_THREADS = 8
"""Machines mostly wait, so one process tends them all, with a thread for each that moves."""
log = structlog.stdlib.get_logger(__name__)
PUT_AWAY_SECONDS = 600.0
"""A worker that has worked and had nothing to do for so long ends, and what it had imported with it."""
COMPUTING_SECONDS, STAND_SECONDS = 5.0, 60.0
"""So long a process may take to end when the server does: to lay down what it computes, to bring a machine to where it
can stand."""
IDLE_LOOK_SECONDS = 1.0
"""A worker is woken when a task is submitted; this look is for tasks whose worker is lost."""
FURTHER_LOOK_SECONDS = 30.0
"""The same for the threads of a process beyond its first."""
LAID_DOWN_LOOK_SECONDS = 0.05
"""While the server ends, for what other threads still have in hand."""


class LocalEngine:
    """Keeps a process at work for each of LANES, and starts another when one has ended."""

    def __init__(self, opened: Callable[[], tuple[Database, Context]], preload: str) -> None:
        """`opened` is called in every worker for its database and what its tasks are given; `preload` is the module
        that the fork server imports first."""
        FORK.set_forkserver_preload([preload])
        self._bells: dict[Lane, Bell] = {lane: Bell() for lane in LANES}
        self._opened = opened
        self._workers: list[ForkServerProcess] = []
        self._ended = threading.Event()

    def start(self) -> None:
        self._workers = [self._new(lane) for lane in LANES]
        threading.Thread(target=self._tend, daemon=True).start()

    def wake(self) -> None:
        """Say that a task was submitted."""
        for one in self._bells.values():
            one.ring()

    def stop(self) -> None:
        """Work that computes goes back into the queue, a machine that moves is brought to where it can stand."""
        self._ended.set()
        for worker in self._workers:
            worker.terminate()
        deadline = time.monotonic() + STAND_SECONDS
        for worker, lane in zip(self._workers, LANES, strict=True):
            worker.join(max(0.0, deadline - time.monotonic()) if lane == "devices" else COMPUTING_SECONDS)
            if worker.is_alive():
                log.warning("a worker was ended in the middle of its work", lane=lane)
                worker.kill()

    def _new(self, lane: Lane) -> ForkServerProcess:
        # not a daemon: it asks the same fork server for readers. It ends with the web server all the same (_end_with)
        worker = FORK.Process(target=_work, args=(self._opened, lane, self._bells[lane], os.getpid()))
        worker.start()
        return worker

    def _tend(self) -> None:
        while not self._ended.wait(1.0):
            self._workers = [
                worker if worker.is_alive() or self._ended.is_set() else self._new(lane)
                for worker, lane in zip(self._workers, LANES, strict=True)
            ]


def _work(opened: Callable[[], tuple[Database, Context]], lane: Lane, bell: Bell, server: int) -> None:
    """The life of one worker process; it ends when the web server that started it is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_when_told()
    threading.Thread(target=_end_with, args=(server,), daemon=True).start()
    hands = _Hands(Worker(*opened(), lane), bell)
    if lane == "devices":
        hands.get_help(FURTHER_LOOK_SECONDS)
    hands.work(IDLE_LOOK_SECONDS)


def move_machines(worker: Worker) -> None:
    """The life of a process that moves machines for servers that are elsewhere, until SIGTERM: nobody wakes it, so it
    looks often."""
    end_when_told()
    hands = _Hands(worker, Bell(), stays=True)
    hands.get_help(IDLE_LOOK_SECONDS)
    hands.work(IDLE_LOOK_SECONDS)


class _Hands:
    """What the threads of a worker process share: the queue they work off, and how many are at work."""

    def __init__(self, worker: Worker, bell: Bell, stays: bool = False) -> None:
        """`stays`: the process is not put away."""
        self._worker, self._bell, self._stays = worker, bell, stays
        self._lock = threading.Lock()
        self._busy, self._worked = 0, 0.0

    def get_help(self, look_seconds: float) -> None:
        """Further threads: machines mostly wait."""
        for _ in range(DEVICE_THREADS - 1):
            threading.Thread(target=self.work, args=(look_seconds,), daemon=True).start()

    def work(self, look_seconds: float) -> None:
        """Until nothing was to do for so long that the process is put away, or the server ends and all of its threads
        have laid down their work."""
        while not self._is_done():
            with self._at_work():  # from here on the end waits for it
                ends = ENDING.is_set()
                worked = not ends and self._run_one()
            if ends:
                time.sleep(LAID_DOWN_LOOK_SECONDS)
            elif not worked:
                self._bell.wait(look_seconds)

    def _run_one(self) -> bool:
        try:
            worked = self._worker.run_one()
        except SQLAlchemyError as error:  # a database that is away comes back
            log.warning("a worker could not look for work", error=type(error).__name__)
            return False
        if worked:
            self._worked = time.monotonic()
        return worked

    @contextmanager
    def _at_work(self) -> Iterator[None]:
        with self._lock:
            self._busy += 1
        try:
            yield
        finally:
            with self._lock:
                self._busy -= 1

    def _is_done(self) -> bool:
        if self._busy:
            return False
        idle = bool(self._worked) and time.monotonic() - self._worked > PUT_AWAY_SECONDS
        return ENDING.is_set() or (idle and not self._stays)


def _end_with(server: int) -> None:
    # workers are children of the fork server, so the kernel cannot tell them that the web server has died
    while True:
        try:
            os.kill(server, 0)
        except ProcessLookupError:
            os._exit(0)
        time.sleep(0.5)
