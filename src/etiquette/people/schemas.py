"""What people and tokens look like in requests and answers."""

from datetime import UTC, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from etiquette.people import links
from etiquette.people.passwords import MOST
from etiquette.people.rights import OF_TOKENS, Role
from etiquette.stations.schemas import Asked

Name = Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
Typed = Annotated[str, StringConstraints(max_length=MOST)]
"""A secret as somebody typed it."""
Key = Annotated[str, StringConstraints(min_length=10, max_length=100)]
TokenRight = Literal["SEE", "BOOKS", "PREPARE", "PRINT", "CUT", "KEEP"]
assert set(TokenRight.__args__) == {right.name for right in OF_TOKENS}  # type: ignore[attr-defined]


def told_at(at: datetime | None) -> datetime | None:
    return at.replace(tzinfo=UTC) if at else None


class StartShown(BaseModel):
    """Before anybody is signed in. `owner`: somebody can sign in by a password."""

    owner: bool


class SignInAsked(Asked):
    name: Name
    password: Typed
    code: Annotated[str, StringConstraints(max_length=12)] | None = None
    shared: bool = False


class LinkAsked(Asked):
    key: Key


class LinkShown(BaseModel):
    opens: links.Opens
    name: str


class EnterAsked(LinkAsked):
    name: Annotated[str, StringConstraints(max_length=60, strip_whitespace=True)] = ""
    password: Typed = ""


class Entered(BaseModel):
    """`signed_in` False: the password is set, and a one-time code is wanted to sign in."""

    signed_in: bool


class Colleague(BaseModel):
    """Somebody who can take over at a shared screen."""

    id: int
    name: str


class Me(BaseModel):
    """Who is signed in here. `owns`: may do what is the owner's now. `must_second`: a second step has to be set up
    before anything else. `colleagues`: who may take over, at a shared screen."""

    id: int
    name: str
    role: Role
    rights: list[str]
    owns: bool
    way: str
    shared: bool
    password: bool
    second: bool
    must_second: bool
    pin: bool
    badge: bool
    demo: bool
    colleagues: list[Colleague]


class PasswordAsked(Asked):
    former: Typed
    password: Typed


class PinAsked(Asked):
    """None: no PIN any more."""

    password: Typed
    pin: Annotated[str, StringConstraints(max_length=12)] | None


class Confirmed(Asked):
    password: Typed


class BadgeShown(BaseModel):
    """Told once. `picture`: the code as SVG, to be printed."""

    code: str
    picture: str


class SecondShown(BaseModel):
    """Told once: what an authenticator is to be given."""

    secret: str
    address: str
    picture: str


class SecondAsked(Asked):
    secret: Annotated[str, StringConstraints(min_length=16, max_length=64)]
    code: Annotated[str, StringConstraints(max_length=12)]
    password: Typed


class ChangeAsked(Asked):
    """By the person and a PIN, or by a badge."""

    account_id: int | None = None
    pin: Annotated[str, StringConstraints(max_length=12)] = ""
    badge: Annotated[str, StringConstraints(max_length=60)] = ""


class BrowserShown(BaseModel):
    id: int
    here: bool
    way: str
    shared: bool
    address: str
    program: str
    made_at: datetime | None
    seen_at: datetime | None


class AccountShown(BaseModel):
    """What is told of an account; never its secrets. `invited`: it has no password yet."""

    id: int
    name: str
    role: Role
    invited: bool
    second: bool
    pin: bool
    badge: bool
    away: bool
    demo: bool
    signed_in: int
    seen_at: datetime | None


class AccountAsked(Asked):
    name: Name
    role: Role


class AccountChanges(Asked):
    name: Name | None = None
    role: Role | None = None
    away: bool | None = None
    second: Literal[False] | None = None
    """False: the second step is taken off; the person sets it up anew."""


class LinkMade(BaseModel):
    """Told once: the end of an address on this server, and how many days it works."""

    path: str
    days: int


class TokenAsked(Asked):
    name: Name
    rights: list[TokenRight] = Field(max_length=6)
    days: Annotated[int, Field(ge=1, le=730)]


class TokenShown(BaseModel):
    id: int
    name: str
    rights: list[TokenRight]
    made_by: str
    made_at: datetime | None
    expires_at: datetime | None
    seen_at: datetime | None


class TokenMade(BaseModel):
    """`key` is told once."""

    key: str
    token: TokenShown


class TrailEntry(BaseModel):
    """`what`: the address that was asked; `name`: what the thing is called now that it is about, where it has one."""

    id: int
    at: datetime | None
    who: str
    way: str
    did: str
    what: str
    name: str
    outcome: str
    address: str


class TrailShown(BaseModel):
    entries: list[TrailEntry]
    more: bool
