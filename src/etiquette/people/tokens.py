"""Tokens: what other systems of the shop show, with their own few rights and an end."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.people.keys import digest, new_key
from etiquette.people.rights import OF_TOKENS, Person, Right
from etiquette.store.models.base import now
from etiquette.store.models.people import ShopToken

PREFIX = "etq_"
"""So that one that lies about where it should not is known for what it is."""
SEEN_AGAIN = timedelta(minutes=5)


def add(
    session: Session, name: str, rights: Sequence[Right], days: int, at: datetime | None = None
) -> tuple[ShopToken, str]:
    """A new token and what it is; that is told this once."""
    key, at = PREFIX + new_key(), at or now()
    kept = [right for right in OF_TOKENS if right in rights]
    expires = at + timedelta(days=days)
    made = ShopToken(
        name=name, token_sha=digest(key), rights=",".join(one.name for one in kept), made_at=at, expires_at=expires
    )
    session.add(made)
    session.flush()
    return made, key


def rights_of(token: ShopToken) -> list[Right]:
    return [Right[name] for name in token.rights.split(",") if name]


def all_of(session: Session) -> Sequence[ShopToken]:
    return session.scalars(select(ShopToken).order_by(ShopToken.name)).all()


def end(session: Session, token_id: int) -> None:
    """Raises NotThere."""
    token = session.get(ShopToken, token_id)
    if token is None:
        raise NotThere("This token is gone.", f"token {token_id}", "Reload the page.")
    session.delete(token)


def person_of(session: Session, key: str, at: datetime | None = None) -> Person | None:
    """Who shows `key`; None: it is none, or is over."""
    at = at or now()
    token = session.scalars(select(ShopToken).where(ShopToken.token_sha == digest(key))).first()
    if token is None or token.expires_at <= at:
        return None
    if token.seen_at is None or at - token.seen_at > SEEN_AGAIN:
        token.seen_at = at
    return Person(token.name, frozenset({Right.SEE, *rights_of(token)}), f"token {token.name}")
