"""Numbers that count up with the rows, and the check characters that stand behind them."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from etiquette.core.variable.expressions import CannotSay

CheckKind = Literal["none", "mod 10", "luhn", "mod 11", "mod 43", "mod 11-2", "mod 37-2",
                    "mod 97-10", "mod 11,10", "mod 37,36"]  # fmt: skip
_36 = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_CODE_39 = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ-. $/+%"


@dataclass(frozen=True)
class Serial:
    """A column that counts: row 1 has `start`, each further one `step` more, written `width` digits wide (0: as it is),
    between `prefix` and `suffix`, with a check character before the suffix that covers prefix and digits, or the
    digits alone."""

    name: str
    start: int = 1
    step: int = 1
    width: int = 0
    prefix: str = ""
    suffix: str = ""
    check: CheckKind = "none"
    covers: Literal["all", "digits"] = "all"

    def of(self, row: int) -> str:
        """The serial of a row, counted from 1. Raises CannotSay."""
        number = self.start + (row - 1) * self.step
        if number < 0:
            raise CannotSay("the serial falls below 0")
        digits = str(number).zfill(self.width)
        if self.width and len(digits) > self.width:
            raise CannotSay(f"the serial {digits} is wider than {self.width} digits")
        if self.covers == "digits":
            return self.prefix + with_check(digits, self.check) + self.suffix
        return with_check(self.prefix + digits, self.check) + self.suffix


def with_check(text: str, kind: CheckKind) -> str:
    """`text` with its check characters behind it. Raises CannotSay when it holds characters the kind does not know."""
    return text if kind == "none" else text + CHECKS[kind](text)


def _digits(text: str, alphabet: str, name: str) -> list[int]:
    values = [alphabet.find(character) for character in text]
    if not values or min(values) < 0:
        raise CannotSay(f"“{text[:40]}” has characters that {name} does not know")
    return values


def mod_10(text: str) -> str:
    """The check digit of EAN, UPC, GTIN and SSCC (GS1 General Specifications, 7.9.1): weights 3 and 1 from the
    right."""
    values = _digits(text, "0123456789", "mod 10")
    total = sum(value * (3 if place % 2 == 0 else 1) for place, value in enumerate(reversed(values)))
    return str(-total % 10)


def luhn(text: str) -> str:
    """ISO/IEC 7812-1, annex B."""
    values = _digits(text, "0123456789", "Luhn")
    doubled = (value if place % 2 else value * 2 for place, value in enumerate(reversed(values)))
    return str(-sum(value - 9 if value > 9 else value for value in doubled) % 10)


def mod_11(text: str) -> str:
    """Weights 2, 3, 4 … from the right without end, X for 10: as ISBN-10 has it (ISO 2108:1992)."""
    values = _digits(text, "0123456789", "mod 11")
    total = sum(value * (place + 2) for place, value in enumerate(reversed(values)))
    return "0123456789X"[-total % 11]


def mod_43(text: str) -> str:
    """Code 39's (ISO/IEC 16388, annex A)."""
    return _CODE_39[sum(_digits(text, _CODE_39, "mod 43")) % 43]


def _pure(modulus: int, radix: int, alphabet: str, results: str, name: str) -> Callable[[str], str]:
    """A pure system with one check character (ISO/IEC 7064, clause 7)."""

    def check(text: str) -> str:
        total = 0
        for value in _digits(text, alphabet, name):
            total = (total + value) * radix % modulus
        return results[(1 - total) % modulus]

    return check


def mod_97_10(text: str) -> str:
    """Two digits (ISO/IEC 7064, MOD 97-10)."""
    total = 0
    for value in _digits(text, "0123456789", "mod 97-10"):
        total = (total + value) * 10 % 97
    return f"{(98 - total * 10 % 97) % 97:02}"


def _hybrid(modulus: int, alphabet: str, name: str) -> Callable[[str], str]:
    """A hybrid system (ISO/IEC 7064, clause 8)."""

    def check(text: str) -> str:
        total = modulus
        for value in _digits(text, alphabet, name):
            total = (total + value) % modulus or modulus
            total = total * 2 % (modulus + 1)
        return alphabet[(1 - total) % modulus]

    return check


CHECKS: dict[CheckKind, Callable[[str], str]] = {
    "mod 10": mod_10,
    "luhn": luhn,
    "mod 11": mod_11,
    "mod 43": mod_43,
    "mod 11-2": _pure(11, 2, "0123456789", "0123456789X", "mod 11-2"),
    "mod 37-2": _pure(37, 2, _36, _36 + "*", "mod 37-2"),
    "mod 97-10": mod_97_10,
    "mod 11,10": _hybrid(10, "0123456789", "mod 11,10"),
    "mod 37,36": _hybrid(36, _36, "mod 37,36"),
}
