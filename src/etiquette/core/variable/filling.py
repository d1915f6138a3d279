"""One copy of a design filled with its row: what is drawn where, and what is wrong with it."""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from etiquette.core.units import MM_PER_POINT
from etiquette.core.variable.codes import Symbol, SymbolPlace, content_of, placed, symbol
from etiquette.core.variable.expressions import CannotSay, Expression, Template, is_true, read_expression, read_template
from etiquette.core.variable.fields import Box, CodeField, Field, FieldSet, Paint, PictureField, TextField
from etiquette.core.variable.fonts import Font, FontShelf
from etiquette.core.variable.shaping import Glyph, ShapedLine, shaped
from etiquette.core.variable.tables import unfit

MOST_LINES = 60
ROW = "Row"
"""A column that every row has: its number, from 1."""


@dataclass(frozen=True)
class Trouble:
    """What is wrong with the field of a row (from 1), in a sentence."""

    row: int
    field: str
    why: str


@dataclass(frozen=True)
class DrawnGlyphs:
    """Glyphs along a baseline that begins at (x, y) and runs at `turn_deg`; `size_mm` to the em."""

    font: Font
    size_mm: float
    x_mm: float
    y_mm: float
    turn_deg: float
    glyphs: tuple[Glyph, ...]
    paint: Paint


@dataclass(frozen=True)
class DrawnCode:
    """A code in the middle of its box."""

    symbol: Symbol
    place: SymbolPlace
    box: Box
    spread_mm: float
    ground: bool
    paint: Paint


@dataclass(frozen=True)
class DrawnPicture:
    name: str
    box: Box


Drawn = DrawnGlyphs | DrawnCode | DrawnPicture


@dataclass(frozen=True)
class Measure:
    """How a field came out: the words, the size of its letters (points) or the side of its modules (mm)."""

    field: str
    words: str
    size_pt: float | None = None
    module_mm: float | None = None


@dataclass(frozen=True)
class FilledCopy:
    row: int
    drawn: tuple[Drawn, ...]
    troubles: tuple[Trouble, ...]
    measures: tuple[Measure, ...]


@dataclass(frozen=True)
class _Read:
    field: Field
    says: Template
    shown_if: Expression | None


class Filling:
    """Fields made ready for many rows. Raises JobError when an expression cannot be read, names a column that is not
    there, or a font is missing."""

    def __init__(
        self,
        fields: FieldSet,
        columns: Sequence[str],
        fonts: FontShelf,
        today: date,
        pictures: Collection[str] = (),
        rounded: Collection[str] = (),
    ) -> None:
        """`rounded`: columns that hold numbers whose last digits are lost."""
        self._fields, self._fonts, self._today = fields, fonts, today
        self._rounded = frozenset(rounded)
        self._pictures = {name.casefold(): name for name in pictures}
        known = [*columns, *(one.name for one in fields.serials), ROW]
        self._reads = [
            _Read(
                one,
                read_template(one.says, known, one.name),
                read_expression(one.shown_if, known, one.name) if one.shown_if.strip() else None,
            )
            for one in fields.fields
        ]
        for one in fields.fields:
            if isinstance(one, TextField):
                fonts.font(one.font)

    def filled(self, number: int, cells: Mapping[str, str]) -> FilledCopy:
        """The copy of row `number` (from 1), its cells by column."""
        drawn, troubles, measures = list[Drawn](), list[Trouble](), list[Measure]()
        row, bad = {**cells, ROW: str(number)}, dict[str, str]()
        for serial in self._fields.serials:
            try:
                row[serial.name] = serial.of(number)
            except CannotSay as error:
                row[serial.name], bad[serial.name] = "", str(error)
        for read in self._reads:
            try:
                asked = read.says.names | (read.shown_if.names if read.shown_if else frozenset())
                for name in asked & bad.keys():
                    raise CannotSay(bad[name])
                for name in asked & cells.keys():
                    if why := unfit(cells[name], name in self._rounded):
                        raise CannotSay(why)
                if read.shown_if and not is_true(read.shown_if.value(row, self._today)):
                    continue
                words = read.says.said(row, self._today).strip()
                made, measure, wrong = self._drawn(read.field, words)
                drawn += made
                measures.append(measure)
                troubles += [Trouble(number, read.field.name, one) for one in wrong]
            except CannotSay as error:
                troubles.append(Trouble(number, read.field.name, _sentence(str(error))))
        return FilledCopy(number, tuple(drawn), tuple(troubles), tuple(measures))

    def _drawn(self, field: Field, words: str) -> tuple[Sequence[Drawn], Measure, Sequence[str]]:
        if not words:
            return (), Measure(field.name, ""), () if field.may_be_empty else ("It is empty.",)
        if isinstance(field, TextField):
            return _text(field, words, self._fonts)
        if isinstance(field, CodeField):
            return _code(field, words, self._fields.dpi)
        return self._picture(field, words)

    def _picture(self, field: PictureField, words: str) -> tuple[Sequence[Drawn], Measure, Sequence[str]]:
        name = self._pictures.get(words.casefold())
        if name is None:
            raise CannotSay(f"there is no picture “{words[:80]}”")
        return (DrawnPicture(name, field.box),), Measure(field.name, words), ()


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".") + "."


