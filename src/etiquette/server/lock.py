"""One instance a data directory, by a lock the kernel drops when the process ends, however it ends."""

import fcntl
import os
from pathlib import Path


class AlreadyRunning(RuntimeError):
    """Another Etiquette holds this data directory."""


class InstanceLock:
    """An exclusive lock on `directory`/lock, held for as long as this object lives."""

    def __init__(self, directory: Path) -> None:
        directory.mkdir(parents=True, exist_ok=True)
        self._handle = open(directory / "lock", "a+")  # noqa: SIM115 - held open on purpose
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._handle.seek(0)
            owner = self._handle.read().strip() or "unknown"
            raise AlreadyRunning(
                f"Etiquette is already running on {directory} (process {owner}). Use that one, or end it first."
            ) from None
        self._handle.truncate(0)
        self._handle.write(str(os.getpid()))
        self._handle.flush()
