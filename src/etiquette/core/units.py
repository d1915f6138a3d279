"""Lengths as people type them, in millimetres inside.

>>> parse_length('3 1/2"')
88.9
>>> parse_length("12,5")
12.5
>>> parse_length("3*25.4")
76.2
"""

import re
from dataclasses import dataclass
from typing import Literal

from etiquette.core.errors import JobError

MM_PER_INCH = 25.4
MM_PER_POINT = MM_PER_INCH / 72
MM_PER_CALIPER_POINT = MM_PER_INCH / 1000
"""Points of thickness, as card is sold: thousandths of an inch."""
HPGL_UNIT_MM = 0.025
"""HP 7475A Interfacing and Programming Manual, 1983: one plotter unit."""

_UNITS = {
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "in": MM_PER_INCH,
    "inch": MM_PER_INCH,
    '"': MM_PER_INCH,
    "″": MM_PER_INCH,
    "pt": MM_PER_POINT,
}
Points = Literal["type", "card"]
_NUMBER = r"(?:\d+(?:[.,]\d*)?|[.,]\d+)"
_TOKEN = re.compile(
    rf"\s*(?:(?P<mixed>\d+\s+\d+/\d+)|(?P<fraction>\d+/\d+)(?![.,\d])|(?P<number>{_NUMBER})"
    r"|(?P<unit>mm|cm|inch|in|m|pt|\"|″)|(?P<sign>[-+*/()−×]))",
    re.IGNORECASE,
)
_LONGEST_TEXT = 80


@dataclass(frozen=True)
class _Value:
    number: float
    is_length: bool


def parse_length(text: str, unit: str = "mm", points: Points = "type") -> float:
    """Millimetres from text such as `12`, `12,5`, `1.2cm`, `3 1/2"` or `3*25.4`; a bare number is in `unit`. `points`:
    whether `10pt` are points of type (1/72 in) or of thickness (1/1000 in).

    A comma is a decimal comma; thousands separators are not accepted. Raises JobError.
    """
    tokens = _tokens(text)
    reader = _Reader(tokens, _UNITS[unit], text, MM_PER_POINT if points == "type" else MM_PER_CALIPER_POINT)
    value = reader.sum()
    if reader.rest:
        raise _not_a_length(text)
    mm = value.number if value.is_length else value.number * _UNITS[unit]
    if abs(mm) > 1e6:
        raise JobError("That is longer than a kilometre.", text, "Type a shorter length.")
    return round(mm, 6)


def _not_a_length(text: str) -> JobError:
    return JobError(
        f"“{text.strip()}” is not a length.", text, 'Type a number with or without a unit, like 12, 1.2cm or 3 1/2".'
    )


def _tokens(text: str) -> list[tuple[str, str]]:
    if len(text) > _LONGEST_TEXT:
        raise _not_a_length(text[:20] + "…")
    tokens, at = [], 0
    while at < len(text.rstrip()):
        found = _TOKEN.match(text, at)
        if not found:
            raise _not_a_length(text)
        kind = str(found.lastgroup)
        tokens.append((kind, found.group(kind).lower()))
        at = found.end()
    return tokens


class _Reader:
    """A recursive-descent reader of sums, products and units."""

    def __init__(self, tokens: list[tuple[str, str]], default: float, text: str, point_mm: float) -> None:
        self.rest = tokens
        self._units = {**_UNITS, "pt": point_mm}
        self._default = default
        self._text = text

    def sum(self) -> _Value:
        left = self._product()
        while self._next_is("+", "-", "−"):
            sign = 1 if self.rest.pop(0)[1] == "+" else -1
            right = self._product()
            if left.is_length or right.is_length:
                left = _Value(self._length(left) + sign * self._length(right), True)
            else:
                left = _Value(left.number + sign * right.number, False)
        return left

    def _product(self) -> _Value:
        left = self._signed()
        while self._next_is("*", "/", "×"):
            divide = self.rest.pop(0)[1] == "/"
            right = self._signed()
            if (left.is_length and right.is_length) or (divide and (right.is_length or right.number == 0)):
                raise _not_a_length(self._text)
            number = left.number / right.number if divide else left.number * right.number
            left = _Value(number, left.is_length or right.is_length)
        return left

    def _signed(self) -> _Value:
        if self._next_is("-", "−"):
            self.rest.pop(0)
            value = self._signed()
            return _Value(-value.number, value.is_length)
        return self._atom()

    def _atom(self) -> _Value:
        if not self.rest:
            raise _not_a_length(self._text)
        kind, text = self.rest.pop(0)
        if kind == "sign" and text == "(":
            value = self.sum()
            if not self._next_is(")"):
                raise _not_a_length(self._text)
            self.rest.pop(0)
        elif kind in ("number", "fraction", "mixed"):
            value = _Value(self._number(text), False)
        else:
            raise _not_a_length(self._text)
        if self.rest and self.rest[0][0] == "unit":
            if value.is_length:
                raise _not_a_length(self._text)
            value = _Value(value.number * self._units[self.rest.pop(0)[1]], True)
        return value

    def _number(self, text: str) -> float:
        whole, _, fraction = text.rpartition(" ") if " " in text else ("", "", text)
        if "/" in fraction:
            above, below = (int(part) for part in fraction.split("/"))
            if below == 0:
                raise _not_a_length(self._text)
            return (int(whole) if whole.strip() else 0) + above / below
        return float(text.replace(",", "."))

    def _next_is(self, *signs: str) -> bool:
        return bool(self.rest) and self.rest[0][0] == "sign" and self.rest[0][1] in signs

    def _length(self, value: _Value) -> float:
        return value.number if value.is_length else value.number * self._default
