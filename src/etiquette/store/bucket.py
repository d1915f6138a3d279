"""The same files in a bucket (S3) that several machines share: each keeps what it has used lately beside it. Where the
bucket is and who may, the usual variables of its protocol say (AWS_ENDPOINT_URL, AWS_ACCESS_KEY_ID and so on)."""

import os
import tempfile
import time
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import IO, Any

import fsspec

from etiquette.store.blobs import Blobs, Lying, hash_of, not_there

MOST_BESIDE_BYTES = 20 << 30
"""So much is kept beside each machine; what was not used for longest goes first."""
IN_USE_SECONDS = 3600.0
"""What was asked for within so long is not taken away."""


class BucketBlobs(Blobs):
    """A file is in the bucket before any row names it; what lies in `directory` may be lost at any time."""

    def __init__(self, directory: Path, url: str) -> None:
        super().__init__(directory)
        self._url = url.rstrip("/")

    @cached_property
    def _files(self) -> tuple[Any, str]:
        """The bucket and where in it: of each process its own, made when it is first needed."""
        made: tuple[Any, str] = fsspec.url_to_fs(self._url, use_listings_cache=False)
        return made

    def _key(self, sha256: str) -> str:
        return f"{self._files[1]}/{sha256[:2]}/{sha256}"

    def has(self, sha256: str) -> bool:
        return bool(self._files[0].exists(self._key(sha256)))

    def path(self, sha256: str) -> Path:
        """Where it lies on this machine: fetched, if it did not. What came is looked at: a damaged one counts as gone.
        Raises NotThere."""
        place = self.place(sha256)
        if not place.exists() and not self._fetched(sha256, place):
            raise not_there(sha256)
        os.utime(place)
        return place

    def _fetched(self, sha256: str, place: Path) -> bool:
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=self._unfinished)
        os.close(handle)
        try:
            self._files[0].get_file(self._key(sha256), name)
            if hash_of(Path(name)) != sha256:
                return False
            os.replace(name, place)
        except FileNotFoundError:
            return False
        finally:
            Path(name).unlink(missing_ok=True)
        return True

    def _store(self, sha256: str, content: bytes) -> None:
        super()._store(sha256, content)
        self._send(sha256)

    def keep(self, sha256: str, source: IO[bytes]) -> None:
        super().keep(sha256, source)
        self._send(sha256)

    def _send(self, sha256: str) -> None:
        self._files[0].put_file(str(self.place(sha256)), self._key(sha256))

    def drop(self, sha256: str) -> int:
        """From the bucket, and beside this machine; beside others it goes when it was not used for longest."""
        super().drop(sha256)
        files, key = self._files[0], self._key(sha256)
        try:
            size = int(files.size(key) or 0)
            files.rm_file(key)
        except FileNotFoundError:
            return 0
        return size

    def lying(self) -> Iterator[Lying]:
        files, root = self._files
        for told in files.find(root, detail=True).values():
            yield Lying(told["name"].rpartition("/")[2], int(told["size"]), told["LastModified"].timestamp())

    def trim(self, most_bytes: int = MOST_BESIDE_BYTES) -> int:
        """Take away what lies beside this machine beyond so much. Returns how many files went."""
        beside = []
        for folder in self._directory.glob("[0-9a-f][0-9a-f]"):
            for file in folder.iterdir():
                told = file.stat()
                beside.append((told.st_mtime, told.st_size, file))
        over, gone = sum(size for _, size, _ in beside) - most_bytes, 0
        for used, size, file in sorted(beside):
            if over <= 0 or used > time.time() - IN_USE_SECONDS:
                break
            file.unlink(missing_ok=True)
            over, gone = over - size, gone + 1
        return gone
