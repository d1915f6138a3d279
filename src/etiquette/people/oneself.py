"""What a person does with the own account: password, PIN, badge, one-time codes, and where one is signed in."""

import secrets
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.people import accounts, audit, passwords, second, sign_in, throttle
from etiquette.people.keys import digest
from etiquette.people.pictures import code_picture
from etiquette.people.rights import Person, Right
from etiquette.people.schemas import BrowserShown, Colleague, Me, told_at
from etiquette.store.database import Database
from etiquette.store.models.base import now
from etiquette.store.models.people import Account, SignIn

BADGE_DIGITS = 24
"""80 bits, in digits only: a scanner types them alike on every keyboard."""


def account_of(session: Session, person: Person) -> Account:
    """Raises NotThere, and JobError for who has none: another system."""
    if person.account_id is None:
        raise JobError("A token has no account.", "token", "Sign in as a person.")
    return accounts.account_there(session, person.account_id)


def me(session: Session, person: Person, off_loopback: bool) -> Me:
    account = account_of(session, person)
    entry = session.get(SignIn, person.sign_in_id or 0)
    shared = entry is not None and entry.shared
    # as they are now: what is answered may have just changed them
    rights = sign_in.rights_of(entry, account, off_loopback) if entry else person.rights
    takes_over = select(Account).where(~Account.away, Account.id != account.id).order_by(Account.name)
    return Me(
        id=account.id,
        name=account.name,
        role=accounts.role_of(account),
        rights=sorted(right.name for right in rights),
        owns=Right.OWN in rights,
        way=entry.way if entry else "",
        shared=shared,
        password=account.password is not None,
        second=account.second_secret is not None,
        must_second=sign_in.must_have_second(account, off_loopback),
        pin=account.pin is not None,
        badge=account.badge_sha is not None,
        demo=account.demo,
        colleagues=[Colleague(id=one.id, name=one.name) for one in session.scalars(takes_over) if one.pin]
        if shared
        else [],
    )


def _confirm(database: Database, person: Person, password: str) -> None:
    """Raises TooOften, NotSignedIn's sentence as JobError: whoever finds a browser open changes no secret there."""
    account = database.within(lambda session: account_of(session, person))
    if account.password is None:
        raise JobError(
            "This account has no password.", "password", "Make an account of your own; the demo's needs none."
        )
    where = f"account {account.id} confirms"
    database.within(lambda session: throttle.demand_patience(session, where, ""))
    database.within(lambda session: throttle.note_failure(session, where, ""))
    if not passwords.verified(password, account.password):
        raise JobError("The password is not right.", "password", "Type the one that you sign in with.")
    database.within(lambda session: throttle.forgive(session, where, ""))


def change_password(database: Database, person: Person, former: str, password: str) -> None:
    """Raises JobError, WeakSecret, TooOften."""
    _confirm(database, person, former)
    passwords.check_password(password, person.name)
    kept = passwords.hashed(password)

    def changed(session: Session) -> None:
        account_of(session, person).password = kept
        accounts.sign_out_everywhere(session, person.account_id or 0, person.sign_in_id)

    database.within(changed)


def change_pin(database: Database, person: Person, password: str, pin: str | None) -> None:
    """Raises JobError, WeakSecret, TooOften."""
    _confirm(database, person, password)
    if pin is not None:
        passwords.check_pin(pin)
    kept = None if pin is None else passwords.hashed(pin)

    def changed(session: Session) -> None:
        account_of(session, person).pin = kept

    database.within(changed)


def new_badge(database: Database, person: Person, password: str) -> tuple[str, str]:
    """What the badge says and its picture. Raises JobError, TooOften."""
    _confirm(database, person, password)
    code = "".join(str(secrets.randbelow(10)) for _ in range(BADGE_DIGITS))

    def changed(session: Session) -> None:
        account_of(session, person).badge_sha = digest(code)

    database.within(changed)
    return code, code_picture("code 128", code)


def take_badge_away(session: Session, person: Person) -> None:
    account_of(session, person).badge_sha = None


def propose_second(person: Person) -> tuple[str, str, str]:
    """A secret, the address that an authenticator reads, and its picture."""
    secret = second.new_secret()
    address = second.address_of(secret, person.name)
    return secret, address, code_picture("qr", address)


def keep_second(
    database: Database, person: Person, secret: str, code: str, password: str, at: datetime | None = None
) -> None:
    """Raises JobError, TooOften."""
    _confirm(database, person, password)
    try:
        step = second.step_of(secret, code, 0, at or now())
    except ValueError:  # no Base32
        step = None
    if step is None:
        raise JobError(
            "This code is not of that secret.",
            "code",
            "Look whether the telephone's clock is right, and type the next.",
        )

    def changed(session: Session) -> None:
        account = account_of(session, person)
        account.second_secret, account.second_counter = secret, step
        accounts.sign_out_everywhere(session, account.id, person.sign_in_id)
        audit.note(session, "keep second step", account.name)

    database.within(changed)


def take_second_off(database: Database, person: Person, password: str, off_loopback: bool) -> None:
    """Raises JobError, TooOften."""
    _confirm(database, person, password)

    def changed(session: Session) -> None:
        account = account_of(session, person)
        if off_loopback and account.role == "owner":
            raise JobError("On the network an owner needs a second step.", "second step", "Set up another instead.")
        account.second_secret = None

    database.within(changed)


def sign_out_at(session: Session, person: Person, sign_in_id: int) -> None:
    """Raises NotThere for one that is over, or another's; JobError for this one."""
    entry = session.get(SignIn, sign_in_id)
    if entry is None or entry.account_id != person.account_id:
        raise NotThere("You are not signed in there any more.", "browser", "Look at the list again.")
    if entry.id == person.sign_in_id:
        raise JobError("That is this browser.", "browser", "Sign out here with the button for it.")
    session.delete(entry)


def browsers(session: Session, person: Person) -> list[BrowserShown]:
    """Where one is signed in, the last seen first."""
    asked = select(SignIn).where(SignIn.account_id == person.account_id).order_by(SignIn.seen_at.desc())
    return [
        BrowserShown(
            id=one.id,
            here=one.id == person.sign_in_id,
            way=one.way,
            shared=one.shared,
            address=one.address,
            program=one.program,
            made_at=told_at(one.made_at),
            seen_at=told_at(one.seen_at),
        )
        for one in session.scalars(asked)
    ]
