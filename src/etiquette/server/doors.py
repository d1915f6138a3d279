"""Who asks: every request for data passes here, before anything of its body is read. Nobody without a sign-in or a
token gets past, but to sign in."""

from functools import partial

from sqlalchemy.exc import OperationalError
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.requests import HTTPConnection, Request
from starlette.responses import Response
from starlette.types import ASGIApp, Receive, Scope, Send

from etiquette.people import sign_in, tokens
from etiquette.people.rights import NotSignedIn, Person
from etiquette.server.problems import AWAY, problem
from etiquette.stations.shop import Shop

OPEN = frozenset({"/api/people/start", "/api/people/sign-in", "/api/people/link", "/api/people/enter"})
"""What is asked before anybody is known."""
MOST_OPEN_BYTES = 16 << 10
"""Of such a request: a name and a password are short."""
DATA = ("/api/", "/metrics")
SAFE = ("GET", "HEAD")
NOBODY = "Nobody is signed in here."


class Doors:
    """Puts the person who asks into the request, or refuses it."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith(DATA):
            await self._app(scope, receive, send)
            return
        refused = await self._refused(scope)
        await (refused or self._app)(scope, receive, send)

    async def _refused(self, scope: Scope) -> Response | None:
        headers, is_open = Headers(scope=scope), scope["path"] in OPEN
        try:
            person = await run_in_threadpool(partial(known, HTTPConnection(scope)))
        except OperationalError:
            return problem(503, *AWAY)
        scope.setdefault("state", {})["person"] = person
        length = headers.get("content-length", "" if scope["method"] not in SAFE else "0")
        if is_open and not (length.isdigit() and int(length) <= MOST_OPEN_BYTES):
            return problem(413, "This is more than a name and a password.", "request", "Reload the page.")
        if person is None:
            return None if is_open else problem(401, NOBODY, "sign-in", "Sign in.")
        by_page = person.sign_in_id is not None
        if by_page and scope["method"] not in SAFE and not ("origin" in headers or "sec-fetch-site" in headers):
            # a browser tells of every change which page it comes from; the guards have looked at what it says
            return problem(
                403,
                "A change has to say which page it comes from.",
                "Origin",
                "Programs of yours show a token instead of a page's sign-in.",
            )
        return None


def cookie_name(connection: HTTPConnection) -> str:
    """The name under which a browser keeps its sign-in: bound to this host where the way is encrypted; else by port,
    because several on one machine share their cookies."""
    if connection.url.scheme == "https":
        return "__Host-etiquette"
    return f"etiquette_{(connection.scope.get('server') or ('', 0))[1]}"


def known(connection: HTTPConnection) -> Person | None:
    """Who asks, by the token or the sign-in that is shown."""
    shop: Shop = connection.app.state.shop
    kind, _, key = connection.headers.get("authorization", "").partition(" ")
    if kind.lower() == "bearer":
        return shop.database.within(lambda session: tokens.person_of(session, key.strip()))
    cookie = connection.cookies.get(cookie_name(connection))
    if cookie is None:
        return None
    off = shop.settings.network.off_loopback
    return shop.database.within(lambda session: sign_in.person_of(session, cookie, off))


def person_of(request: Request) -> Person:
    """Who asks. Raises NotSignedIn."""
    person: Person | None = getattr(request.state, "person", None)
    if person is None:
        raise NotSignedIn(NOBODY, "sign-in", "Sign in.")
    return person


def where_of(request: Request) -> sign_in.Where:
    return sign_in.Where(request.client.host if request.client else "", request.headers.get("user-agent", ""))