def _code(field: CodeField, words: str, dpi: float) -> tuple[Sequence[Drawn], Measure, Sequence[str]]:
    made = symbol(field.kind, content_of(field.kind, words), field.level)
    place = placed(made, field.box.width_mm, field.box.height_mm, dpi)
    wrong = []
    if place.module_mm < field.least_module_mm - 1e-9:
        wrong.append(f"A module is {place.module_mm:.3f} mm; {field.least_module_mm:.3f} mm is the least asked.")
    if 2 * field.spread_mm >= place.module_mm:
        wrong.append(f"Of modules of {place.module_mm:.3f} mm nothing is left when the ink's spread is taken off.")
    one = DrawnCode(made, place, field.box, min(field.spread_mm, place.module_mm * 0.45), field.ground, field.paint)
    return (one,), Measure(field.name, words, module_mm=place.module_mm), wrong


def _text(field: TextField, words: str, fonts: FontShelf) -> tuple[Sequence[Drawn], Measure, Sequence[str]]:
    lines, size_pt, why = _fitted(field, words, fonts)
    wrong = [why] if why else []
    if missing := "".join(dict.fromkeys("".join(line.missing for line in lines))):
        wrong.append(f"No font that is there has {', '.join(f'“{one}” (U+{ord(one):04X})' for one in missing[:5])}.")
    drawn = _curved(field, lines[0], size_pt) if field.curve_mm else _straight(field, lines, size_pt, fonts)
    return drawn, Measure(field.name, words, size_pt=round(size_pt, 2)), wrong


def _fitted(field: TextField, words: str, fonts: FontShelf) -> tuple[list[ShapedLine], float, str]:
    """The lines of a text and their size, as large as asked or as fits; and why it does not fit at the least size."""
    paragraphs = [words.replace("\n", " ")] if field.curve_mm else words.splitlines()[:MOST_LINES]
    plain = [_shaped(field, one, fonts) for one in paragraphs]
    size = field.size_pt
    if _fits(field, plain, size):
        return plain, size, ""
    wide = _room(field)
    if field.fit == "wrap" and not field.curve_mm:
        wrapped = _wrapped(field, paragraphs, size, fonts)
        while not _fits(field, wrapped, size) and size > field.least_pt:
            size = max(field.least_pt, size * 0.96)
            wrapped = _wrapped(field, paragraphs, size, fonts)
        return wrapped, size, "" if _fits(field, wrapped, size) else _too_large(field, wrapped, size)
    if field.fit == "shrink":
        widest = max(line.width for line in plain) * MM_PER_POINT
        high = field.box.height_mm / (len(plain) * field.line_height * MM_PER_POINT)
        size = max(field.least_pt, min(size, wide / widest if widest else size, high if not field.curve_mm else size))
    return plain, size, "" if _fits(field, plain, size) else _too_large(field, plain, size)


def _shaped(field: TextField, words: str, fonts: FontShelf) -> ShapedLine:
    return shaped(words, fonts, field.font, field.tracking / 1000)


def _room(field: TextField) -> float:
    """What a line may be long: the box, or its circle but for a gap."""
    return min(field.box.width_mm, 1.9 * math.pi * abs(field.curve_mm)) if field.curve_mm else field.box.width_mm


def _fits(field: TextField, lines: Sequence[ShapedLine], size_pt: float) -> bool:
    size = size_pt * MM_PER_POINT
    high = len(lines) * field.line_height * size
    return max(line.width for line in lines) * size <= _room(field) + 0.005 and (
        bool(field.curve_mm) or high <= field.box.height_mm + 0.005
    )


