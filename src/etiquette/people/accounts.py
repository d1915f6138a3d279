"""Accounts: made, changed, put away; an owner is always left."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Select, delete, func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.people.rights import RIGHTS, Role
from etiquette.store.models.people import Account, SignIn, SignInLink


class NameTaken(JobError):
    """Two people of one name would not be told apart in records."""


class LastOwner(JobError):
    """Nobody would be left who may do what is the owner's."""


@dataclass(frozen=True)
class AccountFacts:
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


def role_of(account: Account) -> Role:
    assert account.role in RIGHTS, account.role
    return account.role


def facts(session: Session) -> list[AccountFacts]:
    """Of every account, by name."""
    counted = select(SignIn.account_id, func.count(), func.max(SignIn.seen_at)).group_by(SignIn.account_id)
    seen = {account_id: (count, at) for account_id, count, at in session.execute(counted)}
    return [_facts(one, *seen.get(one.id, (0, None))) for one in _by_name(session)]


def _facts(one: Account, signed_in: int, seen_at: datetime | None) -> AccountFacts:
    return AccountFacts(
        id=one.id,
        name=one.name,
        role=role_of(one),
        invited=one.password is None and not one.demo,
        second=one.second_secret is not None,
        pin=one.pin is not None,
        badge=one.badge_sha is not None,
        away=one.away,
        demo=one.demo,
        signed_in=signed_in,
        seen_at=seen_at,
    )


def _by_name(session: Session) -> Sequence[Account]:
    return session.scalars(select(Account).order_by(Account.name)).all()


def account_there(session: Session, account_id: int) -> Account:
    """Raises NotThere."""
    account = session.get(Account, account_id)
    if account is None:
        raise NotThere("This account is gone.", f"account {account_id}", "Reload the page.")
    return account


def has_owner(session: Session) -> bool:
    """Whether somebody can sign in as an owner by a password."""
    return session.scalars(_owners().where(Account.password.is_not(None)).limit(1)).first() is not None


def _owners() -> Select[Account]:
    return select(Account).where(Account.role == "owner", ~Account.away)


def add(session: Session, name: str, role: Role, demo: bool = False) -> Account:
    """Raises NameTaken."""
    _demand_free(session, name)
    made = Account(name=name, role=role, demo=demo)
    session.add(made)
    session.flush()
    return made


def _demand_free(session: Session, name: str) -> None:
    if session.scalars(select(Account.id).where(Account.name == name)).first() is not None:
        raise NameTaken(f"Somebody is called {name} already.", "name", "Add a letter of the family name, or another.")


def change(
    session: Session, account_id: int, name: str | None = None, role: Role | None = None, away: bool | None = None
) -> None:
    """Raises NotThere, NameTaken, LastOwner. Who is put away, or may do less than before, is signed out everywhere."""
    account = account_there(session, account_id)
    if name is not None and name != account.name:
        if name.casefold() != account.name.casefold():
            _demand_free(session, name)
        account.name = name
    lesser = role is not None and not RIGHTS[role] >= RIGHTS[role_of(account)]
    account.role = account.role if role is None else role
    account.away = account.away if away is None else away
    session.flush()
    if lesser or away:
        demand_owner(session)
        sign_out_everywhere(session, account_id)


def demand_owner(session: Session) -> None:
    """Raises LastOwner when no owner is left who can sign in."""
    # the rows of all owners are locked: two of them cannot put each other away at once
    if not any(owner.password or owner.demo for owner in session.scalars(_owners().with_for_update())):
        raise LastOwner("An owner who has a password has to be left.", "role", "Make somebody else an owner first.")


def sign_out_everywhere(session: Session, account_id: int, but: int | None = None) -> None:
    """End every sign-in of an account, links to it included; `but` one stays."""
    session.execute(delete(SignIn).where(SignIn.account_id == account_id, SignIn.id != (but or 0)))
    session.execute(delete(SignInLink).where(SignInLink.account_id == account_id))
