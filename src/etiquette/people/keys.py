"""Keys that Etiquette makes itself: long and random, so that a plain digest of them is enough to keep."""

import hashlib
import secrets

TOKEN_BYTES = 32
"""256 bits: nobody guesses one (ASVS 5, 7.2.3 asks for 128)."""


def new_key() -> str:
    return secrets.token_urlsafe(TOKEN_BYTES)


def digest(key: str) -> str:
    """SHA-256, in hexadecimal."""
    return hashlib.sha256(key.encode("utf-8", "surrogatepass")).hexdigest()
