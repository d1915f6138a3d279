"""Links that open the shop once: for its first owner, for who is invited or forgot the password, for the demo."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.people import accounts
from etiquette.people.keys import digest, new_key
from etiquette.store.models.base import now
from etiquette.store.models.people import Account, SignInLink

VALID = timedelta(days=1)
INVITED = timedelta(days=7)
DEMO_NAME = "Demo operator"
PATH = "/enter#"
"""A browser sends nothing of what stands after #: no log and no other page sees the key."""

Opens = Literal["owner", "demo", "account"]


class LinkOver(JobError):
    """A link that was used, is too old, or never was."""


@dataclass(frozen=True)
class LinkFacts:
    opens: Opens
    name: str


def new_link(session: Session, account: Account | None, valid: timedelta = VALID, at: datetime | None = None) -> str:
    """The key of a new link to `account`; None: to make the first owner. Former links to the same end."""
    key, at = new_key(), at or now()
    same = SignInLink.account_id.is_(None) if account is None else SignInLink.account_id == account.id
    session.execute(delete(SignInLink).where(same | (SignInLink.expires_at < at)))
    session.add(
        SignInLink(
            token_sha=digest(key), account_id=None if account is None else account.id, made_at=at, expires_at=at + valid
        )
    )
    return key


def link_of(session: Session, key: str, at: datetime | None = None, hold: bool = False) -> SignInLink:
    """Raises LinkOver. `hold`: nobody else uses it until the transaction ends."""
    asked = select(SignInLink).where(SignInLink.token_sha == digest(key), SignInLink.expires_at > (at or now()))
    link = session.scalars(asked.with_for_update() if hold else asked).first()
    account = None if link is None or link.account_id is None else session.get(Account, link.account_id)
    over = link is None or (account.away if account else accounts.has_owner(session))
    if link is None or over:
        raise LinkOver(
            "This link was used, or is too old.",
            "link",
            "Ask an owner for another; on the machine itself “etiquette link” makes one.",
        )
    return link


def facts(session: Session, key: str) -> LinkFacts:
    """What a link is for, without using it. Raises LinkOver."""
    link = link_of(session, key)
    if link.account_id is None:
        return LinkFacts("owner", "")
    account = accounts.account_there(session, link.account_id)
    return LinkFacts("demo" if account.demo else "account", account.name)


def first_link(session: Session, demo: bool) -> str | None:
    """The key that a start prints: to the demo's operator, or to make the first owner; None: people sign in."""
    if demo:
        held = session.scalars(select(Account).where(Account.demo)).first()
        operator = held or accounts.add(session, DEMO_NAME, "owner", demo=True)
        return None if operator.away else new_link(session, operator)
    return None if accounts.has_owner(session) else new_link(session, None)


def link_for(session: Session, name: str) -> str:
    """The key that whoever has the machine gets to the account `name`, whose second step goes; "": to the demo's
    operator or to make the first owner, while none has a password; else to the only owner. Raises JobError."""
    if not name and not accounts.has_owner(session):
        return new_link(session, session.scalars(select(Account).where(Account.demo, ~Account.away)).first())
    wanted = Account.name == name if name else Account.role == "owner"
    found = session.scalars(select(Account).where(wanted, ~Account.away)).all()
    if len(found) != 1:
        names = ", ".join(session.scalars(select(Account.name).where(~Account.away).order_by(Account.name)))
        raise JobError(f"Whose link? There are: {names}.", "name", "Give one of the names.")
    found[0].second_secret = None
    return new_link(session, found[0])