def _too_large(field: TextField, lines: Sequence[ShapedLine], size_pt: float) -> str:
    size = size_pt * MM_PER_POINT
    wide, high = max(line.width for line in lines) * size, len(lines) * field.line_height * size
    at = f"at {size_pt:.1f} pt" + (", the least that was asked" if field.fit != "refuse" else "")
    if wide > _room(field) + 0.005:
        return f"It does not fit: {wide:.1f} mm wide {at}, where there are {_room(field):.1f} mm."
    return f"It does not fit: {high:.1f} mm high {at}, where there are {field.box.height_mm:.1f} mm."


def _wrapped(field: TextField, paragraphs: Sequence[str], size_pt: float, fonts: FontShelf) -> list[ShapedLine]:
    """Lines broken at spaces."""
    room = field.box.width_mm / (size_pt * MM_PER_POINT)
    lines: list[ShapedLine] = []
    for paragraph in paragraphs:
        words, line = paragraph.split() or [""], ""
        for word in words:
            longer = f"{line} {word}" if line else word
            if line and _shaped(field, longer, fonts).width > room:
                lines.append(_shaped(field, line, fonts))
                longer = word
            line = longer
        lines.append(_shaped(field, line, fonts))
        if len(lines) >= MOST_LINES:
            break
    return lines


def _straight(field: TextField, lines: Sequence[ShapedLine], size_pt: float, fonts: FontShelf) -> list[DrawnGlyphs]:
    """Lines in their box, turned about its middle."""
    box, size = field.box, size_pt * MM_PER_POINT
    step = field.line_height * size
    rise, fall = fonts.font(field.font).rise
    free = box.height_mm - len(lines) * step
    top = box.height_mm - {"top": 0.0, "middle": free / 2, "bottom": free}[field.upright]
    drawn = []
    for number, line in enumerate(lines):
        # letters stand in the middle of their line
        baseline = top - number * step - step / 2 - (rise - fall) / 2 * size
        align = field.align if field.align != "start" else ("right" if line.rtl else "left")
        spare = box.width_mm - line.width * size
        x = {"left": 0.0, "centre": spare / 2, "right": spare}[align]
        at = _turned(box, x, baseline)
        drawn += [DrawnGlyphs(run.font, size, *at, box.turn_deg, run.glyphs, field.paint) for run in line.runs]
    return drawn


def _curved(field: TextField, line: ShapedLine, size_pt: float) -> list[DrawnGlyphs]:
    """A line on a circle through the middle of its box, glyph by glyph, the middle of each on the circle. Above 0 the
    circle's centre is below, and letters stand outside it; below 0 the other way round."""
    box, size = field.box, size_pt * MM_PER_POINT
    radius, arched = abs(field.curve_mm), field.curve_mm > 0
    middle = (box.width_mm / 2, box.height_mm / 2)
    centre = (middle[0], middle[1] - field.curve_mm)
    spare = {"left": -1.0, "right": 1.0}.get(field.align, 0.0) * (box.width_mm - line.width * size) / 2
    drawn = []
    for run in line.runs:
        for glyph in run.glyphs:
            along = (glyph.x + glyph.advance / 2 - line.width / 2) * size + spare
            turn = (-1 if arched else 1) * along / radius
            foot = (0.0, radius if arched else -radius)
            x = centre[0] - foot[1] * math.sin(turn) - glyph.advance / 2 * size * math.cos(turn)
            y = centre[1] + foot[1] * math.cos(turn) - glyph.advance / 2 * size * math.sin(turn)
            at, own = _turned(box, x, y), Glyph(glyph.number, 0.0, glyph.y, glyph.advance, glyph.text)
            turned = box.turn_deg + math.degrees(turn)
            drawn.append(DrawnGlyphs(run.font, size, *at, turned, (own,), field.paint))
    return drawn


def _turned(box: Box, x: float, y: float) -> tuple[float, float]:
    """A point of the box, from its lower left before it is turned, in design millimetres."""
    turn = math.radians(box.turn_deg)
    dx, dy = x - box.width_mm / 2, y - box.height_mm / 2
    return (
        box.x_mm + box.width_mm / 2 + dx * math.cos(turn) - dy * math.sin(turn),
        box.y_mm + box.height_mm / 2 + dx * math.sin(turn) + dy * math.cos(turn),
    )
