"""What is printed of a row on a copy of a design, and where: words, codes, pictures. Boxes are in design millimetres,
y up, turned about their middle."""

from dataclasses import dataclass
from typing import Literal

from etiquette.core.variable.codes import CodeKind
from etiquette.core.variable.serials import Serial

Align = Literal["start", "left", "centre", "right"]
Upright = Literal["top", "middle", "bottom"]
Fit = Literal["shrink", "wrap", "refuse"]


@dataclass(frozen=True)
class Paint:
    """What a field is painted with: full black, RGB shares, or a colour of the shop by name with its look in CMYK
    shares."""

    kind: Literal["black", "rgb", "spot"] = "black"
    values: tuple[float, ...] = ()
    name: str = ""


BLACK = Paint()


@dataclass(frozen=True)
class Box:
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    turn_deg: float = 0.0


@dataclass(frozen=True)
class Part:
    """What all fields have. `shown_if`: an expression; the field is left out of rows for which it says no. `unique`:
    no two rows may say the same; `may_be_empty`: a row that says nothing is no mistake."""

    name: str
    box: Box
    says: str
    shown_if: str = ""
    unique: bool = False
    may_be_empty: bool = False


@dataclass(frozen=True)
class TextField(Part):
    """Words. `fit`: smaller down to `least_pt` where they do not fit, over several lines, or refused. `curve_mm`: the
    radius of the circle they stand on, above 0 arched, below hanging; 0: straight. `tracking` in thousandths of an
    em."""

    font: str = "Noto Sans Regular"
    size_pt: float = 10.0
    least_pt: float = 5.0
    fit: Fit = "shrink"
    align: Align = "start"
    upright: Upright = "middle"
    tracking: float = 0.0
    line_height: float = 1.2
    curve_mm: float = 0.0
    paint: Paint = BLACK


@dataclass(frozen=True)
class CodeField(Part):
    """A code, as large as its box allows. `ground`: white is laid under it; `least_module_mm`: what it must not fall
    below; `spread_mm`: by how much ink makes dark modules wider, taken off beforehand on every side."""

    kind: CodeKind = "data matrix"
    level: str = ""
    least_module_mm: float = 0.25
    ground: bool = False
    spread_mm: float = 0.0
    paint: Paint = BLACK


@dataclass(frozen=True)
class PictureField(Part):
    """A picture by the name of its file, as large as its box allows."""


Field = TextField | CodeField | PictureField


@dataclass(frozen=True)
class FieldSet:
    """The fields of a design in the order they are drawn, the serials they can name, and the dots an inch of the
    printer that codes are made for."""

    fields: tuple[Field, ...]
    serials: tuple[Serial, ...] = ()
    dpi: float = 600.0
