"""Ports: taken by whoever will listen there, never looked for and then lost."""

import errno
import socket

TRIES = 200


def listening(wanted: int, host: str = "127.0.0.1") -> socket.socket:
    """A socket that listens on the first free port of `host` from `wanted` on (0: any). Raises OSError when TRIES ports
    in a row are taken, or `host` is no address of this machine."""
    for port in range(wanted, wanted + TRIES):
        made = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            made.bind((host, port))
        except OSError as error:
            made.close()
            if error.errno not in (errno.EADDRINUSE, errno.EACCES):
                raise
            continue
        made.listen(256)
        return made
    raise OSError(f"No free port between {wanted} and {wanted + TRIES}.")
