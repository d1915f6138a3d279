"""Ports: step over those that are taken."""

import socket


def free_port(wanted: int, tries: int = 200) -> int:
    """The first free loopback port from `wanted` on. Raises OSError when `tries` ports in a row are taken."""
    for port in range(wanted, wanted + tries):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise OSError(f"No free port between {wanted} and {wanted + tries}.")
