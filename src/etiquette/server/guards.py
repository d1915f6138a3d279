"""What every request passes: the right host, the right origin, and headers that keep a page to itself."""

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from etiquette.server.problems import problem
from etiquette.settings import Network

CSP = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src "
    "'self'; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
"""Styles set by scripts (positions of things on the canvas) need 'unsafe-inline' for styles; scripts never do."""
MOST_UPLOAD_BYTES = 420 << 20
"""Of one request with files: as much as the largest file may have, and what is written round it."""
MOST_TEXT_BYTES = 64 << 20
"""A Shelf with its colour profiles in it."""
TOO_LARGE = "This is more than Etiquette takes at a time: 400 MB of files."
YEAR_SECONDS = 365 * 24 * 3600
LOCAL = {"127.0.0.1", "localhost", "[::1]"}


class Guards:
    """Refuses requests for another host (DNS rebinding) or from a page of another origin, and adds the headers."""

    def __init__(self, app: ASGIApp, network: Network) -> None:
        self._app = app
        self._hosts = LOCAL | {_name(name.lower()) for name in (network.host, *network.names)} - {"0.0.0.0", ":"}
        self._encrypted = network.off_loopback

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        origin = headers.get("origin")
        if _name(host.lower()) not in self._hosts:
            await self._refuse(f"Etiquette does not answer to the name {_name(host)[:80]}.", scope, receive, send)
        elif self._encrypted and scope["scheme"] != "https":
            await self._refuse("Etiquette answers encrypted requests only.", scope, receive, send)
        elif (origin is not None and origin not in (f"http://{host}", f"https://{host}")) or _from_elsewhere(headers):
            await self._refuse("A page from elsewhere may not talk to Etiquette.", scope, receive, send)
        else:
            body = _Body(receive, _most_bytes(headers))
            if body.declared_too_large(headers):
                await self._too_large(scope, receive, send)
                return
            await self._app(scope, body, _with_headers(send, scope["scheme"] == "https"))

    async def _too_large(self, scope: Scope, receive: Receive, send: Send) -> None:
        answer = problem(
            413,
            TOO_LARGE,
            "request",
            "Send fewer files at a time, or smaller ones: 300 pixels an inch at the printed size is plenty.",
        )
        await answer(scope, receive, _with_headers(send))

    async def _refuse(self, words: str, scope: Scope, receive: Receive, send: Send) -> None:
        answer = problem(403, words, "request", "Open the address that was printed at the start.")
        await answer(scope, receive, _with_headers(send))


def _from_elsewhere(headers: Headers) -> bool:
    """What the browser says of who asks (W3C Fetch Metadata Request Headers): a page of another site may open Etiquette
    as a page by a link, and nothing else. Programs that are no browsers say nothing."""
    if headers.get("sec-fetch-site", "same-origin") in ("same-origin", "none"):
        return False
    return not (headers.get("sec-fetch-mode") == "navigate" and headers.get("sec-fetch-dest") == "document")


def _most_bytes(headers: Headers) -> int:
    return MOST_UPLOAD_BYTES if headers.get("content-type", "").startswith("multipart/") else MOST_TEXT_BYTES


class _Body:
    """What comes in, counted while it comes: nothing that is too large is spooled to disk first."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most, self._came = receive, most, 0

    def declared_too_large(self, headers: Headers) -> bool:
        length = headers.get("content-length", "0")
        return length.isdigit() and int(length) > self._most

    async def __call__(self) -> Message:
        message = await self._receive()
        self._came += len(message.get("body", b""))
        if self._came > self._most:  # it did not say how long it is
            raise HTTPException(413, TOO_LARGE)
        return message


def _name(host: str) -> str:
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host


def _with_headers(send: Send, encrypted: bool = False) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            headers["Content-Security-Policy"] = CSP
            headers["X-Content-Type-Options"] = "nosniff"
            headers["Referrer-Policy"] = "no-referrer"
            headers["Cross-Origin-Resource-Policy"] = "same-origin"
            headers["Cross-Origin-Opener-Policy"] = "same-origin"
            if encrypted:
                headers["Strict-Transport-Security"] = f"max-age={YEAR_SECONDS}"
        await send(message)

    return sending
