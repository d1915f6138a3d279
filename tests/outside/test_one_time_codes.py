"""One-time codes against RFC 6238, appendix B (SHA-1; the last six of the eight digits that the table gives) and the
secret of RFC 4226, appendix D."""

import base64
from datetime import UTC, datetime

import pytest

from etiquette.people import second

SECRET = base64.b32encode(b"12345678901234567890").decode()


@pytest.mark.parametrize(
    ("seconds", "digits"),
    [
        (59, "94287082"),
        (1111111109, "07081804"),
        (1111111111, "14050471"),
        (1234567890, "89005924"),
        (2000000000, "69279037"),
    ],
)
def test_codes_are_those_of_the_standard(seconds: int, digits: str) -> None:
    at = datetime.fromtimestamp(seconds, UTC).replace(tzinfo=None)
    assert second.step_of(SECRET, digits[-6:], 0, at) == seconds // 30
    assert second.step_of(SECRET, f"{(int(digits[-6:]) + 1) % 10**6:06d}", 0, at) is None


def test_the_address_is_as_authenticators_read_it() -> None:
    """Key URI Format, from memory: otpauth://totp/ISSUER:NAME?secret=…&issuer=…"""
    assert second.address_of(SECRET, "Oriel Wren") == (
        f"otpauth://totp/Etiquette:Oriel%20Wren?secret={SECRET}&issuer=Etiquette"
    )
