"""The engine that needs nothing installed: worker processes on this machine, started by `forkserver`."""

import multiprocessing
import os
import signal
import threading
import time
from multiprocessing.context import ForkServerContext, ForkServerProcess
from multiprocessing.synchronize import Semaphore

from etiquette.settings import Settings

WORKERS = 2
IDLE_LOOK_SECONDS = 1.0
"""A worker is woken when a task is submitted; this look is for tasks whose lease ran out."""


class LocalEngine:
    """Keeps WORKERS processes at work, and starts another when one has ended."""

    def __init__(self, settings: Settings, database_url: str) -> None:
        self._context: ForkServerContext = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(["etiquette.work.preload"])
        self._wake: Semaphore = self._context.Semaphore(0)
        self._settings, self._url = settings, database_url
        self._workers: list[ForkServerProcess] = []
        self._ended = threading.Event()

    def start(self) -> None:
        self._workers = [self._new() for _ in range(WORKERS)]
        threading.Thread(target=self._tend, daemon=True).start()

    def wake(self) -> None:
        """Say that a task was submitted."""
        self._wake.release()

    def stop(self) -> None:
        self._ended.set()
        for worker in self._workers:
            worker.terminate()
        for worker in self._workers:
            worker.join(5)
            if worker.is_alive():
                worker.kill()

    def _new(self) -> ForkServerProcess:
        worker = self._context.Process(
            target=_work, args=(self._settings, self._url, self._wake, os.getpid()), daemon=True
        )
        worker.start()
        return worker

    def _tend(self) -> None:
        while not self._ended.wait(1.0):
            self._workers = [worker if worker.is_alive() else self._new() for worker in self._workers]


def _work(settings: Settings, url: str, wake: Semaphore, server: int) -> None:
    """The life of one worker process; it ends when the web server that started it is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with, args=(server,), daemon=True).start()
    from etiquette.stations.shop import Shop
    from etiquette.work.tasks import Worker

    shop = Shop.opened(settings, url)
    worker = Worker(shop.database, shop)
    while True:
        if not worker.run_one():
            wake.acquire(timeout=IDLE_LOOK_SECONDS)


def _end_with(server: int) -> None:
    # workers are children of the fork server, so the kernel cannot tell them that the web server has died
    while True:
        try:
            os.kill(server, 0)
        except ProcessLookupError:
            os._exit(0)
        time.sleep(0.5)
