"""How large braille is: dots, cells and lines, as published sets of sizes ask for them. Millimetres."""

from dataclasses import dataclass

Range = tuple[float, float]


@dataclass(frozen=True)
class Sizes:
    """A published set of sizes. Each measure is a range and what we make it: `dot` is the diameter of a dot's base,
    `height` that of its dome, `dots` from the middle of a dot to the next in one cell, `cells` and `lines` between the
    same dots of neighbouring cells and of lines below each other. `contracted`: uncontracted braille is refused."""

    key: str
    name: str
    source: str
    dot: Range
    height: Range
    dots: Range
    cells: Range
    lines: Range
    made_dot: float
    made_height: float
    made_dots: float
    made_cells: float
    made_lines: float
    contracted: bool = False


ADA_2010 = Sizes(
    "ada-2010", "2010 ADA Standards, 703.3", "2010 ADA Standards for Accessible Design, 703.3 and table 703.3.1",
    dot=(1.5, 1.6), height=(0.6, 0.9), dots=(2.3, 2.5), cells=(6.1, 7.6), lines=(10.0, 10.2),
    made_dot=1.55, made_height=0.75, made_dots=2.4, made_cells=6.4, made_lines=10.1, contracted=True,
)  # fmt: skip
NLS_800 = Sizes(
    "nls-800", "NLS Specification 800",
    "National Library Service for the Blind, Specification 800: Braille Books and Pamphlets; values from memory",
    dot=(1.40, 1.48), height=(0.44, 0.52), dots=(2.30, 2.38), cells=(6.18, 6.26), lines=(10.12, 10.20),
    made_dot=1.44, made_height=0.48, made_dots=2.34, made_cells=6.22, made_lines=10.16,
)  # fmt: skip
MARBURG = Sizes(
    "marburg-medium", "Marburg Medium, as in EN 15823",
    "EN 15823:2010, Braille on packaging for medicinal products; values from memory",
    dot=(1.3, 1.6), height=(0.12, 0.5), dots=(2.4, 2.6), cells=(5.9, 6.1), lines=(9.9, 10.1),
    made_dot=1.5, made_height=0.25, made_dots=2.5, made_cells=6.0, made_lines=10.0,
)  # fmt: skip
SIZES: dict[str, Sizes] = {one.key: one for one in (ADA_2010, NLS_800, MARBURG)}
