"""What a server needs of whoever does its long work."""

from typing import Protocol


class Engine(Protocol):
    def start(self) -> None: ...

    def wake(self) -> None:
        """Say that a task was submitted."""
        ...

    def stop(self) -> None: ...
