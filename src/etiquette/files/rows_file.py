"""The rows of a table as Etiquette keeps them: JSON Lines, a list of cells a line, any of which is found at once."""

import json
import mmap
from collections.abc import Iterable, Iterator
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray


def write_rows(rows: Iterable[list[str]], path: Path) -> None:
    with path.open("w", encoding="utf-8", newline="\n") as file:
        for row in rows:
            file.write(json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n")


class RowsFile:
    """Rows by number, from 1, under the names of their columns."""

    def __init__(self, path: Path, columns: list[str]) -> None:
        self._path, self._columns = path, columns

    @cached_property
    def _held(self) -> bytes | mmap.mmap:
        with self._path.open("rb") as file:
            return mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) if self._path.stat().st_size else b""

    @cached_property
    def _ends(self) -> NDArray[np.int64]:
        return np.flatnonzero(np.frombuffer(self._held, dtype=np.uint8) == ord("\n"))

    def __len__(self) -> int:
        return len(self._ends)

    def row(self, number: int) -> dict[str, str]:
        """Raises IndexError."""
        if not 1 <= number <= len(self):
            raise IndexError(number)
        first = int(self._ends[number - 2]) + 1 if number > 1 else 0
        cells = json.loads(self._held[first : int(self._ends[number - 1])])
        return dict(zip(self._columns, cells, strict=True))

    def rows(self, numbers: Iterable[int]) -> Iterator[tuple[int, dict[str, str]]]:
        for number in numbers:
            yield number, self.row(number)
