"""How the simulated devices talk: one JSON object a line over TCP, on loopback; one answer a request."""

import json
import os
import socketserver
import sys
import threading
import traceback
from collections.abc import Callable
from contextlib import suppress
from io import BufferedReader
from pathlib import Path
from typing import Any, TypeVar

TRIES = 200
MOST_REQUEST_BYTES = 64 << 20
Handler = Callable[[dict[str, Any]], dict[str, Any]]


class Refused(Exception):
    """The device cannot do what was asked; the message says why."""


def serve(first_port: int, said: Path, handle: Handler) -> None:
    """Answer requests on 127.0.0.1 until the process ends, on the port that `said` names from a former life, else on
    the first free one from `first_port` on (0: any); `said` then names it."""

    class Connection(socketserver.StreamRequestHandler):
        rfile: BufferedReader

        def handle(self) -> None:
            while True:
                if self.rfile.peek(1)[:1] != b"{":  # a web page's request, or anything else that is no question of ours
                    return
                line = self.rfile.readline(MOST_REQUEST_BYTES + 1)
                if not line.endswith(b"\n"):
                    return
                try:
                    asked = json.loads(line)
                except ValueError:
                    return
                try:
                    answer = handle(asked)
                except Refused as error:
                    answer = {"error": str(error)}
                except Exception as error:  # a device never falls over because of one request; it says so and logs it
                    traceback.print_exc(file=sys.stderr)
                    answer = {"error": f"The device failed: {error!r}"}
                self.wfile.write(json.dumps(answer).encode() + b"\n")
                self.wfile.flush()

    class Server(socketserver.ThreadingTCPServer):
        allow_reuse_address = True
        daemon_threads = True

    with on_free_port(Server, Connection, kept_port(said, first_port)) as server:
        keep_port(said, server.server_address[1])
        server.serve_forever(poll_interval=0.2)


AnyServer = TypeVar("AnyServer", bound=socketserver.TCPServer)


def on_free_port(kind: type[AnyServer], connection: type[socketserver.BaseRequestHandler], first: int) -> AnyServer:
    """A server on the first free port of 127.0.0.1 from `first` on (0: any). Raises OSError when none is free."""
    for port in range(first, first + TRIES):
        with suppress(OSError):
            return kind(("127.0.0.1", port), connection)
    raise OSError("no port is free")


def beside(server: socketserver.TCPServer) -> int:
    """Have `server` answer beside the caller, for as long as the process lives; returns its port."""
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return int(server.server_address[1])


def kept_port(said: Path, first_port: int) -> int:
    """The port that `said` names from a former life, else `first_port`."""
    return int(said.read_text()) if said.exists() else first_port


def keep_port(said: Path, port: int) -> None:
    unfinished = said.with_name(f"{said.name}.unfinished")
    unfinished.write_text(str(port))
    os.replace(unfinished, said)
