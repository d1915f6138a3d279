"""How many digits a number of a workbook shows, by the code of its format (ECMA-376, part 1, 18.8.31): a price has two
places and a postal code its leading zeros only there, not in the number."""

import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache

_WORDS = re.compile(r'"[^"]*"|\[[^\]]*\]|\\.|[_*].')
"""Of a code: words, colours and currencies, one letter as it is, room and filling."""
_DIGITS = re.compile(r"[#0,]*(?:\.[#0]*)?")
_CONDITION = re.compile(r"\[[<>=]")


@dataclass(frozen=True)
class Digits:
    """At `least_whole` digits before the point, `least` to `most` behind it; as hundredths with `percent`."""

    least_whole: int
    least: int
    most: int
    percent: bool = False

    def said(self, value: float) -> str:
        """The number with these digits, without signs of thousands and currency: it can be reckoned with."""
        number = Decimal(f"{value:.15g}") * (100 if self.percent else 1)
        text = format(abs(number).quantize(Decimal(1).scaleb(-self.most), ROUND_HALF_UP), "f")
        whole, _, part = text.partition(".")
        part = part[: self.least] + part[self.least :].rstrip("0")
        whole = whole.lstrip("0").zfill(self.least_whole)
        sign = "-" if number < 0 and any(digit != "0" for digit in whole + part) else ""
        return f"{sign}{whole}{'.' if part else ''}{part}{'%' if self.percent else ''}"


@lru_cache(256)
def digits_of(code: str) -> Digits | None:
    """None: the code says nothing of digits alone (a day, a fraction, powers of ten, thousands left out, a choice by
    value), or leaves them as they are."""
    first = code.split(";")[0]
    bare = _WORDS.sub("", first).replace(" ", "")
    percent = bare.count("%")
    found = [one for one in _DIGITS.findall(bare) if one]
    digits = found[0] if len(found) == 1 else ""
    others = bare.replace("%", "").replace(digits, "", 1)
    whole, _, part = digits.partition(".")
    if _CONDITION.search(first) or percent > 1 or others.strip("()+-$€£¥") or not digits or whole.endswith(","):
        return None
    return Digits(whole.count("0"), part.rstrip("#").count("0"), len(part), percent == 1)
