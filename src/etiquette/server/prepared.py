"""How the web server hears that the database is ready for it: the supervisor starts it before, because loading what it
needs takes as long as that."""

import os
import socket

PREPARED = b"1"


def wait_for_it(handle: int) -> bool:
    """Wait for the word on the socket `handle`, and leave it there for whoever is started again. False: the supervisor
    has gone, and nothing is to be begun."""
    with socket.socket(fileno=os.dup(handle)) as hears:
        return hears.recv(1, socket.MSG_PEEK) == PREPARED
