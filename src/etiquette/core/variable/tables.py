"""A customer's table as rows of words: its encoding, what stands between its cells, whether it has a header, and what
each column holds. Formulas are never worked out: a workbook's cells are taken as it saved them last."""

import csv
import io
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import islice
from typing import Literal

from etiquette.core.errors import JobError
from etiquette.core.variable.shown_digits import ZIP_START
from etiquette.core.variable.workbooks import EXACT_DIGITS, Rounded, read_workbook

MOST_ROWS = 1_000_000
MOST_COLUMNS = 500
LONGEST_CELL = 20_000
LOOKED_AT = 2_000
"""Rows by which delimiter and header are found."""
MOST_ODD = 1_000
"""Odd rows that are named one by one."""
ColumnKind = Literal["whole numbers", "numbers", "days", "words", "empty"]
Delimiter = Literal[",", ";", "\t", "|"]
DELIMITERS: tuple[Delimiter, ...] = (",", ";", "\t", "|")
ENCODINGS = ("utf-8", "utf-16", "cp1252", "iso8859-2", "cp1250", "cp1251", "cp1253", "cp1254", "cp1255", "cp1256",
             "mac_roman", "shift_jis", "gb18030", "euc_kr")  # fmt: skip
WESTERN = ("cp1252", "iso8859-2", "cp1250", "cp1254", "mac_roman")
"""Encodings of Latin letters, of which one alone may stand in a word; in other scripts whole words are written in what
is not ASCII."""
LEAST_OF_WORDS = 4
MOST_ABOVE = 20
"""Rows above a table (titles, dates) that are passed over at most."""
WRONG = frozenset(("#DIV/0!", "#N/A", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!"))
"""What programs save of a formula that has no answer."""
_DAY = re.compile(r"\d{4}-\d{1,2}-\d{1,2}([T ].*)?|\d{1,2}\.\d{1,2}\.\d{4}|\d{1,2}/\d{1,2}/\d{4}")
_WHOLE, _NUMBER = re.compile(r"[-+]?(0|[1-9]\d{0,17})"), re.compile(r"[-+]?(0|[1-9]\d*)?[.,]?\d+")


@dataclass(frozen=True)
class TableWish:
    """What is said of a table; None: what is found in it."""

    encoding: str | None = None
    delimiter: Delimiter | None = None
    header: bool | None = None
    sheet: str | None = None
    begins: int | None = None


@dataclass(frozen=True)
class Column:
    """`most`: the most characters of a cell; `empty`, `double`: cells that hold nothing, and what another one holds
    too; `rounded`: numbers whose last digits their workbook has lost."""

    name: str
    kind: ColumnKind
    most: int
    empty: int
    double: int
    rounded: int = 0


@dataclass(frozen=True)
class OddRow:
    """A row (from 1) that is not as the others, in a sentence."""

    row: int
    why: str


@dataclass(frozen=True)
class Table:
    """Rows of cells under named columns, each row as wide as the header. `begins`: at which of the rows that hold
    anything the table begins, from 1; a title may stand above it. `odd` names the first of the `odd_count` rows that
    were wider or narrower: they are filled up or cut off to be looked at."""

    columns: tuple[Column, ...]
    rows: list[list[str]]
    encoding: str
    delimiter: Delimiter | None
    header: bool
    sheets: tuple[str, ...] = ()
    sheet: str | None = None
    odd: tuple[OddRow, ...] = ()
    odd_count: int = 0
    begins: int = 1


@dataclass
class _Seen:
    """What was seen of a column."""

    kinds: Counter[ColumnKind] = field(default_factory=Counter)
    most: int = 0
    values: set[int] = field(default_factory=set)
    double: int = 0
    rounded: int = 0

    def see(self, cell: str) -> None:
        self.most = max(self.most, len(cell))
        self.kinds[kind_of(cell)] += 1
        if cell:
            mark = hash(cell)
            self.double += mark in self.values
            self.values.add(mark)

    def column(self, name: str) -> Column:
        kinds = set(self.kinds) - {"empty"}
        if not kinds:
            kind: ColumnKind = "empty"
        elif kinds == {"whole numbers", "numbers"}:
            kind = "numbers"
        else:
            kind = kinds.pop() if len(kinds) == 1 else "words"
        return Column(name, kind, self.most, self.kinds["empty"], self.double, self.rounded)


def read_table(content: bytes, name: str, wish: TableWish = TableWish()) -> Table:
    """A CSV file or a workbook (XLSX, XLS, ODS). Raises JobError when it is neither, or too large."""
    if content.startswith(ZIP_START) or content.startswith(b"\xd0\xcf\x11\xe0"):
        sheets, sheet, lines = read_workbook(content, name, wish.sheet)
        return _table(lines, name, wish, "", None, sheets, sheet)
    if b"\0" in content[:4096] and not _is_utf16(content):
        raise JobError("This is no table.", name, "Give a CSV file or a workbook (XLSX).")
    text, encoding = decoded(content, name, wish.encoding)
    delimiter = wish.delimiter or found_delimiter(text)
    return _table(_cells(text, delimiter, name), name, wish, encoding, delimiter)


def decoded(content: bytes, name: str, encoding: str | None = None) -> tuple[str, str]:
    """The text of a file and the encoding it was read in. Raises JobError when it is not of the `encoding` named."""
    if encoding is not None:
        if encoding not in ENCODINGS:
            raise JobError(f"The encoding {encoding} is not known.", name, f"Choose one of {', '.join(ENCODINGS)}.")
        try:
            return content.decode("utf-8-sig" if encoding == "utf-8" else encoding), encoding
        except UnicodeDecodeError as error:
            line = content[: error.start].count(b"\n") + 1
            do = "Choose another encoding."
            raise JobError(f"Line {line} is not written in {encoding}.", name, do) from None
    if _is_utf16(content):
        return content.decode(_utf16(content), errors="replace"), "utf-16"
    try:
        return content.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError:
        pass
    from charset_normalizer import from_bytes  # heavy, and most files are UTF-8

    best = from_bytes(content[:200_000], cp_isolation=list(ENCODINGS)).best()
    guessed = best.encoding if best and best.encoding in ENCODINGS and best.encoding != "utf-8" else "cp1252"
    if guessed not in WESTERN and not _in_words(content):
        guessed = "cp1252"
    text = content.decode(guessed, errors="replace")
    # several say the same of most files: the most usual of them is named
    return text, "cp1252" if content.decode("cp1252", errors="replace") == text else guessed


def _in_words(content: bytes) -> bool:
    """Whether what is not ASCII stands in words, not letter by letter as accents and signs do."""
    runs = re.findall(rb"[\x80-\xff]+", content[:200_000])
    return sum(map(len, runs)) >= LEAST_OF_WORDS and max(map(len, runs)) > 1


def _is_utf16(content: bytes) -> bool:
    """By its mark, or because every other byte of plain letters is empty."""
    return bool(_utf16(content))


def _utf16(content: bytes) -> str:
    """Which of two orders of bytes it is, where no mark says it; empty: neither."""
    head = content[:400]
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    first, second = head[::2].count(0), head[1::2].count(0)
    if len(head) < 20 or min(first, second) or max(first, second) < 0.1 * len(head):
        return ""
    return "utf-16-be" if first else "utf-16-le"


def found_delimiter(text: str) -> Delimiter:
    """The character by which most rows have as many cells as the first one, and more than one."""

    def told(delimiter: Delimiter) -> tuple[float, int]:
        # as `_cells` has it: lines may end as they did on old machines, in a carriage return alone
        reader = csv.reader(io.StringIO(text[:200_000], newline=""), delimiter=delimiter)
        try:
            rows = [row for row in islice(reader, 200) if row]
        except csv.Error:  # a cell as long as that stands in no table by this delimiter
            return 0.0, 0
        if not rows or len(rows[0]) < 2:
            return 0.0, 0
        return sum(len(row) == len(rows[0]) for row in rows) / len(rows), len(rows[0])

    _raise_limit()
    return max(DELIMITERS, key=told)


def _raise_limit() -> None:
    csv.field_size_limit(LONGEST_CELL * 64)


def _cells(text: str, delimiter: Delimiter, name: str) -> Iterator[list[str]]:
    _raise_limit()
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        for row in reader:
            if row and any(row):
                yield row
    except csv.Error as error:
        do = "Look for a quotation mark that is not closed there."
        raise JobError(f"Line {reader.line_num} cannot be read: {error}.", name, do) from None


def _table(
    lines: Iterator[list[str]],
    name: str,
    wish: TableWish,
    encoding: str,
    delimiter: Delimiter | None,
    sheets: tuple[str, ...] = (),
    sheet: str | None = None,
) -> Table:
    first = list(islice(lines, LOOKED_AT))
    begins = found_begin(first) if wish.begins is None else wish.begins
    first = first[begins - 1 :]
    if not first:
        what = f"There are no rows in this table{f' from row {begins} on' if begins > 1 else ''}."
        raise JobError(what, name, "Give one that holds some.")
    has_header = found_header(first) if wish.header is None else wish.header
    names = column_names(first[0]) if has_header else [f"Column {one}" for one in range(1, _usual(first) + 1)]
    if len(names) > MOST_COLUMNS:
        raise JobError(f"The table has {len(names)} columns.", name, f"Give one of {MOST_COLUMNS} at most.")
    seen = [_Seen() for _ in names]
    rows, odd, odd_count = list[list[str]](), list[OddRow](), 0

    def every() -> Iterator[list[str]]:
        yield from first[1:] if has_header else first
        yield from lines

    for number, row in enumerate(every(), 1):
        if number > MOST_ROWS:
            raise JobError(f"The table has more than {MOST_ROWS} rows.", name, "Give it in parts.")
        if why := _odd(row, len(names)):
            odd_count += 1
            if len(odd) < MOST_ODD:
                odd.append(OddRow(number, why))
        whole = [cell[:LONGEST_CELL].strip() for cell in row[: len(names)]]
        whole += [""] * (len(names) - len(whole))
        for one, cell in zip(seen, whole, strict=True):
            one.see(cell)
        for one, came in zip(seen, row, strict=False):
            one.rounded += isinstance(came, Rounded)
        rows.append(whole)
    if not rows:
        raise JobError("The table has a header and no rows.", name, "Give one that holds some.")
    columns = tuple(one.column(named) for one, named in zip(seen, names, strict=True))
    return Table(columns, rows, encoding, delimiter, has_header, sheets, sheet, tuple(odd), odd_count, begins)


def _odd(row: Sequence[str], wide: int) -> str:
    while row and len(row) > wide and not row[-1].strip():
        row = row[:-1]  # a line that ends with delimiters is no wider for that
    if len(row) != wide:
        return f"It has {len(row)} cells where the table has {wide} columns."
    if long := [cell for cell in row if len(cell) > LONGEST_CELL]:
        return f"A cell holds {len(long[0])} characters; {LONGEST_CELL} is the most."
    return ""


def unfit(cell: str, rounded: bool) -> str:
    """Why what a cell holds is not to be printed, in a sentence; empty: it is. `rounded`: its column holds numbers
    whose last digits are lost."""
    if cell in WRONG:
        return f"A formula had no answer there: {cell}."
    if rounded and len(cell.lstrip("-")) > EXACT_DIGITS and cell.lstrip("-").isdigit():
        return f"{cell} has more digits than a workbook keeps of a number: the last are lost. Save that column as text."
    return ""


def _usual(rows: Sequence[Sequence[str]]) -> int:
    return Counter(len(row) for row in rows).most_common(1)[0][0]


def found_begin(rows: Sequence[Sequence[str]]) -> int:
    """At which row, from 1, a table begins that may have a title above it: rows of hardly a cell, and then a header."""
    filled = [sum(bool(cell.strip()) for cell in row) for row in rows[:200]]
    usual = Counter(filled).most_common(1)[0][0] if filled else 0
    few = max(1, usual // 3)
    at = next((number for number, cells in enumerate(filled) if cells > few), 0)
    return at + 1 if usual > 2 and 0 < at <= MOST_ABOVE and found_header(rows[at:]) else 1


def found_header(rows: Sequence[Sequence[str]]) -> bool:
    """Whether the first row names columns: words that are all different, where a column below holds what is none."""
    head = [cell.strip() for cell in rows[0]]
    if len(rows) < 2 or not all(head) or len({cell.casefold() for cell in head}) < len(head):
        return False
    if any(kind_of(cell) != "words" for cell in head):
        return False
    below = [[kind_of(row[place].strip()) for row in rows[1:200] if place < len(row)] for place in range(len(head))]
    if any(kinds and "words" not in kinds and set(kinds) != {"empty"} for kinds in below):
        return True
    # all columns hold words: a header is not found again below it, and no figure begins a name
    return not any(cell[0].isdigit() for cell in head) and not any(
        cell in {row[place].strip() for row in rows[1:200] if place < len(row)} for place, cell in enumerate(head)
    )


def column_names(head: Sequence[str]) -> list[str]:
    """Names that are all there and all different."""
    names: list[str] = []
    for place, cell in enumerate(head, 1):
        name = " ".join(cell.replace("`", "'").split())[:80] or f"Column {place}"
        known, again = {one.casefold() for one in names}, 2
        whole = name
        while whole.casefold() in known:
            whole, again = f"{name} {again}", again + 1
        names.append(whole)
    return names


def kind_of(cell: str) -> ColumnKind:
    """A number with zeros before it is words: they belong to it."""
    if not cell:
        return "empty"
    if cell[0] not in "0123456789+-.,":
        return "words"
    if _WHOLE.fullmatch(cell):
        return "whole numbers"
    if _NUMBER.fullmatch(cell) and ("." in cell or "," in cell):
        return "numbers"
    return "days" if _DAY.fullmatch(cell) else "words"
