"""Tables as CSV (RFC 4180, UTF-8)."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet would work out instead of showing it."""


def csv_of(rows: Iterable[Sequence[Any]]) -> str:
    """Words that would be a formula get an apostrophe before them; numbers stay numbers."""
    out = io.StringIO()
    csv.writer(out).writerows([_cell(one) for one in row] for row in rows)
    return out.getvalue()


def _cell(value: Any) -> Any:
    if value is None:
        return ""
    return f"'{value}" if isinstance(value, str) and value.startswith(FORMULA) else value
