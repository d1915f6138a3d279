"""Accounts: made, changed, put away; an owner is always left."""

from collections.abc import Sequence

from sqlalchemy import Select, delete, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.people.rights import RIGHTS, Role
from etiquette.store.models.people import Account, SignIn, SignInLink


class NameTaken(JobError):
    """Two people of one name would not be told apart in records."""


class LastOwner(JobError):
    """Nobody would be left who may do what is the owner's."""


def role_of(account: Account) -> Role:
    assert account.role in RIGHTS, account.role
    return account.role


def by_name(session: Session) -> Sequence[Account]:
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
