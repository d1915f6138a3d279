"""Art and outputs as files named by their SHA-256: on disk, fsynced, before any row names them."""

import hashlib
import os
import re
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere, of_disk
from etiquette.store.models import Blob


@dataclass(frozen=True)
class Lying:
    """A file that is there: its name, its size in bytes, when it was written (seconds since the epoch)."""

    sha256: str
    size: int
    written: float


class Blobs:
    """A directory of content-addressed files, two letters a folder."""

    def __init__(self, directory: Path) -> None:
        self._directory = directory
        self._unfinished = directory / "unfinished"
        self._unfinished.mkdir(parents=True, exist_ok=True)

    def path(self, sha256: str) -> Path:
        """Where it lies. Raises NotThere when it went with finished work, or was removed by hand."""
        path = self.place(sha256)
        if not path.exists():
            raise not_there(sha256)
        return path

    def has(self, sha256: str) -> bool:
        """Whether the file is there."""
        return self.place(sha256).exists()

    def place(self, sha256: str) -> Path:
        """Where on this machine it lies, or would."""
        return self._directory / sha256[:2] / sha256

    def read(self, sha256: str) -> bytes:
        return self.path(sha256).read_bytes()

    def put(self, session: Session, content: bytes, media_type: str) -> str:
        """Write `content` durably and add its row to `session`. Returns the SHA-256. Raises DiskFull, DiskUnusable."""
        sha256 = hashlib.sha256(content).hexdigest()
        # held here, it is not dropped between the look at it and what will name it
        held = select(Blob).where(Blob.sha256 == sha256).with_for_update(read=True)
        row = session.scalar(held.execution_options(populate_existing=True))
        if row is not None and row.unneeded_since is not None:
            row.unneeded_since = None
        if not self.has(sha256):
            try:
                self._store(sha256, content)
            except OSError as error:
                if told := of_disk(error):
                    raise told from error
                raise
        if row is None:
            session.add(Blob(sha256=sha256, size=len(content), media_type=media_type))
            session.flush()
        return sha256

    def _store(self, sha256: str, content: bytes) -> None:
        self._write(self.place(sha256), [content])

    def keep(self, sha256: str, source: IO[bytes]) -> None:
        """Put a file of a copy in its place. Raises ValueError when it is not what its name says."""
        if not re.fullmatch("[0-9a-f]{64}", sha256):
            raise ValueError(f"{sha256[:80]} is no name of a file")
        self._write(self.place(sha256), _pieces(source), sha256)

    def _write(self, target: Path, pieces: Iterable[bytes], expected: str | None = None) -> None:
        """Durably; nothing is at `target` before. Raises ValueError when it is not what is `expected`."""
        if not target.parent.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            _flush(self._directory)  # else a power cut could take the new folder, and what is in it
        handle, name = tempfile.mkstemp(dir=self._unfinished)
        found = hashlib.sha256()
        try:
            with os.fdopen(handle, "wb") as file:
                for piece in pieces:
                    file.write(piece)
                    if expected:
                        found.update(piece)
                file.flush()
                os.fsync(file.fileno())
            if expected and found.hexdigest() != expected:
                raise ValueError(f"the file {expected[:12]}… in it is damaged")
            os.replace(name, target)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
        _flush(target.parent)

    def drop(self, sha256: str) -> int:
        """Remove the file; its row stays. Only for who holds the row and knows that nothing needs the file. Returns the
        bytes that are free now."""
        path = self.place(sha256)
        size = path.stat().st_size if path.exists() else 0
        path.unlink(missing_ok=True)
        return size

    def lying(self) -> Iterator[Lying]:
        """All files that are there under their names."""
        for folder in sorted(self._directory.glob("[0-9a-f][0-9a-f]")):
            for file in folder.iterdir():
                told = file.stat()
                yield Lying(file.name, told.st_size, told.st_mtime)

    def trim(self) -> int:
        """Take away what lies here only to be quicker: nothing. Returns how many files went."""
        return 0

    def sweep_unfinished(self) -> int:
        """Remove what a crash left half-written; call only while nobody writes. Returns how many files went."""
        gone = 0
        for leftover in self._unfinished.iterdir():
            leftover.unlink()
            gone += 1
        return gone


def _flush(folder: Path) -> None:
    """What was made in the folder, and how it is called, is on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def not_there(sha256: str) -> NotThere:
    return NotThere(
        "This file is not there any more: it went with finished work, or somebody removed it.",
        sha256,
        "Make the print files again, or take the art in again if that is gone too.",
    )


def hash_of(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        for piece in _pieces(file):
            found.update(piece)
    return found.hexdigest()


def files_of(directory: Path, url: str | None) -> Blobs:
    """The files of a shop: in `directory`, or in the bucket at `url`."""
    if url is None:
        return Blobs(directory)
    from etiquette.store.bucket import BucketBlobs  # its protocol is large: only where there is one

    return BucketBlobs(directory, url)


def _pieces(source: IO[bytes]) -> Iterator[bytes]:
    while piece := source.read(1 << 20):
        yield piece
