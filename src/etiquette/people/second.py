"""One-time codes of an authenticator (TOTP, RFC 6238: 6 digits, 30 seconds, SHA-1): a second thing a person has."""

from datetime import UTC, datetime

import pyotp

STEP_SECONDS = 30
AROUND = (-1, 0, 1)
"""Steps that are taken: clocks of telephones go wrong by seconds (RFC 6238, 5.2)."""


def new_secret() -> str:
    """160 bits in Base32, as RFC 4226 recommends."""
    return pyotp.random_base32()


def address_of(secret: str, name: str) -> str:
    """What an authenticator reads from the picture."""
    return pyotp.TOTP(secret).provisioning_uri(name=name, issuer_name="Etiquette")


def step_of(secret: str, code: str, last: int, at: datetime) -> int | None:
    """The time step that `code` is of; None when it is of none about now, or of one that was taken before."""
    totp = pyotp.TOTP(secret)
    here = int(at.replace(tzinfo=UTC).timestamp()) // STEP_SECONDS
    digits = "".join(code.split())
    for step in (here + around for around in AROUND):
        if step > last and pyotp.utils.strings_equal(digits, totp.generate_otp(step)):
            return step
    return None
