"""The order in which the letters of a line are read from left to right: the Unicode Bidirectional Algorithm (UAX 9), by
GNU FriBidi, which Pango and so librsvg bring along."""

import ctypes
from collections.abc import Sequence
from functools import cache
from typing import Literal

Base = Literal["auto", "left to right", "right to left"]
# fribidi-types.h: paragraph directions
_PARAGRAPH = {"auto": 0x40, "left to right": 0x110, "right to left": 0x111}
_SEPARATORS = "\t\n\r\x0b\x0c\x1c\x1d\x1e\x1f\x85\u2029"


@cache
def _library() -> ctypes.CDLL:
    return ctypes.CDLL("libfribidi.so.0")


def levels_of(text: str, base: Base = "auto") -> tuple[list[int], int]:
    """The embedding level of every character of a line (UAX 9, P2 to I2 and L1), and that of the line: odd ones run
    from right to left."""
    size = len(text)
    if size == 0 or (text.isascii() and base != "right to left"):  # nothing in it runs from right to left
        return [0] * size, 1 if base == "right to left" else 0
    library, characters = _library(), (ctypes.c_uint32 * size)(*map(ord, text))
    types, brackets = (ctypes.c_uint32 * size)(), (ctypes.c_uint32 * size)()
    levels, direction = (ctypes.c_int8 * size)(), ctypes.c_uint32(_PARAGRAPH[base])
    library.fribidi_get_bidi_types(characters, size, types)
    library.fribidi_get_bracket_types(characters, size, types, brackets)
    if not library.fribidi_get_par_embedding_levels_ex(types, brackets, size, ctypes.byref(direction), levels):
        raise MemoryError
    own = direction.value & 1
    found = list(levels)
    ends = True  # L1: what is white at the end of the line, or before a separator, has the level of the line
    for place in range(size - 1, -1, -1):
        if text[place] in _SEPARATORS:
            ends = True
        elif not (text[place].isspace() or "\u2066" <= text[place] <= "\u2069"):
            ends = False
        if ends:
            found[place] = own
    return found, own


def visual_order(levels: Sequence[int]) -> list[int]:
    """The places of runs, given their levels in logical order, from left to right (UAX 9, L2)."""
    order = list(range(len(levels)))
    if not levels:
        return order
    for level in range(max(levels), 0, -1):
        at = 0
        while at < len(order):
            end = at
            while end < len(order) and levels[order[end]] >= level:
                end += 1
            order[at:end] = order[at:end][::-1]
            at = max(end, at + 1)
    return order
