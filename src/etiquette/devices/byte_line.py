"""A line of bytes to a machine: TCP, a serial port, a serial port behind a server (RFC 2217), or a device file.

pyserial opens those that are serial. Only one at a time has the line to an address on this machine: a lock file says
who came first, and the next one waits a moment, for a lamp that is just being asked."""

import errno
import fcntl
import grp
import hashlib
import os
import select
import socket
from pathlib import Path
from time import monotonic, sleep
from typing import Protocol

import serial

from etiquette.core.errors import JobError
from etiquette.devices.addresses import Address
from etiquette.devices.contracts import LineBroken, Unreachable

CONNECT_SECONDS = 3.0
LOCKS = "/tmp/etiquette-lines"
"""Not the temporary folder of this process: the server's is another one than a command's."""
LOCK_SECONDS = 8.0
"""Longer than a lamp has the line: one to connect, one to be answered."""
WRITE_SECONDS = 60.0
"""A machine whose buffer is full takes nothing while it moves; one that takes nothing for so long has gone."""
POLL_SECONDS = 0.05
MOST_ANSWER_BYTES = 1 << 12


class _Port(Protocol):
    def read(self, size: int) -> bytes: ...
    def write(self, data: bytes) -> int | None: ...
    def close(self) -> None: ...


class ByteLine:
    """Opened by `with`. `name`: what the machine is called in sentences."""

    def __init__(self, name: str, address: Address) -> None:
        self.name, self._address = name, address
        self._port: _Port | None = None
        self._lock: int | None = None
        self._held = bytearray()
        self._piece = 256

    def __enter__(self) -> "ByteLine":
        self._take_lock()
        self.forget()  # half an answer of a line that broke is no beginning of one on this line
        try:
            self._port = self._opened()
        except BaseException:
            self._give_lock()
            raise
        return self

    def __exit__(self, *_: object) -> None:
        if self._port:
            self._port.close()
        self._give_lock()

    def write(self, data: bytes) -> None:
        """Raises LineBroken."""
        assert self._port is not None
        try:
            self._port.write(data)
        except (OSError, serial.SerialException):
            raise self._broken("takes nothing any more") from None

    def read_line(self, seconds: float, end: bytes = b"\r") -> bytes | None:
        """What comes up to `end`, without it; None when it is not there after `seconds`. Raises LineBroken."""
        assert self._port is not None
        deadline = monotonic() + seconds
        while (at := self._held.find(end)) < 0:
            if monotonic() > deadline:
                return None
            try:
                self._held += self._port.read(self._piece)
            except (OSError, serial.SerialException):
                raise self._broken("closed the line") from None
            if len(self._held) > MOST_ANSWER_BYTES:
                raise self._broken("does not come to the end of its answer")
        line = bytes(self._held[:at])
        del self._held[: at + len(end)]
        return line.strip(b"\n ")

    def forget(self) -> None:
        """Drop what came unasked."""
        self._held.clear()

    def _broken(self, how: str) -> LineBroken:
        return LineBroken(f"{self.name} {how}.", self.name, "Look at the machine, then try again.")

    def _opened(self) -> _Port:
        address = self._address
        try:
            if address.scheme == "usb":
                return _Handle(os.open(address.path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK))
            if address.scheme == "socket":
                # not pyserial's, which waits 0.3 s when it is closed
                link = socket.create_connection((address.host, address.port), CONNECT_SECONDS)
                link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                link.setblocking(False)
                return _Handle(link.detach())
            self._piece = 1  # of more, pyserial waits until all of them are there
            if address.scheme == "serial":
                flow = address.options["flow"]
                return serial.Serial(  # type: ignore[no-any-return]
                    address.path,
                    int(address.options["baud"]),
                    xonxoff=flow == "xonxoff",
                    rtscts=flow == "rtscts",
                    timeout=POLL_SECONDS,
                    write_timeout=WRITE_SECONDS,
                )
            url = f"rfc2217://{address.host}:{address.port}"
            return serial.serial_for_url(url, timeout=POLL_SECONDS)  # type: ignore[no-any-return]
        except (OSError, ValueError, serial.SerialException) as error:
            raise self._unreachable(error) from None

    def _unreachable(self, error: Exception) -> JobError:
        if _errno(error) == errno.EACCES:
            try:
                group = grp.getgrgid(os.stat(self._address.path).st_gid).gr_name
            except (OSError, KeyError):
                group = "dialout"
            return JobError(
                f"Etiquette may not open {self._address.path}.",
                self.name,
                f"Add the user it runs as to the group {group}, then sign in anew and start it again.",
            )
        return Unreachable(f"{self.name} is not listening.", self.name, "Switch it on, check its cable, and try again.")

    def _take_lock(self) -> None:
        folder = Path(f"{LOCKS}-{os.getuid()}")
        folder.mkdir(mode=0o700, exist_ok=True)
        name = hashlib.sha256(self._address.text.split("?")[0].encode()).hexdigest()[:24]
        self._lock = os.open(folder / f"{name}.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        deadline = monotonic() + LOCK_SECONDS
        while True:
            try:
                fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                return
            except OSError:
                if monotonic() > deadline:
                    break
                sleep(POLL_SECONDS)
        self._give_lock()
        raise JobError(
            f"The line to {self.name} is in use by another program.",
            self.name,
            "Wait until that has ended, then try again.",
        )

    def _give_lock(self) -> None:
        if self._lock is not None:
            os.close(self._lock)  # which unlocks it
            self._lock = None


def _errno(error: BaseException | None) -> int | None:
    """The system's own number of an error; pyserial wraps it."""
    while error is not None:
        if isinstance(error, OSError) and error.errno is not None:
            return error.errno
        error = error.__cause__ or error.__context__
    return None


class _Handle:
    """A connection or a device file, by its number."""

    def __init__(self, handle: int) -> None:
        self._handle = handle

    def read(self, size: int) -> bytes:
        """What is there, after a moment's waiting."""
        readable, _, _ = select.select([self._handle], [], [], POLL_SECONDS)
        if not readable:
            return b""
        data = os.read(self._handle, size)
        if not data:
            raise ConnectionResetError
        return data

    def write(self, data: bytes) -> int:
        left = memoryview(data)
        while left:
            _, writable, _ = select.select([], [self._handle], [], WRITE_SECONDS)
            if not writable:
                raise TimeoutError
            left = left[os.write(self._handle, left) :]
        return len(data)

    def close(self) -> None:
        os.close(self._handle)
