"""What every request passes: the right host, the right origin, and headers that keep a page to itself."""

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

CSP = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
"""Styles set by scripts (positions of things on the canvas) need 'unsafe-inline' for styles; scripts never do."""
LOCAL = {"127.0.0.1", "localhost", "[::1]"}


class Guards:
    """Refuses requests for another host (DNS rebinding) or from a page of another origin, and adds the headers."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        origin = headers.get("origin")
        if _name(host) not in LOCAL:
            await self._refuse("Etiquette answers on this machine's own address only.", scope, receive, send)
        elif (origin is not None and origin not in (f"http://{host}", f"https://{host}")) or _from_elsewhere(headers):
            await self._refuse("A page from elsewhere may not talk to Etiquette.", scope, receive, send)
        else:
            await self._app(scope, receive, _with_headers(send))

    async def _refuse(self, words: str, scope: Scope, receive: Receive, send: Send) -> None:
        body = {
            "type": "about:blank",
            "title": words,
            "status": 403,
            "where": "request",
            "do": "Open the address that ./start printed.",
        }
        await JSONResponse(body, 403, media_type="application/problem+json")(scope, receive, _with_headers(send))


def _from_elsewhere(headers: Headers) -> bool:
    """What the browser says of who asks (W3C Fetch Metadata Request Headers): a page of another site may open Etiquette as a
    page by a link, and nothing else. Programs that are no browsers say nothing."""
    if headers.get("sec-fetch-site", "same-origin") in ("same-origin", "none"):
        return False
    return not (headers.get("sec-fetch-mode") == "navigate" and headers.get("sec-fetch-dest") == "document")


def _name(host: str) -> str:
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host


def _with_headers(send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            headers["Content-Security-Policy"] = CSP
            headers["X-Content-Type-Options"] = "nosniff"
            headers["Referrer-Policy"] = "no-referrer"
            headers["Cross-Origin-Resource-Policy"] = "same-origin"
        await send(message)

    return sending
