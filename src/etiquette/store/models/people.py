"""Who works here: accounts, their sign-ins, links and tokens that open the shop, and the trail of what was done. Keys
and passwords are kept as digests only."""

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.store.models.base import Base, Sha, now, who


class Account(Base):
    """One person. Without a password it can be signed in to by a link alone."""

    __tablename__ = "account"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    role: Mapped[str] = mapped_column(String(10))
    """owner, operator or viewer."""
    password: Mapped[str | None] = mapped_column(String(200))
    """Argon2id, in the PHC string format."""
    second_secret: Mapped[str | None] = mapped_column(String(64))
    """Base32, of one-time codes (RFC 6238)."""
    second_counter: Mapped[int] = mapped_column(default=0, server_default="0")
    """The time step of the last code that was taken: none is taken twice."""
    pin: Mapped[str | None] = mapped_column(String(200))
    badge_sha: Mapped[str | None] = mapped_column(Sha, unique=True)
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    demo: Mapped[bool] = mapped_column(default=False, server_default="0")
    """The demo's own operator, whom the link of a start on the loopback signs in."""
    made_at: Mapped[datetime] = mapped_column(default=now)
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class SignIn(Base):
    """A browser that somebody is signed in at."""

    __tablename__ = "sign_in"
    id: Mapped[int] = mapped_column(primary_key=True)
    token_sha: Mapped[str] = mapped_column(Sha, unique=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"))
    way: Mapped[str] = mapped_column(String(10))
    """How: password, link, pin or badge."""
    shared: Mapped[bool] = mapped_column(default=False, server_default="0")
    """A screen where several people work: they change by PIN or badge."""
    address: Mapped[str] = mapped_column(String(45))
    program: Mapped[str] = mapped_column(String(200))
    made_at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime] = mapped_column(default=now)


class SignInLink(Base):
    """A link that works once. `account_id` None: it makes the first owner."""

    __tablename__ = "sign_in_link"
    id: Mapped[int] = mapped_column(primary_key=True)
    token_sha: Mapped[str] = mapped_column(Sha, unique=True)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"))
    made_at: Mapped[datetime] = mapped_column(default=now)
    expires_at: Mapped[datetime]


class ShopToken(Base):
    """What another system of the shop shows instead of a sign-in."""

    __tablename__ = "shop_token"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    token_sha: Mapped[str] = mapped_column(Sha, unique=True)
    rights: Mapped[str] = mapped_column(String(200))
    """Names of rights, with commas between."""
    made_by: Mapped[str] = mapped_column(String(120), default=who)
    made_at: Mapped[datetime] = mapped_column(default=now)
    expires_at: Mapped[datetime]
    seen_at: Mapped[datetime | None]


class SignInFailure(Base):
    """How often it was tried in vain, under a digest of what was tried (a name, an address, or both)."""

    __tablename__ = "sign_in_failure"
    key: Mapped[str] = mapped_column(Sha, primary_key=True)
    count: Mapped[int]
    last_at: Mapped[datetime]


class AuditEntry(Base):
    """One thing that somebody did, or was refused. Rows are added and, after the time that they are kept, removed."""

    __tablename__ = "audit_entry"
    __table_args__ = (Index("ix_audit_entry_at", "at"), Index("ix_audit_entry_who", "who"))
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)
    way: Mapped[str] = mapped_column(String(80))
    """By which way in: page, a token's name."""
    did: Mapped[str] = mapped_column(String(80))
    what: Mapped[str] = mapped_column(String(200))
    """The address that was asked, as `runs/12/edits`."""
    outcome: Mapped[str] = mapped_column(String(10))
    """done or refused."""
    address: Mapped[str] = mapped_column(String(45))
