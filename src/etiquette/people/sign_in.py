"""Signing in: by password and one-time code, by link, by PIN or badge at a shared screen; and who a browser is."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import bindparam, delete, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from etiquette.core.errors import JobError
from etiquette.people import accounts, audit, links, passwords, second, throttle
from etiquette.people.keys import digest, new_key
from etiquette.people.rights import RIGHTS, NotSignedIn, Person, Right
from etiquette.store.database import Database
from etiquette.store.models.base import now
from etiquette.store.models.people import Account, ShopToken, SignIn, SignInLink

LONGEST, IDLE = timedelta(days=30), timedelta(days=3)
"""After the first a person signs in anew; after the second, when nothing was asked meanwhile: a long weekend."""
SEEN_AGAIN = timedelta(minutes=5)
WEAK_WAYS = ("pin", "badge")
"""Who changes by these has no right of an owner's: a few digits are seen over a shoulder."""


class CodeWanted(JobError):
    """The password is right; a one-time code is wanted besides."""


@dataclass(frozen=True)
class Where:
    """Which browser: its address and what it calls itself."""

    address: str
    program: str


_WHO = (  # put together once: every request asks for it
    select(SignIn, Account).join(Account, Account.id == SignIn.account_id).where(SignIn.token_sha == bindparam("sha"))
)


def person_of(session: Session, key: str, off_loopback: bool, at: datetime | None = None) -> Person | None:
    """Who holds `key`; None: nobody any more. Off the loopback an owner without a second step may do nothing but set it
    up."""
    at = at or now()
    found = session.execute(_WHO, {"sha": digest(key)}).first()
    if found is None:
        return None
    entry, account = found
    if account.away or at - entry.made_at > LONGEST or at - entry.seen_at > IDLE:
        return None
    if at - entry.seen_at > SEEN_AGAIN:
        entry.seen_at = at
    return Person(account.name, rights_of(entry, account, off_loopback), "page", account.id, entry.id)


def rights_of(entry: SignIn, account: Account, off_loopback: bool) -> frozenset[Right]:
    """What whoever came in so may do now."""
    rights = RIGHTS[accounts.role_of(account)]
    if entry.way in WEAK_WAYS:
        return rights - {Right.OWN}
    return frozenset({Right.ENTER}) if must_have_second(account, off_loopback) else rights


def must_have_second(account: Account, off_loopback: bool) -> bool:
    return off_loopback and account.role == "owner" and account.second_secret is None


def by_password(
    database: Database,
    name: str,
    password: str,
    code: str | None,
    shared: bool,
    where: Where,
    at: datetime | None = None,
) -> str:
    """The key of a new sign-in. Raises NotSignedIn, CodeWanted, TooOften."""

    def begun(session: Session) -> Account | None:
        throttle.demand_patience(session, name, where.address, at)
        throttle.note_failure(session, name, where.address, at)  # before: many at once are counted too
        return session.scalars(select(Account).where(Account.name == name, ~Account.away)).first()

    account = database.within(begun)
    if not passwords.verified(password, account.password if account else None) or account is None:
        database.within(lambda session: audit.note(session, "sign in", name, "refused", "", where.address))
        raise NotSignedIn("The name or the password is not right.", "sign-in", "Type both again.")
    if account.second_secret and not code:
        database.within(lambda session: throttle.take_back(session, name, where.address))
        raise CodeWanted("A code is wanted besides.", "code", "Type the one that your authenticator shows.")

    def ended(session: Session) -> str:
        held = accounts.account_there(session, account.id)
        if held.version != account.version:
            raise StaleDataError()
        _take_code(held, code, at)
        throttle.forgive(session, name, where.address)
        return _signed_in(session, held, "password", shared, where, at)

    try:
        return database.within(ended)
    except NotSignedIn:
        database.within(lambda session: audit.note(session, "sign in", name, "refused", "code", where.address))
        raise
    except StaleDataError:
        raise NotSignedIn("The account was changed in this moment.", "sign-in", "Sign in once more.") from None


def _take_code(account: Account, code: str | None, at: datetime | None) -> None:
    """Raises NotSignedIn."""
    if account.second_secret is None:
        return
    step = second.step_of(account.second_secret, code or "", account.second_counter, at or now())
    if step is None:
        raise NotSignedIn("The code is not right, or was used.", "code", "Wait for the next one and type it.")
    account.second_counter = step


