"""Ports: taken by whoever will listen there, never looked for and then lost."""

import socket

TRIES = 200


def listening(wanted: int) -> socket.socket:
    """A socket that listens on the first free loopback port from `wanted` on (0: any). Raises OSError when TRIES ports
    in a row are taken."""
    for port in range(wanted, wanted + TRIES):
        made = socket.socket()
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            made.bind(("127.0.0.1", port))
        except OSError:
            made.close()
            continue
        made.listen(256)
        return made
    raise OSError(f"No free port between {wanted} and {wanted + TRIES}.")
