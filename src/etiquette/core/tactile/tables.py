"""Text as braille and back, by liblouis: its own tables say what is contracted and how.

Cells are Unicode braille (U+2800 to U+28FF): the six or eight low bits are the dots 1 to 8."""

import ctypes
from dataclasses import dataclass
from functools import cache
from threading import Lock
from unicodedata import normalize

from etiquette.core.errors import JobError

DISPLAY = "unicode.dis"
MOST_LETTERS = 4000
NO_UNDEFINED = 128
"""liblouis.h, translationModes: letters without cells become nothing instead of their numbers."""
CELL = 0x2800
BLANKS = " \u2800"
PRIVATE = "\ue123\uf0f0"
_ONE_AT_A_TIME = Lock()
"""liblouis keeps its tables in places that all threads share."""


@dataclass(frozen=True)
class Table:
    """A table of liblouis that can be chosen: what it is called, and whether words are contracted."""

    file: str
    name: str
    contracted: bool


TABLES: dict[str, Table] = {
    one.file: one
    for one in (
        Table("en-ueb-g2.ctb", "English, UEB contracted", True),
        Table("en-ueb-g1.ctb", "English, UEB uncontracted", False),
        Table("de-g2.ctb", "German, contracted", True),
        Table("de-g1.ctb", "German, partly contracted", False),
        Table("de-g0.utb", "German, uncontracted", False),
        Table("fr-bfu-g2.ctb", "French, contracted", True),
        Table("fr-bfu-comp6.utb", "French, uncontracted", False),
        Table("es-g1.ctb", "Spanish, uncontracted", False),
        Table("it-it-comp6.utb", "Italian, uncontracted", False),
        Table("nl-NL-g0.utb", "Dutch, uncontracted", False),
        Table("pt-pt-g2.ctb", "Portuguese, contracted", True),
        Table("pt-pt-g1.utb", "Portuguese, uncontracted", False),
        Table("sv-g0.utb", "Swedish, uncontracted", False),
        Table("da-dk-g16.ctb", "Danish, uncontracted", False),
        Table("da-dk-g26.ctb", "Danish, contracted", True),
        Table("no-no-g0.utb", "Norwegian, uncontracted", False),
        Table("fi.utb", "Finnish, uncontracted", False),
    )
}


@dataclass(frozen=True)
class Braille:
    """Lines of cells, and what liblouis reads back out of them."""

    cells: tuple[str, ...]
    back: tuple[str, ...]


@cache
def _library() -> ctypes.CDLL:
    found = ctypes.CDLL("liblouis.so.20")
    found.lou_version.restype = ctypes.c_char_p
    return found


def version() -> str:
    """Of liblouis."""
    return str(_library().lou_version().decode())


def to_braille(text: str, table: str) -> Braille:
    """Every line of `text` as cells, by the table of that name. Raises JobError for a table that is not offered, for
    more than MOST_LETTERS, and for letters that the table has no cells for."""
    if table not in TABLES:
        raise JobError(f"There is no braille table {table}.", table, f"Choose one of {', '.join(TABLES)}.")
    if len(text) > MOST_LETTERS:
        raise JobError(f"A sign of {len(text)} letters is no sign.", text[:20], f"Write {MOST_LETTERS} at most.")
    lines = normalize("NFC", text).splitlines()
    for letter in sorted({one for line in lines for one in line if not one.isspace()}):
        if _is_unknown(letter, table):
            what = f"“{letter}” has no cells in this table."
            raise JobError(what, letter, "Write it in words, or choose another table.")
    cells = tuple(_said(line, table) for line in lines)
    return Braille(cells, tuple(_said(line, table, back=True) for line in cells))


def _is_unknown(letter: str, table: str) -> bool:
    """Whether a table has no cells for a letter. Some put the same sign, or a blank, in the place of every letter that
    they do not know, and a sign would be made of it: that is told by a letter nobody knows. ASCII may have that sign
    by right."""
    said = _said(letter, table)
    return not said.strip(BLANKS) or (not letter.isascii() and said == _of_the_unknown(table))


@cache
def _of_the_unknown(table: str) -> str:
    """What a table says of letters that nobody else knows either (Unicode's private use)."""
    first, second = (_said(letter, table) for letter in PRIVATE)
    return first if first == second else ""


def _said(line: str, table: str, back: bool = False) -> str:
    """Through liblouis, one way or the other; what it has nothing for is left out. Raises JobError."""
    library = _library()
    with _ONE_AT_A_TIME:
        unit = ctypes.c_uint32 if library.lou_charSize() == 4 else ctypes.c_uint16
        coded = line.encode("utf-32-le" if unit is ctypes.c_uint32 else "utf-16-le", "surrogatepass")
        count = len(coded) // ctypes.sizeof(unit)
        given = (unit * max(1, count)).from_buffer_copy(coded or bytes(ctypes.sizeof(unit)))
        room = 8 * count + 64
        made = (unit * room)()
        read, written = ctypes.c_int(count), ctypes.c_int(room)
        ask = library.lou_backTranslateString if back else library.lou_translateString
        tables = f"{DISPLAY},{table}".encode()
        done = ask(tables, given, ctypes.byref(read), made, ctypes.byref(written), None, None, NO_UNDEFINED)
    if not done:
        raise JobError("The text could not be put into braille.", line, "Choose another table, or write it otherwise.")
    if read.value < count:
        raise JobError("The line is too long for braille.", line, "Break it into lines.")
    raw = bytes(made)[: written.value * ctypes.sizeof(unit)]
    return raw.decode("utf-32-le" if unit is ctypes.c_uint32 else "utf-16-le", "surrogatepass")


def dots_of(cell: str) -> tuple[int, ...]:
    """The raised dots of a cell, 1 to 8."""
    bits = ord(cell) - CELL
    return tuple(number for number in range(1, 9) if bits & 1 << number - 1)
