"""Braille on a sign: where every dot stands. Millimetres, x to the right, y up."""

from dataclasses import dataclass
from math import ceil

import numpy as np
from numpy.typing import NDArray

from etiquette.core.errors import JobError
from etiquette.core.tactile.sizes import Sizes
from etiquette.core.tactile.tables import TABLES, Braille, dots_of, to_braille

COLUMN_OF = {1: 0, 2: 0, 3: 0, 7: 0, 4: 1, 5: 1, 6: 1, 8: 1}
ROW_OF = {1: 0, 4: 0, 2: 1, 5: 1, 3: 2, 6: 2, 7: 3, 8: 3}
NOTE = "Have a reader of braille proof it before it is made; local rules differ."
SLACK_MM = 1e-6


@dataclass(frozen=True)
class Dots:
    """Braille set out: `places` (n, 2) are the middles of its dots from its lower left corner; `width_mm` by
    `height_mm` is the box round their bases."""

    braille: Braille
    sizes: Sizes
    places: NDArray[np.float64]
    width_mm: float
    height_mm: float


def sentence_case(text: str) -> str:
    """Text as braille is made from: 703.3.1 keeps capitals for the beginning of sentences, names, single letters,
    initials and acronyms, while signs are lettered in capitals. A line all in capitals becomes small, but for single
    letters; any other stays as it is typed."""
    return "\n".join(line if line != line.upper() else _small(line) for line in text.splitlines())


def _small(line: str) -> str:
    words = line.split(" ")
    return " ".join(word if len(word.strip(".,")) < 2 else word.lower() for word in words)


def set_out(text: str, table: str, sizes: Sizes) -> Dots:
    """`text` as dots of these sizes. Raises JobError when the set refuses the table, or nothing is said."""
    if sizes.contracted and table in TABLES and not TABLES[table].contracted:
        raise JobError(
            f"{sizes.name} asks for contracted braille; {TABLES[table].name} is not.",
            table,
            "Choose a contracted table, or other sizes.",
        )
    made = to_braille(text, table)
    places = [
        (column * sizes.made_cells + COLUMN_OF[dot] * sizes.made_dots,
         -line * sizes.made_lines - ROW_OF[dot] * sizes.made_dots)
        for line, cells in enumerate(made.cells)
        for column, cell in enumerate(cells)
        for dot in dots_of(cell)
    ]  # fmt: skip
    if not places:
        raise JobError("There is nothing to put into braille.", "text", "Write what the sign says.")
    every = np.array(places)
    half = sizes.made_dot / 2
    low, high = every.min(axis=0) - half, every.max(axis=0) + half
    return Dots(made, sizes, every - low, float(high[0] - low[0]), float(high[1] - low[1]))


def passes_for(height_mm: float, a_pass_mm: float) -> int:
    """How often a printer that builds height in passes goes over a dot. Raises JobError."""
    if a_pass_mm <= 0:
        raise JobError("A pass adds no height.", "height of a pass", "Measure what one pass adds.")
    return ceil(height_mm / a_pass_mm - SLACK_MM)
