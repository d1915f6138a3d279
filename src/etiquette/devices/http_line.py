"""One exchange over HTTP with a machine: connected or not there, answered or broken off, and always closed."""

import http.client
import ssl
from collections.abc import Iterator
from contextlib import contextmanager

from etiquette.devices.contracts import LineBroken, Unreachable


@contextmanager
def connected(name: str, connection: http.client.HTTPConnection) -> Iterator[http.client.HTTPConnection]:
    """`connection` to the machine called `name`, opened for the block. Raises Unreachable before it, LineBroken for
    what breaks in it."""
    try:
        try:
            connection.connect()
        except ssl.SSLError:
            raise Unreachable(
                f"{name} makes no secure line.", name, "Write its address without the s, or give it a certificate."
            ) from None
        except OSError:
            what = f"{name} is not listening."
            raise Unreachable(what, name, "Switch it on, check its cable, and try again.") from None
        try:
            yield connection
        except (OSError, http.client.HTTPException):
            raise LineBroken(f"{name} stopped answering.", name, "Look at the machine, then try again.") from None
    finally:
        connection.close()
