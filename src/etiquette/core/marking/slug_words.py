"""What is printed of a frame for people to read: its code and number, and then the run, customer and date, words of the
shop's own with fields in them, or nothing."""

import re
from collections.abc import Mapping

FIELDS = ("run", "customer", "job", "date", "stock", "operator")
"""What can be named in own words, in braces."""
_FIELD = re.compile(r"\{([^{}]*)\}")
_BRACE = re.compile(r"[{}]")


def slug_of(code: str, number: int, fields: Mapping[str, str], words: str | None = None) -> str:
    """The slug of frame `number` (from 1). `words`: None, run, customer and date, parted by dots; empty, nothing at
    all; else these, with what `fields` says in place of every {name}. The frame's code comes first, because it is what
    a hand types where no reader can read it.

    >>> slug_of("AB12CD", 2, {"run": "Jars", "customer": "", "date": "2031-05-04"})
    'AB12CD-2 Jars · 2031-05-04'
    >>> slug_of("AB12CD", 2, {"job": "J 7"}, "{job}, window")
    'AB12CD-2 J 7, window'
    """
    if words == "":
        return ""
    named = f"{code}-{number}"
    if words is None:
        parts = [f"{named} {fields.get('run', '')}".strip(), fields.get("customer", ""), fields.get("date", "")]
        return " · ".join(part for part in parts if part)
    said = _FIELD.sub(lambda found: fields.get(found[1], ""), words)
    return " ".join(f"{named} {said}".split())


def unknown_in(words: str) -> str | None:
    """The first part of `words` in braces that names no field, or a brace by itself; None where all are known."""
    strange = next((found[0] for found in _FIELD.finditer(words) if found[1] not in FIELDS), None)
    if strange:
        return strange
    alone = _BRACE.search(_FIELD.sub("", words))
    return alone[0] if alone else None
