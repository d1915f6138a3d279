"""Codes of copies read from a photo or scan of a sheet, and told against the rows that it was printed from."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.printing.code_reading import same_code
from etiquette.core.variable.codes import CodeKind
from etiquette.core.variable.filling import DrawnCode
from etiquette.sandbox.codes import codes_in
from etiquette.stations.designs import states_of
from etiquette.stations.rows import Rows, rows_of
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop

MOST_BYTES = 200 << 20


@dataclass(frozen=True)
class CodesSeen:
    """`asked`: codes that the sheet should have; the rows of those that were not seen; what was seen and is of no row
    of this sheet, frame codes left aside."""

    asked: int
    seen: int
    missing: tuple[int, ...]
    strange: tuple[str, ...]


def codes_on(shop: Shop, sheet_id: int, content: bytes, name: str) -> CodesSeen:
    """Raises NotThere, JobError."""
    if len(content) > MOST_BYTES:
        raise JobError(f"The picture is larger than {MOST_BYTES >> 20} MB.", name, "Make it smaller.")
    expected, known = shop.database.within(lambda session: _expected(shop, session, sheet_id))
    left, missing = codes_in(content, name), set()
    for row, kind, text in expected:
        said = next((one for one in left if same_code(kind, text, one)), None)
        if said is None:
            missing.add(row)
        else:
            left.remove(said)
    strange = tuple(one for one in left if not any(code in one for code in known))
    return CodesSeen(len(expected), len(expected) - len(missing), tuple(sorted(missing)), strange[:20])


def _expected(shop: Shop, session: Session, sheet_id: int) -> tuple[list[tuple[int, CodeKind, str]], list[str]]:
    """Row, kind and text of every code of a sheet, and the codes of its frame."""
    summary = sheet_there(session, sheet_id).plate.summary
    by_design: dict[int, list[int]] = {}
    for design, row in zip(summary.placed, summary.rows, strict=False):
        if row:
            by_design.setdefault(design, []).append(row)
    found = []
    for design, state in states_of(session, list(by_design)).items():
        rows = rows_of(shop, session, state)
        found += _codes_of(rows, by_design[design]) if rows else []
    if not found:
        raise JobError("No code on this sheet comes from rows.", summary.name, "Look at another sheet.")
    return found, [summary.code]


def _codes_of(rows: Rows, numbers: list[int]) -> list[tuple[int, CodeKind, str]]:
    filling = rows.filling()
    return [
        (number, one.symbol.kind, one.symbol.text)
        for number, cells in rows.each([number for number in numbers if number <= rows.count])
        for one in filling.filled(number, cells).drawn
        if isinstance(one, DrawnCode)
    ]
