"""Passwords and PINs: argon2id digests, and what is too easily guessed."""

import threading
from functools import cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher

from etiquette.core.errors import JobError

LEAST, MOST = 8, 128
"""Characters of a password (ASVS 5, 6.2.1 and 6.2.9)."""
LEAST_GUESSES = 1e8
"""A password that is found with fewer guesses is refused; those who try slow down after a few (throttle.py)."""
PIN_DIGITS = (4, 12)
_AT_ONCE = threading.Semaphore(2)
"""Each digest takes 64 MiB for a moment: many at once would take the server's memory."""
_HASHER = PasswordHash((Argon2Hasher(),))


class WeakSecret(JobError):
    """A password or PIN that would be guessed."""


def hashed(secret: str) -> str:
    with _AT_ONCE:
        return _HASHER.hash(secret)


def verified(secret: str, kept: str | None) -> bool:
    """Whether `secret` is the one. What nobody has (None) takes as long: names are not told apart by the time."""
    with _AT_ONCE:
        right = _HASHER.verify(secret, kept or _nobodys())
    return right and kept is not None


@cache
def _nobodys() -> str:
    return _HASHER.hash("of nobody")


def check_password(password: str, *about: str) -> None:
    """Raises WeakSecret. `about`: words that are guessed first, as the person's name (ASVS 5, 6.2.4, 6.2.11)."""
    from zxcvbn import zxcvbn  # its lists of words are large: only where a password is chosen

    if not LEAST <= len(password) <= MOST:
        raise WeakSecret(
            f"A password has {LEAST} to {MOST} characters; this one has {len(password)}.",
            "password",
            "A few words that belong to nothing are easy to keep in mind.",
        )
    found = zxcvbn(password[:72], user_inputs=["etiquette", *about], max_length=72)
    if float(found["guesses"]) < LEAST_GUESSES:
        raise WeakSecret(
            "This password would be guessed.", "password", "Take more words, or some that belong to nothing here."
        )


def check_pin(pin: str) -> None:
    """Raises WeakSecret."""
    least, most = PIN_DIGITS
    if not (pin.isascii() and pin.isdigit() and least <= len(pin) <= most):
        raise WeakSecret(f"A PIN is {least} to {most} digits.", "PIN", "Type digits only.")
    steps = {(int(b) - int(a)) % 10 for a, b in zip(pin, pin[1:], strict=False)}
    if len(steps) == 1 and steps <= {0, 1, 9}:
        raise WeakSecret("This PIN would be guessed.", "PIN", "Take digits that do not repeat or count on.")
