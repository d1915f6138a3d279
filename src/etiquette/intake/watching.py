"""The folders are watched: a file that rests is taken once, and ends in done/ or in refused/ with the reason."""

import hashlib
import threading
import time
from collections.abc import Callable
from concurrent.futures import CancelledError, ThreadPoolExecutor
from pathlib import Path

import structlog
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from watchfiles import watch

from etiquette.core.errors import JobError
from etiquette.core.production.file_names import read_name
from etiquette.intake import gathering, orders
from etiquette.intake.folders import DONE, REFUSED, Lying, all_folders, look, put_by
from etiquette.stations.clock import clock_of
from etiquette.stations.lines.taking_in import MOST_UPLOAD_BYTES
from etiquette.stations.shop import Shop
from etiquette.store.models import DropFolder, Order

REST_SECONDS = 2.0
"""So long size and time of a file have to stay the same: what writes it is done, also on a share."""
LOOK_MS = 1000
"""So often every folder is looked at besides: a watcher is blind on shares."""
UNREADABLE_SECONDS = 60.0
AT_ONCE = 2
AT_A_LOOK = 16
log = structlog.stdlib.get_logger(__name__)


class FolderWatch:
    """Looks at all drop folders, again and again, beside the server."""

    def __init__(self, shop: Shop, wake: Callable[[], None], clock: Callable[[], float] = time.monotonic) -> None:
        """`wake` says that a task was submitted."""
        self._shop, self._wake, self._clock = shop, wake, clock
        self._resting: dict[tuple[int, str], tuple[Lying, float]] = {}
        self._ended = threading.Event()
        self._pool = ThreadPoolExecutor(AT_ONCE, "orders")

    def start(self) -> None:
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()
        self._pool.shutdown(wait=False, cancel_futures=True)

    def _watch(self) -> None:
        while not self._ended.is_set():
            try:
                paths = self.look_at_all()
                if not paths:
                    self._ended.wait(LOOK_MS / 1000)
                    continue
                for _ in watch(*paths, recursive=False, yield_on_timeout=True, rust_timeout=LOOK_MS, debounce=200,
                               stop_event=self._ended, raise_interrupt=False):  # fmt: skip
                    if self.look_at_all() != paths:
                        break
            except (CancelledError, RuntimeError):
                if not self._ended.is_set():  # else it only ends
                    raise
            except (SQLAlchemyError, OSError) as error:  # a database or a share that is away comes back
                log.warning("folders could not be looked at", error=type(error).__name__)
                self._ended.wait(LOOK_MS / 1000)

    def look_at_all(self) -> list[Path]:
        """One look at every folder; returns those that can be watched."""
        folders = self._shop.database.within(all_folders)
        there = []
        for folder in folders:
            path = Path(folder.path)
            if self._look_at(folder, path):
                there.append(path)
            self._gather(folder)
        return there

    def _look_at(self, folder: DropFolder, path: Path) -> bool:
        seen = look(path)
        problem = seen.problem
        if not problem and seen.inside:
            problem = f"Folders inside are not looked into: {', '.join(seen.inside)[:200]}."
        if problem != folder.problem:
            self._shop.database.within(lambda session: _say(session, folder.id, problem))
        if seen.problem:
            return False
        for name in seen.links:
            self._refuse(folder, path, name, f"{name} is a link that leads elsewhere; links are not followed.", name)
        now = self._clock()
        lying = {(folder.id, one.name) for one in seen.files}
        for gone in [key for key in self._resting if key[0] == folder.id and key not in lying]:
            del self._resting[gone]
        ready = []
        for one in seen.files:
            before = self._resting.get((folder.id, one.name))
            if before is None or before[0] != one:
                self._resting[folder.id, one.name] = (one, now)
            elif now - before[1] >= REST_SECONDS:
                ready.append((one, before[1]))
        # a few at a look: the other folders are looked at in between, however many thousands lie here
        list(self._pool.map(lambda file: self._safely(folder, path, *file), ready[:AT_A_LOOK]))
        return True

    def _safely(self, folder: DropFolder, path: Path, file: Lying, since: float) -> None:
        """A file that nobody had thought of stops no other."""
        try:
            self._take(folder, path, file, since)
        except SQLAlchemyError:
            raise  # the database comes back, and the file still lies there
        except Exception:
            log.exception("a file could not be taken in", folder=folder.id, file=printable(file.name))
            why = "Etiquette could not take it in, and does not know why: its log says more."
            self._refuse(folder, path, file.name, why, str(file.mtime_ns))

    def _take(self, folder: DropFolder, path: Path, file: Lying, since: float) -> None:
        """A file that rests becomes an order, and is put by."""
        if self._ended.is_set():
            return
        try:
            if file.size > MOST_UPLOAD_BYTES:
                self._refuse(folder, path, file.name, "The file is larger than 400 MB.", f"{file.size} {file.mtime_ns}")
                return
            content = (path / file.name).read_bytes()
        except OSError as error:
            if self._clock() - since > UNREADABLE_SECONDS:
                self._refuse(folder, path, file.name, f"It cannot be read: {error.strerror}.", str(file.mtime_ns))
            return
        sha = hashlib.sha256(content).hexdigest()
        key = f"folder {folder.id}, {hashlib.sha256(file.name.encode(errors='replace')).hexdigest()[:24]}, {sha}"
        before = self._shop.database.within(lambda session: orders.known(session, key))
        if before is not None and before.put_by:
            why = f"The same file came on {before.at:%-d %b %Y at %H:%M}. To order it again, give it another name."
            self._put_by(folder, path, file.name, REFUSED, why)
            return
        try:
            name = printable(file.name)
            wished = orders.Wished(
                read_name(folder.pattern, name.rsplit(".", 1)[0]), recipe_id=folder.recipe_id, folder_id=folder.id
            )
            made = orders.take(self._shop, key, name, content, wished)
        except JobError as error:
            self._refuse(folder, path, file.name, f"{error.what} {error.do}".strip(), sha)
            return
        self._wake()
        if self._put_by(folder, path, file.name, DONE):
            self._shop.database.within(lambda session: setattr(session.get_one(Order, made), "put_by", True))

    def _refuse(self, folder: DropFolder, path: Path, name: str, why: str, mark: str) -> None:
        digest = hashlib.sha256(f"{name} {mark} {self._clock()}".encode(errors="replace")).hexdigest()[:24]
        if self._put_by(folder, path, name, REFUSED, why):
            orders.refused(self._shop, f"refused {folder.id}, {digest}", printable(name), folder.id, why)

    def _put_by(self, folder: DropFolder, path: Path, name: str, where: str, why: str = "") -> bool:
        try:
            put_by(path, name, where, why)
        except OSError as error:
            problem = f"{printable(name)} cannot be put into {where}/: {error.strerror or error}."[:300]
            self._shop.database.within(lambda session: _say(session, folder.id, problem))
            return False
        self._resting.pop((folder.id, name), None)
        return True

    def _gather(self, folder: DropFolder) -> None:
        """The run of what waits, when it is time."""

        def begun(session: Session) -> bool:
            return gathering.begin(session, folder.id, clock_of(session).time())

        if self._shop.database.within(begun):
            self._wake()


def printable(name: str) -> str:
    """A name as it can be kept and shown: some systems give names that are no text."""
    return name.encode("utf-8", "replace").decode()


def _say(session: Session, folder_id: int, problem: str) -> None:
    row = session.scalar(select(DropFolder).where(DropFolder.id == folder_id))
    if row is not None:
        row.problem = problem[:300]
