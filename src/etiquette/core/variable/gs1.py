"""What a GS1 element string must keep to: identifiers in brackets, each followed by its data (GS1 General
Specifications, section 3; the identifiers most used, from memory)."""

import re
from calendar import monthrange

from etiquette.core.variable.expressions import CannotSay
from etiquette.core.variable.serials import mod_10

_ELEMENT = re.compile(r"\((\d{2,4})\)([^(]*)")
CHECKED = {"00": 18, "01": 14, "02": 14, "410": 13, "411": 13, "412": 13, "413": 13, "414": 13, "415": 13, "416": 13,
           "417": 13}  # fmt: skip
"""Digits of a fixed number, the last of them a check."""
DAYS = ("11", "12", "13", "15", "16", "17")
LONGEST = {"10": 20, "21": 20, "22": 20, "240": 30, "241": 30, "250": 30, "251": 30, "253": 30, "254": 20, "400": 30,
           "401": 30, "403": 30, "420": 20, "422": 3, "424": 3, "425": 15, "8008": 12, "90": 30}  # fmt: skip
_WEIGHTS = re.compile(r"3[1-6]\d\d")
_KNOWN = re.compile(r"[!-\"%-?A-Z_a-z]*")
"""The characters of an element's data: GS1's set 82 (ISO/IEC 646)."""


def elements(content: str) -> list[tuple[str, str]]:
    """Identifiers and their data. Raises CannotSay when the string is none of such."""
    found = _ELEMENT.findall(content)
    if not found or "".join(f"({name}){data}" for name, data in found) != content:
        raise CannotSay(f"“{content[:60]}” is no GS1 string: it is written as (01)… (10)…, without spaces")
    return found


def refuse_wrong(content: str) -> None:
    """Raises CannotSay when the data of an identifier are not as it asks."""
    for name, data in elements(content):
        if why := _wrong(name, data):
            raise CannotSay(f"({name}){data[:40]} {why}")


def _wrong(name: str, data: str) -> str:
    if not data:
        return "holds nothing"
    if not _KNOWN.fullmatch(data):
        return "has characters that GS1 strings do not know"
    if (digits := CHECKED.get(name)) is not None:
        if len(data) != digits or not data.isdigit():
            return f"must have {digits} digits"
        wanted = mod_10(data[:-1])
        return "" if data[-1] == wanted else f"has the check digit {data[-1]} where {wanted} belongs"
    if name in DAYS:
        return "" if _is_day(data) else "is no day, written as YYMMDD"
    if _WEIGHTS.fullmatch(name):
        return "" if re.fullmatch(r"\d{6}", data) else "must have 6 digits"
    most = LONGEST.get(name, 90)
    return f"is longer than {most} characters" if len(data) > most else ""


def _is_day(data: str) -> bool:
    """The day 00 stands for no day of a month in particular."""
    if not re.fullmatch(r"\d{6}", data):
        return False
    year, month, day = int(data[:2]), int(data[2:4]), int(data[4:])
    return 1 <= month <= 12 and day <= monthrange(2000 + year, month)[1]
