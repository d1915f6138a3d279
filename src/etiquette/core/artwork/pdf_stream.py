"""The walk through the content streams of a PDF page, forms within forms included (ISO 32000-1: 8.5 paths, 8.8 and 8.10
external objects, 14.6 marked content).

Each stream is written again as it is read; where a path is to go, the operators that paint it are left out and
everything else stays as it was: text, pictures, clips, colours."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pikepdf
import shapely
from pikepdf import Name, Operator
from shapely import Polygon

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.pdf_gathered import MOST_OPERATORS, Gathered, Removal
from etiquette.core.artwork.pdf_path import FILL_ALONE, PAINTS, STROKE_ALONE, PathUnderWay
from etiquette.core.artwork.pdf_state import (
    CAPS,
    CMYK,
    DEEPEST_GROUPS,
    GREY,
    JOINS,
    RGB,
    Layer,
    State,
    copied_resources,
    lookup,
    space_named,
    space_of,
)
from etiquette.core.artwork.vectors import MOST_PATHS, PaintedPath, filled
from etiquette.core.errors import JobError
from etiquette.core.geometry.matrices import IDENTITY, applied, scale_of
from etiquette.core.geometry.paths import Path

DEEPEST_FORMS = 24
CLIP_TOLERANCE_MM = 0.02

MASKS = ("/SMask", "/SMaskInData", "/Mask", "/ImageMask")
"""What a picture has that is seen in part only (ISO 32000-1, 8.9.6)."""
SHOWS_TEXT = {"Tj", "TJ", "'", '"'}
CLIPS = 4  # modes of text from here on are a clip as well (ISO 32000-1, 9.3.6)


def walk_stream(
    every: Gathered,
    instructions: list[Any],
    resources: Any,
    state: State,
    layers: tuple[Layer, ...] = (),
    depth: int = 0,
    inside: tuple[tuple[int, int], ...] = (),
) -> tuple[bool, list[Any]]:
    """Walk one content stream. Returns whether anything was taken out, and the instructions that stay."""
    return _Stream(every, resources, state, layers, depth, inside).walk(instructions)


@dataclass
class _Group:
    """One level of marked content: its layers, and whether it is switched off."""

    layers: tuple[Layer, ...]
    hidden: bool


class _Stream:
    """The walk through one content stream; forms start another."""

    def __init__(
        self,
        every: Gathered,
        resources: Any,
        state: State,
        layers: tuple[Layer, ...],
        depth: int,
        inside: tuple[tuple[int, int], ...],
    ) -> None:
        self._all, self._resources, self._state = every, resources, state
        self._depth, self._inside = depth, inside
        self._saved: list[State] = []
        self._groups = [_Group(layers, any(layer.hidden for layer in layers))]
        self._kept: list[Any] = []
        self._changed = False
        self._path = PathUnderWay(lambda: self._state.matrix)
        self._clips: str | None = None

    def walk(self, instructions: list[Any]) -> tuple[bool, list[Any]]:
        for instruction in instructions:
            self._all.operators += 1
            if self._all.operators > MOST_OPERATORS:
                raise self._all.too_many()
            if isinstance(instruction, pikepdf.ContentStreamInlineImage):
                self._image(instruction, masked=bool(instruction.iimage.image_mask))
                continue
            name = str(instruction.operator)
            handler = _HANDLERS.get(name)
            if handler is None:
                self._kept.append(instruction)
            else:
                handler(self, name, list(instruction.operands), instruction)
        return self._changed, self._kept

    # --- state

    def save(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._saved.append(self._state)
        self._kept.append(instruction)

    def restore(self, name: str, operands: list[Any], instruction: Any) -> None:
        if self._saved:
            self._state = self._saved.pop()
        self._kept.append(instruction)

    def concatenate(self, name: str, operands: list[Any], instruction: Any) -> None:
        a, b, c, d, e, f = (float(value) for value in operands)
        self._state = self._state.with_matrix((a, b, c, d, e, f))
        self._kept.append(instruction)

    def setting(self, name: str, operands: list[Any], instruction: Any) -> None:
        value = float(operands[0])
        if name == "w":
            self._state = self._state.but(width=value)
        elif name == "J":
            self._state = self._state.but(cap=CAPS[int(value) % 3])
        else:
            self._state = self._state.but(join=JOINS[int(value) % 3])
        self._kept.append(instruction)

    def external_state(self, name: str, operands: list[Any], instruction: Any) -> None:
        found = lookup(self._resources, "/ExtGState", operands[0])
        if isinstance(found, pikepdf.Dictionary):
            self._state = self._state.set_by(found)
        self._kept.append(instruction)

    def device_colour(self, name: str, operands: list[Any], instruction: Any) -> None:
        space = {"g": GREY, "rg": RGB, "k": CMYK}[name.lower()]
        ink = space.ink([float(value) for value in operands])
        self._state = (
            self._state.but(fill_space=space, fill=ink)
            if name.islower()
            else self._state.but(stroke_space=space, stroke=ink)
        )
        self._kept.append(instruction)

    def colour_space(self, name: str, operands: list[Any], instruction: Any) -> None:
        space = space_named(operands[0], self._resources)
        ink = space.ink([0.0] * {"grey": 1, "rgb": 3, "cmyk": 4}.get(space.kind, 0))
        if space is CMYK:
            ink = space.ink([0, 0, 0, 1.0])
        self._state = (
            self._state.but(fill_space=space, fill=ink)
            if name == "cs"
            else self._state.but(stroke_space=space, stroke=ink)
        )
        self._kept.append(instruction)

    def colour(self, name: str, operands: list[Any], instruction: Any) -> None:
        numbers = [float(value) for value in operands if not isinstance(value, pikepdf.Name)]
        if name.islower():
            self._state = self._state.but(fill=self._state.fill_space.ink(numbers))
        else:
            self._state = self._state.but(stroke=self._state.stroke_space.ink(numbers))
        self._kept.append(instruction)

    # --- layers

    def begin_content(self, name: str, operands: list[Any], instruction: Any) -> None:
        if len(self._groups) > DEEPEST_GROUPS:
            raise ValueError("marked content is nested too deep")
        group = self._groups[-1]
        layers = group.layers
        if name == "BDC" and operands and operands[0] == Name.OC:
            held = operands[1] if len(operands) > 1 else None
            found = lookup(self._resources, "/Properties", held) if isinstance(held, pikepdf.Name) else held
            layers = (*layers, *self._all.layers.of(found))
        self._groups.append(_Group(layers, group.hidden or any(layer.hidden for layer in layers)))
        self._kept.append(instruction)

    def end_content(self, name: str, operands: list[Any], instruction: Any) -> None:
        if len(self._groups) > 1:
            self._groups.pop()
        self._kept.append(instruction)

    def _is_hidden(self) -> bool:
        group = self._groups[-1]
        if group.hidden:
            self._all.hidden.update(layer.name for layer in group.layers if layer.hidden)
            self._changed = True
        return group.hidden

    # --- paths

    def move(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._path.move(operands)
        self._kept.append(instruction)

    def line(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._path.line(operands)
        self._kept.append(instruction)

    def curve(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._path.curve(name, operands)
        self._kept.append(instruction)

    def close(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._path.close()
        self._kept.append(instruction)

    def rectangle(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._path.rectangle(operands)
        self._kept.append(instruction)

    def clip(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._clips = name
        self._kept.append(instruction)

    def paint(self, name: str, operands: list[Any], instruction: Any) -> None:
        fills, strokes, even_odd, closes = PAINTS[name]
        paths = self._path.taken(closes)
        removal: Removal = "keep"
        if (fills or strokes) and paths:
            hidden = self._is_hidden()
            removal = "all" if hidden else self._painted(paths, fills, strokes, even_odd)
        if self._clips:
            self._narrow(paths, self._clips == "W*")
            self._clips = None
        if removal == "keep" or self._all.decide is None:
            self._kept.append(instruction)
            return
        self._changed = True
        left = {"stroke": FILL_ALONE, "fill": STROKE_ALONE}.get(removal, {}).get(name, "n")
        self._kept.append(pikepdf.ContentStreamInstruction([], Operator(left)))

    def _painted(self, paths: tuple[Path, ...], fills: bool, strokes: bool, even_odd: bool) -> Removal:
        every, state, layers = self._all, self._state, self._groups[-1].layers
        every.count += 1
        if every.count > MOST_PATHS:
            raise JobError(
                f"The drawing has more than {MOST_PATHS:,} paths.".replace(",", " "),
                every.name,
                "Simplify it, or save it as a picture.",
            )
        step: Kind | None = next((layer.step for layer in reversed(layers) if layer.step), None)
        painted = PaintedPath(
            every.count - 1,
            paths,
            state.fill if fills else None,
            state.stroke if strokes else None,
            state.width * scale_of(state.matrix),
            even_odd,
            state.cap,
            state.join,
            tuple(layer.name for layer in layers),
            step,
            state.clip,
            state.seen(fills, strokes),
            state.pen if strokes else None,
        )
        removal = every.decide(painted) if every.decide else "keep"
        if removal == "stroke" and fills:
            every.paths.append(replace(painted, stroke=None))
        elif removal == "fill" and strokes:
            every.paths.append(replace(painted, fill=None))
        elif removal == "keep":
            every.paths.append(painted)
        return removal

    def _narrow(self, paths: tuple[Path, ...], even_odd: bool) -> None:
        rings = [path.flatten(CLIP_TOLERANCE_MM) for path in paths if path.segments]
        area = filled(rings, even_odd)
        clip = self._state.clip
        self._state = self._state.but(clip=area if clip is None else shapely.intersection(clip, area))

    # --- pictures, forms, text

    def external(self, name: str, operands: list[Any], instruction: Any) -> None:
        found = lookup(self._resources, "/XObject", operands[0])
        if not isinstance(found, pikepdf.Stream):
            self._kept.append(instruction)
            return
        layers = self._all.layers.of(found.get("/OC"))
        self._groups.append(
            _Group((*self._groups[-1].layers, *layers), self._groups[-1].hidden or any(one.hidden for one in layers))
        )
        if self._is_hidden():
            pass
        elif found.get("/Subtype") == Name.Form:
            self._form(found, operands[0], instruction)
        else:
            held = found.get("/ColorSpace")
            # a mask is painted with the colour that is set; a name stands for a space of the page's resources
            space = space_named(held, self._resources) if isinstance(held, pikepdf.Name) else space_of(held)
            spots = self._state.fill.spots if found.get("/ImageMask") else space.spots
            self._image(instruction, spots, any(found.get(key) for key in MASKS))
        self._groups.pop()

    def _form(self, form: pikepdf.Stream, name: Any, instruction: Any) -> None:
        if form.objgen in self._inside or self._depth >= DEEPEST_FORMS:
            raise JobError(
                "A form in the PDF contains itself.", self._all.name, "Ask for a file made by another program."
            )
        content = form.read_bytes()
        self._all.refuse_large([content])
        matrix = tuple(float(value) for value in form.get("/Matrix", IDENTITY))
        state = self._state.with_matrix(matrix)  # type: ignore[arg-type]
        if "/Group" in form:
            state = state.in_group()
        if "/BBox" in form:
            x0, y0, x1, y1 = (float(value) for value in form.BBox)
            corners = applied(state.matrix, np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))
            box = Polygon(corners)
            state = state.but(clip=box if state.clip is None else shapely.intersection(state.clip, box))
        resources = form.get("/Resources", self._resources)
        parsed = list(pikepdf.parse_content_stream(form))
        changed, kept = walk_stream(
            self._all, parsed, resources, state, self._groups[-1].layers, self._depth + 1, (*self._inside, form.objgen)
        )
        if not (changed and self._all.decide):
            self._kept.append(instruction)
            return
        # the same form may be placed elsewhere with other layers or colours: the changed one gets a name of its own
        copy = self._all.pdf.make_stream(pikepdf.unparse_content_stream(kept))
        for key, value in form.stream_dict.items():
            if key not in ("/Length", "/Filter", "/DecodeParms"):
                copy.stream_dict[key] = value
        copy.stream_dict.Resources = copied_resources(resources)
        self._kept.append(pikepdf.ContentStreamInstruction([self._added(copy, str(name))], Operator("Do")))
        self._changed = True

    def _added(self, form: pikepdf.Object, name: str) -> pikepdf.Name:
        held = self._resources.XObject
        number = 1
        while f"{name}-{number}" in held:
            number += 1
        held[f"{name}-{number}"] = form
        return Name(f"{name}-{number}")

    def _image(self, instruction: Any, spots: tuple[str, ...] = (), masked: bool = False) -> None:
        if self._is_hidden():
            return
        self._unreached(spots)
        square = applied(self._state.matrix, np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]))
        place = Polygon(square)
        if self._state.clip is not None:
            place = shapely.intersection(place, self._state.clip)
        seen = self._state.seen(fills=True, strokes=False)
        self._all.add_picture(place, "partly" if masked and seen == "whole" else seen)
        self._kept.append(instruction)

    def _unreached(self, spots: tuple[str, ...]) -> None:
        self._all.unreached.update(spots)
        self._all.unreached_layers.update(layer.name for layer in self._groups[-1].layers)

    def shading(self, name: str, operands: list[Any], instruction: Any) -> None:
        if self._is_hidden():
            return
        if self._state.clip is not None:
            self._all.add_picture(self._state.clip, self._state.seen(fills=True, strokes=False))
        self._kept.append(instruction)

    def text_mode(self, name: str, operands: list[Any], instruction: Any) -> None:
        self._all.clips_by_text |= any(isinstance(mode, int) and mode >= CLIPS for mode in operands)
        self._kept.append(instruction)

    def text(self, name: str, operands: list[Any], instruction: Any) -> None:
        if self._is_hidden():
            return
        self._all.texts += 1
        self._unreached(self._state.fill.spots)
        self._kept.append(instruction)


_HANDLERS: dict[str, Callable[[_Stream, str, list[Any], Any], None]] = {
    "q": _Stream.save,
    "Q": _Stream.restore,
    "cm": _Stream.concatenate,
    "w": _Stream.setting,
    "J": _Stream.setting,
    "j": _Stream.setting,
    "gs": _Stream.external_state,
    **dict.fromkeys(("g", "G", "rg", "RG", "k", "K"), _Stream.device_colour),
    **dict.fromkeys(("cs", "CS"), _Stream.colour_space),
    **dict.fromkeys(("sc", "SC", "scn", "SCN"), _Stream.colour),
    **dict.fromkeys(("BDC", "BMC"), _Stream.begin_content),
    "EMC": _Stream.end_content,
    "m": _Stream.move,
    "l": _Stream.line,
    **dict.fromkeys(("c", "v", "y"), _Stream.curve),
    "h": _Stream.close,
    "re": _Stream.rectangle,
    **dict.fromkeys(("W", "W*"), _Stream.clip),
    **dict.fromkeys(PAINTS, _Stream.paint),
    "Do": _Stream.external,
    "sh": _Stream.shading,
    "Tr": _Stream.text_mode,
    **dict.fromkeys(SHOWS_TEXT, _Stream.text),
}
