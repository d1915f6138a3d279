"""Signing in and out, and what concerns oneself."""

from fastapi import APIRouter, Request, Response

from etiquette.people import accounts, links, oneself, sign_in
from etiquette.people.rights import Person, Right
from etiquette.people.schemas import (
    BadgeShown,
    BrowserShown,
    ChangeAsked,
    Confirmed,
    EnterAsked,
    Entered,
    LinkAsked,
    LinkShown,
    Me,
    PasswordAsked,
    PinAsked,
    SecondAsked,
    SecondShown,
    SignInAsked,
    StartShown,
)
from etiquette.server.dependencies import ShopHere, for_anybody, needs, within
from etiquette.server.doors import cookie_name, person_of, where_of

router = APIRouter(prefix="/api/people", tags=["people"])
anybody, oneself_only = [for_anybody()], [needs(Right.ENTER, see=Right.ENTER)]


@router.get("/start", dependencies=anybody)
def show_start(shop: ShopHere) -> StartShown:
    return StartShown(owner=within(shop, accounts.has_owner))


@router.post("/sign-in", dependencies=anybody, status_code=204)
def sign_in_here(shop: ShopHere, request: Request, asked: SignInAsked) -> Response:
    key = sign_in.by_password(shop.database, asked.name, asked.password, asked.code, asked.shared, where_of(request))
    _leave(shop, request)
    return _keep(request, Response(status_code=204), key)


@router.post("/link", dependencies=anybody)
def look_at_link(shop: ShopHere, asked: LinkAsked) -> LinkShown:
    """What a link is for; it is not used by that."""
    found = within(shop, lambda session: links.facts(session, asked.key))
    return LinkShown(opens=found.opens, name=found.name)


@router.post("/enter", dependencies=anybody)
def enter_by_link(shop: ShopHere, request: Request, response: Response, asked: EnterAsked) -> Entered:
    key = sign_in.by_link(shop.database, asked.key, asked.name, asked.password, where_of(request))
    if key is not None:
        _leave(shop, request)
        _keep(request, response, key)
    return Entered(signed_in=key is not None)


@router.post("/sign-out", dependencies=oneself_only, status_code=204)
def sign_out(shop: ShopHere, request: Request) -> Response:
    within(shop, lambda session: sign_in.sign_out(session, person_of(request).sign_in_id))
    answer = Response(status_code=204, headers={"Clear-Site-Data": '"cache"'})
    answer.delete_cookie(cookie_name(request), path="/", httponly=True, secure=_encrypted(request))
    return answer


@router.post("/change", dependencies=oneself_only, status_code=204)
def change_person(shop: ShopHere, request: Request, asked: ChangeAsked) -> Response:
    """Somebody else works on at this shared screen."""
    key = sign_in.change_person(
        shop.database, person_of(request), asked.account_id, asked.pin, asked.badge, where_of(request)
    )
    return _keep(request, Response(status_code=204), key)


@router.get("/me", dependencies=oneself_only)
def show_me(shop: ShopHere, request: Request) -> Me:
    person, off = person_of(request), shop.settings.network.off_loopback
    return within(shop, lambda session: oneself.me(session, person, off))


@router.put("/me/password", dependencies=oneself_only, status_code=204)
def change_password(shop: ShopHere, request: Request, asked: PasswordAsked) -> Response:
    """Whoever else is signed in to the account is signed out."""
    oneself.change_password(shop.database, person_of(request), asked.former, asked.password)
    return Response(status_code=204)


@router.put("/me/pin", dependencies=oneself_only)
def change_pin(shop: ShopHere, request: Request, asked: PinAsked) -> Me:
    oneself.change_pin(shop.database, person_of(request), asked.password, asked.pin)
    return show_me(shop, request)


@router.post("/me/badge", dependencies=oneself_only)
def make_badge(shop: ShopHere, request: Request, asked: Confirmed) -> BadgeShown:
    """A new badge; the former one is of no use any more."""
    code, picture = oneself.new_badge(shop.database, person_of(request), asked.password)
    return BadgeShown(code=code, picture=picture)


@router.delete("/me/badge", dependencies=oneself_only)
def take_badge_away(shop: ShopHere, request: Request) -> Me:
    within(shop, lambda session: oneself.take_badge_away(session, person_of(request)))
    return show_me(shop, request)


@router.post("/me/second", dependencies=oneself_only)
def propose_second(request: Request) -> SecondShown:
    """A secret for an authenticator; nothing is kept until a code of it is shown."""
    secret, address, picture = oneself.propose_second(person_of(request))
    return SecondShown(secret=secret, address=address, picture=picture)


@router.put("/me/second", dependencies=oneself_only)
def keep_second(shop: ShopHere, request: Request, asked: SecondAsked) -> Me:
    oneself.keep_second(shop.database, person_of(request), asked.secret, asked.code, asked.password)
    return show_me(shop, request)


@router.post("/me/second/off", dependencies=oneself_only)
def take_second_off(shop: ShopHere, request: Request, asked: Confirmed) -> Me:
    oneself.take_second_off(shop.database, person_of(request), asked.password, shop.settings.network.off_loopback)
    return show_me(shop, request)


@router.get("/me/browsers", dependencies=oneself_only)
def list_browsers(shop: ShopHere, request: Request) -> list[BrowserShown]:
    """Where one is signed in."""
    return within(shop, lambda session: oneself.browsers(session, person_of(request)))


@router.delete("/me/browsers", dependencies=oneself_only)
def sign_out_elsewhere(shop: ShopHere, request: Request) -> list[BrowserShown]:
    """Everywhere but here."""
    person = person_of(request)
    within(shop, lambda session: accounts.sign_out_everywhere(session, person.account_id or 0, person.sign_in_id))
    return list_browsers(shop, request)


@router.delete("/me/browsers/{browser_id}", dependencies=oneself_only)
def sign_out_at(shop: ShopHere, request: Request, browser_id: int) -> list[BrowserShown]:
    """At one other browser."""
    within(shop, lambda session: oneself.sign_out_at(session, person_of(request), browser_id))
    return list_browsers(shop, request)


def _leave(shop: ShopHere, request: Request) -> None:
    """Whoever was signed in at this browser before is no more: nothing is left open that nobody sees."""
    former: Person | None = request.state.person
    if former is not None:
        within(shop, lambda session: sign_in.sign_out(session, former.sign_in_id))


def _encrypted(request: Request) -> bool:
    return request.url.scheme == "https"


def _keep(request: Request, response: Response, key: str) -> Response:
    """Let the browser keep its sign-in. It is asked of no other page, read by no script, and over at its latest as the
    server's own record of it is."""
    response.set_cookie(
        cookie_name(request),
        key,
        max_age=int(sign_in.LONGEST.total_seconds()),
        path="/",
        secure=_encrypted(request),
        httponly=True,
        samesite="lax",
    )
    response.headers["Cache-Control"] = "no-store"
    return response
