"""What the name of a file says of an order: how many, how wide, for whom."""

import re
from dataclasses import dataclass
from functools import lru_cache

from etiquette.core.errors import JobError
from etiquette.core.units import parse_length

FIELDS = {
    "name": r"(?P<name>.+?)",
    "count": r"(?P<count>\d{1,6})",
    "width": r"(?P<width>\d+(?:[.,]\d+)?)",
    "customer": r"(?P<customer>.+?)",
}
"""What a pattern can ask for, each once: {name} of the design, {count} of pieces, {width} in mm, {customer}."""
MOST_COUNT = 100_000


@dataclass(frozen=True)
class Named:
    """What a name says; None: it does not say."""

    name: str
    count: int | None = None
    width_mm: float | None = None
    customer: str | None = None


def read_name(pattern: str, stem: str) -> Named:
    """`stem`, a file name without its end, read by a pattern like “{customer} - {name} {count}x {width}mm”; one that
    does not fit is a name and nothing else. Spaces and underscores count as the same. Raises JobError for a pattern
    that cannot be."""
    plain = " ".join(stem.replace("_", " ").split())
    fits = _compiled(pattern).fullmatch(plain) if pattern.strip() else None
    if fits is None:
        return Named(plain)
    told = {field: value.strip() for field, value in fits.groupdict().items() if value is not None}
    count, width = told.get("count"), told.get("width")
    if count is not None and not 0 < int(count) <= MOST_COUNT:
        return Named(plain)
    return Named(
        told.get("name") or plain,
        int(count) if count is not None else None,
        parse_length(width, "mm") if width is not None else None,
        told.get("customer") or None,
    )


@lru_cache(maxsize=64)
def _compiled(pattern: str) -> re.Pattern[str]:
    parts = re.split(r"(\{\w*\})", " ".join(pattern.replace("_", " ").split()))
    wanted, seen = "", set()
    for part in parts:
        field = part[1:-1] if part.startswith("{") and part.endswith("}") else None
        if field is None:
            wanted += re.escape(part)
            continue
        if field not in FIELDS:
            known = ", ".join(f"{{{name}}}" for name in FIELDS)
            raise JobError(f"A pattern knows no {part}.", "pattern", f"Use {known}.")
        if field in seen:
            raise JobError(f"{part} stands twice in the pattern.", "pattern", "Ask for it once.")
        seen.add(field)
        wanted += FIELDS[field]
    return re.compile(wanted, re.IGNORECASE)
