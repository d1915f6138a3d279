"""`fill`: the plates of a design with its rows."""

from pathlib import Path
from typing import Annotated

import typer

from etiquette.cli.files import read, say


def fill(
    fields: Path,
    table: Path,
    out: Annotated[Path, typer.Option("-o", "--out", help="The folder for the plates.")],
    rows: Annotated[str | None, typer.Option(help="Some rows alone: 1-100, or 5, 8, 30-.")] = None,
    check: Annotated[bool, typer.Option("--check", help="Tell what does not fit, and write nothing.")] = False,
) -> None:
    """Fill a design from the rows of a table, CSV or XLSX: a page for every row."""
    from etiquette.cli.fill_files import fill as fill_files
    from etiquette.files.contracts import parse_file
    from etiquette.files.fields_file import FieldsFile

    say(fill_files(parse_file(FieldsFile, read(fields), str(fields)), fields.parent, table, out, rows, check))
