"""Eyes over HTTP: `GET PATH/look` gives a picture of a place, its middle and scale in the head of the answer."""

from collections.abc import Callable, Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from standins.wire import Refused, beside, on_free_port

Place = tuple[float, float] | None
Look = Callable[[Place], tuple[bytes, str, tuple[float, float], float]]
"""From a place, or None for where it stands, to the picture, its kind, where its middle lies and mm a pixel."""


def serve_eyes(eyes: Mapping[str, Look], first_port: int) -> int:
    """Answer for each of `eyes` by its path on 127.0.0.1, beside the caller, on the first free port; returns it."""

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        disable_nagle_algorithm = True  # head and picture are two writes: the second would wait for an answer
        timeout = 60

        def do_GET(self) -> None:
            asked = urlsplit(self.path)
            eye = eyes.get(asked.path.removesuffix("/look"))
            query = parse_qs(asked.query)
            if eye is None or not asked.path.endswith("/look") or self.headers.get("Origin"):
                self.send_error(404)
                return
            try:
                place = (float(query["x"][0]), float(query["y"][0])) if query else None
                picture, kind, (x, y), mm_per_px = eye(place)
            except (Refused, KeyError, ValueError) as error:
                self.send_error(409, str(error)[:100].encode("ascii", "replace").decode())
                return
            self.send_response(200)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(picture)))
            self.send_header("X-Position-Mm", f"{x:.4f},{y:.4f}")
            self.send_header("X-Mm-Per-Px", f"{mm_per_px:.6f}")
            self.end_headers()
            self.wfile.write(picture)

        def log_message(self, *_: Any) -> None:
            pass

    return beside(on_free_port(ThreadingHTTPServer, Handler, first_port))
