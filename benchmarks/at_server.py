"""A request at the server, without a client that puts it together and takes the answer apart in the same process."""

import time

from starlette.types import ASGIApp, Message

from tests.signed_in import COOKIE


async def asked(app: ASGIApp, path: str, key: str) -> tuple[float, int]:
    """Milliseconds and bytes of one GET by the page that has `key`; `path` may have a query."""
    plain, _, query = path.partition("?")
    scope = {
        "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": "GET", "scheme": "http",
        "path": plain, "raw_path": plain.encode(), "query_string": query.encode(),
        "headers": [(b"host", b"127.0.0.1:8700"), (b"cookie", f"{COOKIE}={key}".encode())],
        "server": ("127.0.0.1", 8700), "client": ("127.0.0.1", 40000),
    }  # fmt: skip
    sent = 0

    async def receive() -> Message:
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message: Message) -> None:
        nonlocal sent
        assert message.get("status", 200) == 200, path
        sent += len(message.get("body", b""))

    begun = time.perf_counter()
    await app(scope, receive, send)
    return 1000 * (time.perf_counter() - begun), sent
