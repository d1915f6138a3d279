"""How the simulated devices talk: one JSON object a line over TCP, on loopback; one answer a request."""

import json
import socketserver
import sys
import traceback
from collections.abc import Callable
from typing import Any

Handler = Callable[[dict[str, Any]], dict[str, Any]]


class Refused(Exception):
    """The device cannot do what was asked; the message says why."""


class Dropped(Exception):
    """The line is cut after so many bytes of the answer."""

    def __init__(self, answer: dict[str, Any], after: int) -> None:
        super().__init__("the line was cut")
        self.answer, self.after = answer, after


def serve(port: int, handle: Handler) -> None:
    """Answer requests on 127.0.0.1:`port` until the process ends."""

    class Connection(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            for line in self.rfile:
                try:
                    answer = handle(json.loads(line))
                except Refused as error:
                    answer = {"error": str(error)}
                except Dropped as cut:
                    self.wfile.write((json.dumps(cut.answer).encode() + b"\n")[: cut.after])
                    self.wfile.flush()
                    return
                except Exception as error:  # a device never falls over because of one request; it says so and logs it
                    traceback.print_exc(file=sys.stderr)
                    answer = {"error": f"The device failed: {error!r}"}
                self.wfile.write(json.dumps(answer).encode() + b"\n")
                self.wfile.flush()

    class Server(socketserver.ThreadingTCPServer):
        allow_reuse_address = True
        daemon_threads = True

    with Server(("127.0.0.1", port), Connection) as server:
        server.serve_forever(poll_interval=0.2)
