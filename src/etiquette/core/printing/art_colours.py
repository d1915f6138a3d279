"""What of a plate's art can surprise in colour: in which spaces its colours are written, its smallest text, its
thinnest white stroke, and what overprints (ISO 32000-1: 8.6 colour spaces, 8.6.7 overprint, 9.3 text state).

The content is followed as it is drawn, form by form; glyphs and pixels are not looked at."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
import pikepdf
from pikepdf import Name

from etiquette.core.artwork.pdf_state import BLACK, CMYK, GREY, RGB, Space, lookup, space_named, space_of
from etiquette.core.artwork.vectors import Ink
from etiquette.core.geometry.matrices import IDENTITY, Matrix, scale_of, times
from etiquette.core.units import MM_PER_POINT

Overprint = Literal["", "some", "white"]
"""Nothing overprints; something does; something white does, which then is not printed at all."""
DEEPEST = 20
INVISIBLE_TEXT = 3
WHITES = {"#ffffff"}
SPACE_WORDS = {"grey": "grey", "rgb": "RGB", "cmyk": "CMYK", "spot": "spot", "other": "other"}
SETS_SPACE = {"g": GREY, "G": GREY, "rg": RGB, "RG": RGB, "k": CMYK, "K": CMYK}
STROKES, FILLS = {"S", "s"}, {"f", "F", "f*", "sh"}
BOTH = {"B", "B*", "b", "b*"}
SHOWS_TEXT = {"Tj", "TJ", "'", '"'}


@dataclass
class ArtColours:
    """`spaces`: of what is painted, "RGB", "CMYK", "grey", "spot" or "other"; `least_text_pt` and `thin_white_mm`: of
    the smallest text and the thinnest white stroke, None where there is none."""

    spaces: set[str] = field(default_factory=set)
    least_text_pt: float | None = None
    thin_white_mm: float | None = None
    overprint: Overprint = ""


@dataclass(frozen=True)
class _State:
    matrix: Matrix = IDENTITY
    fill_space: Space = GREY
    stroke_space: Space = GREY
    fill: Ink = BLACK
    stroke: Ink = BLACK
    width: float = 1.0
    size: float = 0.0
    render: int = 0
    fills_over: bool = False
    strokes_over: bool = False


def of_designs(pdf: pikepdf.Pdf) -> dict[str, ArtColours]:
    """Of every form that the first page of a plate places (core.printing.plates names designs /D1, /D2 …), by name."""
    forms = pdf.pages[0].get("/Resources", {}).get("/XObject", {})
    return {name.removeprefix("/"): of_form(form) for name, form in forms.items() if _is(form, Name.Form)}


def of_form(form: pikepdf.Object) -> ArtColours:
    """Of one form and all that it places."""
    found = ArtColours()
    _Walk(found).follow(form, _State(), 0)
    return found


class _Walk:
    def __init__(self, found: ArtColours) -> None:
        self._found = found

    def follow(self, form: pikepdf.Object, state: _State, depth: int) -> None:
        if depth > DEEPEST:
            return
        inner = [float(one) for one in form.get("/Matrix", [1, 0, 0, 1, 0, 0])]
        state = replace(state, matrix=times(tuple(inner), state.matrix))  # type: ignore[arg-type]
        resources, kept = form.get("/Resources"), []
        text = IDENTITY
        for operands, operator in _operations(form):
            word = str(operator)
            if word == "q":
                kept.append(state)
            elif word == "Q" and kept:
                state = kept.pop()
            elif word == "BT":
                text = IDENTITY
            elif word == "Tm":
                text = tuple(float(one) for one in operands)  # type: ignore[assignment]
            elif word in SHOWS_TEXT:
                self._text(state, text)
            elif word == "Do":
                self._placed(lookup(resources, "/XObject", operands[0]), state, depth)
            elif word == "sh":
                self._found.spaces.add(SPACE_WORDS[_shading(lookup(resources, "/Shading", operands[0])).kind])
            elif word in STROKES | FILLS | BOTH:
                self._painted(state, word)
            else:
                state = _changed(state, word, operands, resources)

    def _placed(self, placed: Any, state: _State, depth: int) -> None:
        if _is(placed, Name.Form):
            self.follow(placed, state, depth + 1)
        elif _is(placed, Name.Image):
            if placed.get("/ImageMask"):
                self._painted(state, "f")
            elif "/ColorSpace" in placed:
                self._found.spaces.add(SPACE_WORDS[_of_pixels(placed.ColorSpace).kind])

    def _painted(self, state: _State, word: str) -> None:
        if word not in STROKES:
            self._counted(state.fill_space, state.fill, state.fills_over)
        if word not in FILLS:
            self._counted(state.stroke_space, state.stroke, state.strokes_over)
            if _is_white(state.stroke_space, state.stroke):
                width = state.width * scale_of(state.matrix) * MM_PER_POINT
                self._found.thin_white_mm = min(width, self._found.thin_white_mm or width)

    def _counted(self, space: Space, ink: Ink, over: bool) -> None:
        self._found.spaces.add(SPACE_WORDS[space.kind])
        if over and _is_white(space, ink):
            self._found.overprint = "white"
        elif over and self._found.overprint == "":
            self._found.overprint = "some"

    def _text(self, state: _State, text: Matrix) -> None:
        if state.render == INVISIBLE_TEXT or state.size <= 0:
            return
        self._painted(state, "f")
        points = state.size * _height(times(text, state.matrix))
        if points > 0:
            self._found.least_text_pt = min(points, self._found.least_text_pt or points)


def _operations(form: pikepdf.Object) -> Iterator[tuple[Any, Any]]:
    try:
        yield from pikepdf.parse_content_stream(form)
    except pikepdf.PdfError:
        return  # the printer says what is wrong with it; nothing of it can be told here


def _changed(state: _State, word: str, operands: Any, resources: Any) -> _State:
    """What an operator changes of the state."""
    if word == "cm":
        matrix = tuple(float(one) for one in operands)
        return replace(state, matrix=times(matrix, state.matrix))  # type: ignore[arg-type]
    if word == "w":
        return replace(state, width=float(operands[0]))
    if word == "Tf":
        return replace(state, size=abs(float(operands[1])))
    if word == "Tr":
        return replace(state, render=int(operands[0]))
    if word == "gs":
        return _by_state(state, lookup(resources, "/ExtGState", operands[0]))
    if word in SETS_SPACE:
        space = SETS_SPACE[word]
        ink = space.ink([float(one) for one in operands])
        return _with_fill(state, space, ink) if word.islower() else replace(state, stroke_space=space, stroke=ink)
    if word in ("cs", "CS"):
        space = space_named(operands[0], resources)
        return _with_fill(state, space, BLACK) if word == "cs" else replace(state, stroke_space=space)
    if word in ("sc", "scn", "SC", "SCN"):
        numbers = [float(one) for one in operands if not isinstance(one, pikepdf.Name)]
        if word.islower():
            return replace(state, fill=state.fill_space.ink(numbers))
        return replace(state, stroke=state.stroke_space.ink(numbers))
    return state


def _with_fill(state: _State, space: Space, ink: Ink) -> _State:
    return replace(state, fill_space=space, fill=ink)


def _by_state(state: _State, held: Any) -> _State:
    """ISO 32000-1, table 58: OP sets both where op is not said."""
    if not isinstance(held, pikepdf.Dictionary):
        return state
    strokes = bool(held.get("/OP", state.strokes_over))
    fills = bool(held.get("/op", held.get("/OP", state.fills_over)))
    width = float(held.get("/LW", state.width))
    return replace(state, strokes_over=strokes, fills_over=fills, width=width)


def _is(placed: Any, kind: pikepdf.Name) -> bool:
    return isinstance(placed, pikepdf.Stream) and placed.get("/Subtype") == kind


def _of_pixels(held: Any) -> Space:
    """Of a picture: an indexed one counts as the space of its table."""
    if isinstance(held, pikepdf.Array) and len(held) > 1 and held[0] in (Name.Indexed, Name.I):
        return space_of(held[1])
    return space_of(held)


def _shading(held: Any) -> Space:
    return _of_pixels(held.get("/ColorSpace")) if isinstance(held, pikepdf.Dictionary | pikepdf.Stream) else GREY


def _is_white(space: Space, ink: Ink) -> bool:
    """No ink at all: white in a process space. A spot at nothing is a spot all the same."""
    return space.kind != "spot" and ink.colour in WHITES


def _height(matrix: Matrix) -> float:
    """How high one unit of text stands."""
    return float(np.hypot(matrix[2], matrix[3]))
