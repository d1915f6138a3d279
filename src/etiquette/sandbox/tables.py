"""Tables from outside, read behind the door: what comes of one is a file of rows of our own."""

import tempfile
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from etiquette.core.variable.tables import Column, Delimiter, OddRow, TableWish, read_table
from etiquette.files.rows_file import write_rows
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=120.0, bytes=4 << 30)
"""A million rows take a quarter of it."""


@dataclass(frozen=True)
class TableRead:
    """A table and its rows as files.rows_file keeps them; the rest as in core.variable.tables.Table."""

    rows_file: bytes
    count: int
    columns: tuple[Column, ...]
    encoding: str
    delimiter: Delimiter | None
    header: bool
    sheets: tuple[str, ...]
    sheet: str | None
    odd: tuple[OddRow, ...]
    odd_count: int
    begins: int


def table_of(content: bytes, name: str, wish: TableWish = TableWish()) -> TableRead:
    """`core.variable.tables.read_table`. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-table-") as folder:
        (Path(folder) / "table").write_bytes(content)
        said = ask("table", Path(folder), {"name": name, "wish": asdict(wish)}, LIMITS, name)
        said["columns"] = tuple(Column(**one) for one in said["columns"])
        said["odd"] = tuple(OddRow(**one) for one in said["odd"])
        return TableRead((Path(folder) / "rows.jsonl").read_bytes(), **{**said, "sheets": tuple(said["sheets"])})


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    table = read_table((folder / "table").read_bytes(), note["name"], TableWish(**note["wish"]))
    write_rows(table.rows, folder / "rows.jsonl")
    return {
        "count": len(table.rows),
        "columns": [asdict(one) for one in table.columns],
        "encoding": table.encoding,
        "delimiter": table.delimiter,
        "header": table.header,
        "sheets": list(table.sheets),
        "sheet": table.sheet,
        "odd": [asdict(one) for one in table.odd],
        "odd_count": table.odd_count,
        "begins": table.begins,
    }