def _signed_in(
    session: Session, account: Account, way: str, shared: bool, where: Where, at: datetime | None = None
) -> str:
    key, at = new_key(), at or now()
    session.add(
        SignIn(
            token_sha=digest(key),
            account_id=account.id,
            way=way,
            shared=shared,
            address=where.address[:45],
            program=where.program[:200],
            made_at=at,
            seen_at=at,
        )
    )
    audit.note(session, "sign in", account.name, "done", f"by {way}", where.address)
    return key


def by_link(
    database: Database, key: str, name: str, password: str, where: Where, at: datetime | None = None
) -> str | None:
    """Use a link: make the first owner, set a password anew, or be the demo's operator. The key of a new sign-in; None:
    the password is set, and a one-time code is wanted to sign in. Raises LinkOver, WeakSecret, NameTaken."""
    found = database.within(lambda session: links.facts(session, key))
    called = name if found.opens == "owner" else found.name
    digest_of_password = None
    if found.opens != "demo":
        if not called:
            raise JobError("A name is missing.", "name", "Type the name that stands beside what you do.")
        passwords.check_password(password, called)
        digest_of_password = passwords.hashed(password)

    def used(session: Session) -> str | None:
        link = links.link_of(session, key, at, hold=True)
        if link.account_id is None:
            account = accounts.add(session, called, "owner")
        else:
            account = accounts.account_there(session, link.account_id)
        session.delete(link)
        session.flush()
        if digest_of_password is not None:
            account.password = digest_of_password
            accounts.sign_out_everywhere(session, account.id)
        if account.second_secret is not None:
            return None
        return _signed_in(session, account, "link", False, where, at)

    return database.within(used)


def make_first_owner(database: Database, name: str, password: str) -> None:
    """For a shop that is to be reached from other machines at once. Raises JobError when it has an owner, WeakSecret,
    NameTaken."""
    passwords.check_password(password, name)
    digest_of_password = passwords.hashed(password)

    def made(session: Session) -> None:
        if accounts.has_owner(session):
            do = "Sign in, or let “etiquette link” make a link where the password is lost."
            raise JobError("This shop has an owner.", name, do)
        accounts.add(session, name, "owner").password = digest_of_password

    database.within(made)


def change_person(
    database: Database,
    person: Person,
    account_id: int | None,
    pin: str,
    badge: str,
    where: Where,
    at: datetime | None = None,
) -> str:
    """Somebody else works on at a shared screen, known by PIN or badge; the new key of its sign-in. Raises NotSignedIn,
    TooOften, JobError."""
    throttled = f"account {account_id or 'badge'}"

    def begun(session: Session) -> Account | None:
        entry = session.get(SignIn, person.sign_in_id or 0)
        if entry is None or not entry.shared:
            raise JobError(
                "This screen is not shared.", "screen", "Sign in with a password, and say that several work here."
            )
        throttle.demand_patience(session, throttled, where.address, at)
        throttle.note_failure(session, throttled, where.address, at)
        known = Account.badge_sha == digest(badge) if badge else Account.id == account_id
        return session.scalars(select(Account).where(known, ~Account.away)).first()

    account = database.within(begun)
    right = account is not None if badge else passwords.verified(pin, account.pin if account else None)
    if not right or account is None:
        database.within(lambda session: audit.note(session, "change person", person.name, "refused", "", where.address))
        raise JobError("The badge or the PIN is not right.", "PIN", "Try it again.")

    def ended(session: Session) -> str:
        entry = session.get(SignIn, person.sign_in_id or 0, with_for_update=True)
        if entry is None:
            raise NotSignedIn("Nobody is signed in here any more.", "sign-in", "Sign in with a password.")
        key = new_key()
        entry.token_sha, entry.account_id, entry.way = digest(key), account.id, "badge" if badge else "pin"
        throttle.forgive(session, throttled, where.address)
        audit.note(session, "change person", account.name, "done", f"from {person.name}", where.address)
        return key

    return database.within(ended)


def sign_out(session: Session, sign_in_id: int | None) -> None:
    entry = session.get(SignIn, sign_in_id or 0)
    if entry is not None:
        session.delete(entry)


def forget_what_is_over(session: Session, at: datetime | None = None) -> None:
    """Sign-ins, links and tokens that open nothing any more, and the trail beyond what is kept of it."""
    at = at or now()
    old = (SignIn.made_at < at - LONGEST) | (SignIn.seen_at < at - IDLE)
    session.execute(delete(SignIn).where(old))
    session.execute(delete(SignInLink).where(SignInLink.expires_at < at))
    session.execute(delete(ShopToken).where(ShopToken.expires_at < at - LONGEST))
    audit.forget(session, at)
