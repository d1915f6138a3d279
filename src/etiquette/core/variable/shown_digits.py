"""What digits the numbers of a workbook show. The library that reads its cells says nothing of it: each kind of
workbook is looked at by another."""

import io
import os
import struct
import zlib
from collections import defaultdict
from collections.abc import Callable, Collection, Iterator
from typing import Any
from warnings import catch_warnings
from xml.etree.ElementTree import ParseError
from zipfile import BadZipFile, ZipFile

from etiquette.core.variable.number_formats import Digits, digits_of

ZIP_START = b"PK\x03\x04"
LOOKED_AT = 20_000
"""Rows in which every number is looked at; a column that is written one way so far goes on so."""
UNREAD = (
    ArithmeticError, AssertionError, AttributeError, BadZipFile, EOFError, LookupError, NotImplementedError, OSError,
    ParseError, RuntimeError, SyntaxError, TypeError, ValueError, struct.error, zlib.error,
)  # fmt: skip
"""How these libraries fail over a damaged file, beside errors of their own."""
OPEN_CONTENT = "content.xml"
MOST_ACROSS = 16_384
"""Columns of a sheet."""

Place = tuple[int, int, Digits | None]
"""Row and column from 0, and what is shown there; None: nothing of digits alone."""


class ShownDigits:
    """What digits the numbers of `sheet` show, counted from `start`, a row and a column from 0."""

    def __init__(self, content: bytes, sheet: str, start: tuple[int, int]) -> None:
        self._found = defaultdict[int, dict[int, Digits | None]](dict)
        """By column and row."""
        top, left = start
        places, own_errors = _reader_of(content)(content, sheet, top + LOOKED_AT)
        unread: tuple[type[Exception], ...] = (*UNREAD, *own_errors)
        try:
            for row, column, digits in places:
                self._found[column - left][row - top] = digits
        except unread:
            self._found.clear()  # the other library read it: its numbers are as they are
        # how a column is written, where it is written one way
        self._columns = {column: _only(said.values()) for column, said in self._found.items()}

    def digits(self, row: int, column: int) -> Digits | None:
        return self._found[column].get(row) if row < LOOKED_AT else self._columns.get(column)


def _only(found: Collection[Digits | None]) -> Digits | None:
    return next(iter(found)) if len(set(found)) == 1 else None


Read = tuple[Iterator[Place], tuple[type[Exception], ...]]
"""The numbers of a sheet, and what their library raises of its own over a damaged file."""
Reader = Callable[[bytes, str, int], Read]
"""Of the first so many rows. It imports its library before it reads: one that is missing is no damaged file."""


def _reader_of(content: bytes) -> Reader:
    if not content.startswith(ZIP_START):
        return _binary
    return _open if content[30:].startswith(b"mimetype") else _office  # the name of its first part


def _office(content: bytes, sheet: str, rows: int) -> Read:
    """Of Office Open XML (ECMA-376)."""
    import openpyxl
    from openpyxl.utils.exceptions import InvalidFileException

    def places() -> Iterator[Place]:
        with catch_warnings(action="ignore"):  # of what it leaves out when it writes: nothing is written
            # what formulas said last, not the formulas
            held = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True)[sheet]
            for row in held.iter_rows(max_row=rows):
                for cell in row:
                    if isinstance(cell.value, int | float):
                        yield cell.row - 1, cell.column - 1, digits_of(cell.number_format)

    return places(), (InvalidFileException,)


def _binary(content: bytes, sheet: str, rows: int) -> Read:
    """Of the older binary form (XLS)."""
    import xlrd
    from xlrd.compdoc import CompDocError

    def places() -> Iterator[Place]:
        with open(os.devnull, "w") as nowhere:
            book = xlrd.open_workbook(file_contents=content, formatting_info=True, on_demand=True, logfile=nowhere)
            held = book.sheet_by_name(sheet)
        for row in range(min(rows, held.nrows)):
            for column, cell in enumerate(held.row(row)):
                if cell.ctype == xlrd.XL_CELL_NUMBER:
                    code = book.format_map[book.xf_list[cell.xf_index].format_key].format_str
                    yield row, column, digits_of(code)

    return places(), (xlrd.XLRDError, CompDocError)


_OFFICE, _TABLE, _TEXT = (
    f"{{urn:oasis:names:tc:opendocument:xmlns:{name}:1.0}}" for name in ("office", "table", "text")
)


def _open(content: bytes, sheet: str, rows: int) -> Read:
    """Of OpenDocument (ISO/IEC 26300), whose cells hold what they show beside their value."""
    from lxml import etree

    table, line = f"{_TABLE}table", f"{_TABLE}table-row"

    def places() -> Iterator[Place]:
        at, within = 0, False
        with ZipFile(io.BytesIO(content)) as parts, parts.open(OPEN_CONTENT) as part:
            walk = etree.iterparse(part, ("start", "end"), tag=(table, line), resolve_entities=False, huge_tree=True)
            for event, one in walk:
                if one.tag == table:
                    if within and event == "end":
                        return
                    within = within or one.get(f"{_TABLE}name") == sheet
                elif event == "end":
                    many = int(one.get(f"{_TABLE}number-rows-repeated", 1))
                    for row in range(at, min(at + many, rows)) if within else ():
                        yield from ((row, *place) for place in _of_row(one))
                    at += many if within else 0
                    if at >= rows:
                        return
                    one.clear()

    return places(), ()


def _of_row(row: Any) -> Iterator[tuple[int, Digits | None]]:
    at = 0
    for cell in row.iterchildren(f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
        many = int(cell.get(f"{_TABLE}number-columns-repeated", 1))
        kind = cell.get(f"{_OFFICE}value-type")
        if kind in ("float", "currency", "percentage"):
            shown = "".join(text for line in cell.iterchildren(f"{_TEXT}p") for text in line.itertext())
            digits = shown_of(float(cell.get(f"{_OFFICE}value")), shown, kind == "percentage")
            yield from ((column, digits) for column in range(at, min(at + many, MOST_ACROSS)))
        at += many


def shown_of(value: float, shown: str, percent: bool = False) -> Digits | None:
    """The digits of `value` as it is `shown`, in whatever language: 1234.5 as “1.234,50 €” has two places. None: what
    is shown is not this number's digits."""
    said = "".join(str(int(sign)) if sign.isdecimal() else " " for sign in shown).split()
    for groups in range(max(len(said) - 1, 1), len(said) + 1):  # the last group stands behind the point, or none does
        whole, part = "".join(said[:groups]), "".join(said[groups:])
        digits = Digits(len(whole) if whole.startswith("0") else 1, len(part), len(part), percent)
        if "".join(sign for sign in digits.said(value) if sign.isdecimal()) == whole + part:
            return digits
    return None
