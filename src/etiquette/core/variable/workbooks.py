"""Workbooks as rows of words: their cells as they were saved last, no formula worked out."""

import io
import tempfile
from collections.abc import Callable, Iterator
from datetime import date, datetime, time
from decimal import Decimal
from functools import partial
from math import isfinite
from typing import Any

from etiquette.core.errors import JobError
from etiquette.core.variable.number_formats import Digits
from etiquette.core.variable.shown_digits import ZIP_START, ShownDigits

PACKAGE = "EncryptedPackage".encode("utf-16-le")
EXACT_DIGITS = 15
"""Of a number, that workbooks keep."""


class Rounded(str):
    """A number of more digits than its workbook keeps."""


def read_workbook(content: bytes, name: str, wanted: str | None) -> tuple[tuple[str, ...], str, Iterator[list[str]]]:
    """Its sheets, the one that is read (`wanted`, or the first that holds anything), and the rows of that. Raises
    JobError."""
    import python_calamine

    try:
        book = _unpanicked(lambda: python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(content)))
        sheets = tuple(book.sheet_names)
        # a workbook often begins with an empty sheet: the first that holds anything
        looked = [wanted] if wanted and wanted in sheets else [*sheets]
        found = ((one, *_unpanicked(partial(_cells_of, book, one))) for one in looked)
        sheet, rows, start = next((one for one in found if one[1]), (looked[0], [], (0, 0)))
    except (python_calamine.CalamineError, OSError, ValueError, IndexError) as error:
        if _is_locked(content):
            do = "Save it without one, or as CSV."
            raise JobError("The workbook is locked with a password.", name, do) from None
        do = "Save it again as XLSX or as CSV."
        raise JobError(f"The workbook cannot be read ({type(error).__name__}).", name, do) from None
    shown = ShownDigits(content, sheet, start)
    words = ([_word(cell, shown.digits(at, column)) for column, cell in enumerate(row)] for at, row in enumerate(rows))
    return sheets, sheet, (row for row in words if any(row))


def _cells_of(book: Any, sheet: str) -> tuple[list[list[Any]], tuple[int, int]]:
    """The rows of a sheet, and the row and the column that they begin with, from 0."""
    held = book.get_sheet_by_name(sheet)
    cells: list[list[Any]] = held.to_python(skip_empty_area=True)
    return cells, held.start or (0, 0)


def _unpanicked(read: Callable[[], Any]) -> Any:
    """What `read` gives. Raises ValueError where the library loses its head over a damaged file: it says so by what is
    no Exception, and has no name to be imported by."""
    try:
        return read()
    except BaseException as error:
        if type(error).__name__ != "PanicException":
            raise
        raise ValueError(str(error)) from None


def _is_locked(content: bytes) -> bool:
    """Whether a workbook that cannot be read is one with a password: that is told of files alone, by their endings. A
    locked XLSX is no ZIP but a container that holds one."""
    import python_calamine

    ending = ".ods" if content.startswith(ZIP_START) else ".xlsx" if PACKAGE in content else ".xls"
    with tempfile.NamedTemporaryFile(suffix=ending) as file:
        file.write(content)
        file.flush()
        try:
            _unpanicked(lambda: python_calamine.load_workbook(file.name))
        except python_calamine.PasswordError:
            return True
        except (python_calamine.CalamineError, OSError, ValueError):
            return False
    return False


def _word(cell: Any, digits: Digits | None) -> str:
    """A cell as it is said: numbers with the `digits` that they show, or the fifteen that a workbook keeps, days as in
    ISO 8601."""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if digits and isinstance(cell, int | float) and isfinite(cell) and abs(cell) < 10**EXACT_DIGITS:
        return digits.said(cell)
    if isinstance(cell, float):
        if not isfinite(cell):
            return ""
        if abs(cell) >= 10**EXACT_DIGITS:
            return Rounded(int(cell))
        said = format(Decimal(f"{cell:.15g}"), "f")
        return said.rstrip("0").rstrip(".") if "." in said else said
    if isinstance(cell, int) and abs(cell) >= 10**EXACT_DIGITS:
        return Rounded(cell)
    if isinstance(cell, datetime):
        return cell.date().isoformat() if cell.time() == time() else cell.isoformat(" ", "seconds")
    return cell.isoformat() if isinstance(cell, date | time) else str(cell)
