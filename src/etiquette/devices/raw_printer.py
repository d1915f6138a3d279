"""A printer that takes a file on a port and never says a word: what became of it only hands can say."""

import socket
from collections.abc import Iterator
from contextlib import contextmanager

from etiquette.core.errors import JobError
from etiquette.devices.addresses import Address
from etiquette.devices.contracts import Identity, LineBroken, Loaded, PrintJob, Progress, Status, Unreachable

CONNECT_SECONDS = 3.0
STALL_SECONDS = 60.0


class RawPrinter:
    """Driver (contracts.Printer). Asked who it is it is only connected to: whatever is written would be printed."""

    def __init__(self, name: str, address: Address) -> None:
        self._name, self._address = name, address

    def identity(self) -> Identity:
        with self._connected():
            return Identity("printer", model="raw", id=f"{self._address.host}:{self._address.port}")

    def status(self) -> Status:
        with self._connected():
            return Status("unknown")

    def loaded(self) -> tuple[Loaded, ...]:
        return ()

    def send(self, job: PrintJob) -> None:
        if len(job.documents) != 1:
            raise JobError(
                f"{self._name} takes one file a job; this run has {len(job.documents)}.",
                self._name,
                "Choose “one file” for the plates in Print, then send it again.",
            )
        with self._connected() as link:
            try:
                link.settimeout(STALL_SECONDS)
                link.sendall(job.documents[0].content)
                link.shutdown(socket.SHUT_WR)
            except OSError:
                raise LineBroken(
                    f"{self._name} closed the line.", self._name, "Look at the machine, then say what became of it."
                ) from None

    def progress(self, key: str) -> Progress:
        return Progress("unknown")

    def cancel(self, key: str) -> None:
        raise JobError(f"{self._name} cannot be told to stop.", self._name, "Stop it at its own panel.")

    @contextmanager
    def _connected(self) -> Iterator[socket.socket]:
        try:
            link = socket.create_connection((self._address.host, self._address.port), CONNECT_SECONDS)
        except OSError:
            raise Unreachable(
                f"{self._name} is not listening.", self._name, "Switch it on, check its cable, and try again."
            ) from None
        with link:
            yield link
