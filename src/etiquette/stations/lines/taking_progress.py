"""How far files that are being taken in have been read: a long document takes a minute, and a page shows how far it is.
Nothing of it outlives the request that reads."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from pydantic import BaseModel


class Reached(BaseModel):
    """So many of the `pages` of the file `name` have been read; of 0 pages: not known yet."""

    name: str = ""
    page: int = 0
    pages: int = 0


class Takings:
    """What requests that take art in have reached, by the key that their page made up."""

    def __init__(self) -> None:
        self._reached: dict[str, Reached] = {}

    @contextmanager
    def under(self, key: str | None) -> Iterator[Callable[[Reached], None]]:
        """Gives what is told of each page while a file is read; forgotten at the end, however it ends."""

        def tell(reached: Reached) -> None:
            if key:
                self._reached[key] = reached

        try:
            yield tell
        finally:
            self._reached.pop(key or "", None)

    def of(self, key: str) -> Reached:
        return self._reached.get(key, Reached())
