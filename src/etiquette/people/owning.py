"""What an owner sees and does with the accounts and tokens of others."""

from datetime import datetime
from typing import cast

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.people import accounts, audit, links, tokens
from etiquette.people.rights import Right, Role
from etiquette.people.schemas import (
    AccountChanges,
    AccountShown,
    LinkMade,
    TokenAsked,
    TokenMade,
    TokenRight,
    TokenShown,
    TrailEntry,
    TrailShown,
    told_at,
)
from etiquette.people.trail_names import names_of
from etiquette.store.models.people import Account, AuditEntry, ShopToken, SignIn


def accounts_shown(session: Session) -> list[AccountShown]:
    """Every account, by name."""
    counted = select(SignIn.account_id, func.count(), func.max(SignIn.seen_at)).group_by(SignIn.account_id)
    seen = {account_id: (count, at) for account_id, count, at in session.execute(counted)}
    return [_account(one, *seen.get(one.id, (0, None))) for one in accounts.by_name(session)]


def _account(one: Account, signed_in: int, seen_at: datetime | None) -> AccountShown:
    return AccountShown(
        id=one.id,
        name=one.name,
        role=accounts.role_of(one),
        invited=one.password is None and not one.demo,
        second=one.second_secret is not None,
        pin=one.pin is not None,
        badge=one.badge_sha is not None,
        away=one.away,
        demo=one.demo,
        signed_in=signed_in,
        seen_at=told_at(seen_at),
    )


def invited(session: Session, name: str, role: Role) -> LinkMade:
    """Raises NameTaken."""
    audit.tell_of(f"{name}, {role}")
    return _made(links.new_link(session, accounts.add(session, name, role), links.INVITED))


def link_again(session: Session, account_id: int) -> LinkMade:
    """Raises NotThere, JobError."""
    account = accounts.account_there(session, account_id)
    audit.tell_of(account.name)
    if account.demo or account.away:
        raise JobError(
            f"{account.name} has no password to set.", "account", "The link of the demo is printed at its start."
        )
    return _made(links.new_link(session, account, links.INVITED))


def _made(key: str) -> LinkMade:
    return LinkMade(path=f"{links.PATH}{key}", days=links.INVITED.days)


def change(session: Session, account_id: int, asked: AccountChanges) -> None:
    """Raises NotThere, NameTaken, LastOwner."""
    values = asked.model_dump(exclude_none=True)
    words = ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in values.items())
    audit.tell_of(f"{accounts.account_there(session, account_id).name}, {words}")
    accounts.change(session, account_id, asked.name, asked.role, asked.away)
    if asked.second is False:
        accounts.account_there(session, account_id).second_secret = None
        accounts.sign_out_everywhere(session, account_id)


def tokens_shown(session: Session) -> list[TokenShown]:
    return [_shown(one) for one in tokens.all_of(session)]


def _shown(token: ShopToken) -> TokenShown:
    return TokenShown(
        id=token.id,
        name=token.name,
        rights=[cast(TokenRight, right.name) for right in tokens.rights_of(token)],
        made_by=token.made_by,
        made_at=told_at(token.made_at),
        expires_at=told_at(token.expires_at),
        seen_at=told_at(token.seen_at),
    )


def new_token(session: Session, asked: TokenAsked) -> TokenMade:
    audit.tell_of(f"{asked.name}, {' '.join(asked.rights).lower()}, {asked.days} days")
    made, key = tokens.add(session, asked.name, [Right[name] for name in asked.rights], asked.days)
    return TokenMade(key=key, token=_shown(made))


def trail_shown(session: Session, wanted: audit.Wanted, skip: int) -> TrailShown:
    found = audit.entries(session, wanted, skip, audit.PAGE + 1)
    shown = found[: audit.PAGE]
    names = names_of(session, (one.what for one in shown))
    return TrailShown(entries=[_entry(one, names.get(one.what, "")) for one in shown], more=len(found) > audit.PAGE)


def _entry(one: AuditEntry, name: str) -> TrailEntry:
    return TrailEntry(
        id=one.id,
        at=told_at(one.at),
        who=one.who,
        way=one.way,
        did=one.did,
        what=one.what,
        name=name,
        outcome=one.outcome,
        address=one.address,
    )
