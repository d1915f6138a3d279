"""Passwords, PINs, waits after failures, and one-time codes, each by itself."""

from datetime import UTC, datetime, timedelta

import pytest

from etiquette.people import passwords, second, throttle
from etiquette.people.passwords import WeakSecret


@pytest.mark.parametrize(
    "guessed",
    ["short", "password", "12345678", "qwertyuiop", "Password1", "etiquette1", "orielwren", "abcabcabcabc", "x" * 129],
)
def test_what_would_be_guessed_is_no_password(guessed: str) -> None:
    with pytest.raises(WeakSecret):
        passwords.check_password(guessed, "Oriel Wren")


@pytest.mark.parametrize("kept", ["thistle ferry 41 lantern", "naïve Brücke über 7 Seen", "x9$kQ2!mLp"])
def test_any_characters_make_a_password(kept: str) -> None:
    passwords.check_password(kept, "Oriel")
    digest = passwords.hashed(kept)
    assert digest.startswith("$argon2id$") and kept not in digest
    assert passwords.verified(kept, digest)
    assert not passwords.verified(kept + " ", digest)
    assert not passwords.verified(kept, None)
    assert passwords.hashed(kept) != digest  # salted


@pytest.mark.parametrize("pin", ["123", "1111", "1234", "9876", "12a4", "1234567890123", "３２１９"])
def test_pins_that_are_seen_at_once_are_refused(pin: str) -> None:
    with pytest.raises(WeakSecret):
        passwords.check_pin(pin)


def test_a_pin_is_digits_without_order() -> None:
    passwords.check_pin("2907")
    passwords.check_pin("482913")


def test_waits_double_from_the_first_that_counts_and_end_at_a_quarter_of_an_hour() -> None:
    waits = [throttle.pause(count, free=4).total_seconds() for count in range(18)]
    assert waits[:8] == [0, 0, 0, 0, 1, 2, 4, 8]
    assert waits == sorted(waits) and waits[-1] == 900
    assert throttle.pause(10_000, free=4) == timedelta(minutes=15)


def test_a_code_works_in_its_half_minute_and_the_ones_beside_and_never_twice() -> None:
    secret = second.new_secret()
    at = datetime(2026, 11, 29, 12, 0, 5)
    step = int(at.replace(tzinfo=UTC).timestamp()) // 30
    import pyotp

    def code(of: int) -> str:
        return str(pyotp.HOTP(secret).at(of))

    assert [second.step_of(secret, code(step + by), 0, at) for by in (-1, 0, 1)] == [step - 1, step, step + 1]
    assert second.step_of(secret, code(step - 2), 0, at) is None
    assert second.step_of(secret, code(step + 2), 0, at) is None
    assert second.step_of(secret, code(step), step, at) is None  # it was taken
    assert second.step_of(secret, f"{code(step)[:3]} {code(step)[3:]}", 0, at) == step  # as telephones show it
    assert len(secret) == 32 and secret != second.new_secret()
