"""Colours of a PDF changed where they stand: operators, pictures, shadings, form by form (ISO 32000-1: 8.6.8 colour
operators, 8.7.4.5 shadings, 8.9.5 images). Spots, and spaces that are neither grey, RGB nor CMYK, stay as they are."""

from collections.abc import Iterator, Mapping, Sequence
from io import BytesIO
from typing import Any, Protocol

import pikepdf
from pikepdf import Array, Name
from pikepdf.exceptions import PdfParsingError
from PIL import Image

from etiquette.core.artwork.pdf_state import CMYK, GREY, RGB, Space, lookup, space_named, space_of
from etiquette.core.printing.coarser import plain_picture
from etiquette.core.printing.pdf_parts import named_in

Numbers = tuple[float, ...]
DEEPEST = 20
OPERATORS = {"g": GREY, "rg": RGB, "k": CMYK}
WRITTEN = {"grey": "g", "rgb": "rg", "cmyk": "k"}
DEVICES = {"grey": Name.DeviceGray, "rgb": Name.DeviceRGB, "cmyk": Name.DeviceCMYK}
COUNTS = {"grey": 1, "rgb": 3, "cmyk": 4}
OF_MODES = {"L": "grey", "RGB": "rgb", "CMYK": "cmyk"}


class Change(Protocol):
    """What becomes of colours of one kind ("grey", "rgb", "cmyk")."""

    def takes(self, kind: str, profile: bytes | None) -> bool:
        """Whether colours that a profile describes are changed; None: they are the device's."""

    def colour(self, kind: str, numbers: Numbers) -> tuple[str, Numbers]:
        """A colour, 0 to 1: its kind and numbers afterwards."""

    def pixels(self, picture: Image.Image) -> Image.Image:
        """A picture in L, RGB or CMYK."""


def recoloured(form: pikepdf.Object, pdf: pikepdf.Pdf, change: Change) -> list[str]:
    """Change the colours of a form and of all that it draws, in place. Returns what kept its colours because it cannot
    be followed, in words."""
    walk = _Walk(pdf, change)
    walk.form(form, 0)
    return sorted(walk.kept)


def recoloured_plate(plate: bytes, changes: Mapping[str, Sequence[Change]]) -> tuple[bytes, dict[str, list[str]]]:
    """A plate with the colours of its designs changed, by the names of their forms (core.printing.plates), one change
    after the other; and what of each design kept its colours, in words."""
    kept = {}
    with pikepdf.open(BytesIO(plate)) as pdf:
        forms = pdf.pages[0].Resources.XObject
        for name, wanted in changes.items():
            kept[name] = sorted({words for change in wanted for words in recoloured(forms[f"/{name}"], pdf, change)})
        out = BytesIO()
        pdf.save(out, deterministic_id=True)
        return out.getvalue(), kept


class _Walk:
    def __init__(self, pdf: pikepdf.Pdf, change: Change) -> None:
        self._pdf, self._change = pdf, change
        self._done: set[tuple[int, int]] = set()
        self.kept: set[str] = set()

    def form(self, form: Any, depth: int) -> None:
        if depth > DEEPEST or not self._is_new(form):
            return
        resources = form.get("/Resources")
        try:
            form.write(pikepdf.unparse_content_stream(list(self._content(form, resources))))
        except (pikepdf.PdfError, PdfParsingError, ValueError, TypeError):
            self.kept.add("a part whose strokes cannot be read")
        if resources is None:
            return
        for placed in named_in(resources, "/XObject"):
            if placed.get("/Subtype") == Name.Form:
                self.form(placed, depth + 1)
            elif placed.get("/Subtype") == Name.Image:
                self._picture(placed)
        for pattern in named_in(resources, "/Pattern"):
            if pattern.get("/PatternType") == 1:
                self.form(pattern, depth + 1)
            elif "/Shading" in pattern:
                self._shading(pattern.Shading)
        for shading in named_in(resources, "/Shading"):
            self._shading(shading)

    def _is_new(self, held: Any) -> bool:
        """Whether it was not changed already: what is drawn twice is changed once."""
        if held.objgen == (0, 0):
            return True
        fresh = held.objgen not in self._done
        self._done.add(held.objgen)
        return fresh

    def _content(self, form: Any, resources: Any) -> Iterator[Any]:
        fill, stroke = GREY, GREY
        taken = {True: True, False: True}  # of fills, of strokes
        saved: list[tuple[Space, Space, dict[bool, bool]]] = []
        for instruction in pikepdf.parse_content_stream(form):
            operands, word = instruction.operands, str(instruction.operator)
            fills = word.islower()
            if word == "q":
                saved.append((fill, stroke, dict(taken)))
            elif word == "Q" and saved:
                fill, stroke, taken = saved.pop()
            elif word.lower() in OPERATORS:
                space = OPERATORS[word.lower()]
                fill, stroke = (space, stroke) if fills else (fill, space)
                taken[fills] = self._takes(space, None)
                yield self._set(space, operands, word) if taken[fills] else instruction
                continue
            elif word in ("cs", "CS"):
                space = space_named(operands[0], resources)
                fill, stroke = (space, stroke) if fills else (fill, space)
                taken[fills] = self._takes(space, lookup(resources, "/ColorSpace", operands[0]))
            elif word in ("sc", "scn", "SC", "SCN"):
                space = fill if fills else stroke
                if taken[fills] and not any(isinstance(one, pikepdf.Name) for one in operands):
                    yield self._set(space, operands, word)
                    continue
            elif word == "INLINE IMAGE":
                self.kept.add("pictures written between the strokes")
            yield instruction

    def _takes(self, space: Space, held: Any) -> bool:
        """Whether colours of a space are changed; said where they are not."""
        if space.kind not in WRITTEN:
            return False
        taken = self._change.takes(space.kind, profile_of(held))
        if not taken:
            self.kept.add("colours with a profile of their own")
        return taken

    def _set(self, space: Space, operands: Any, word: str) -> pikepdf.ContentStreamInstruction:
        kind, numbers = self._change.colour(space.kind, tuple(float(one) for one in operands))
        if kind != space.kind:  # else in the very space it was in, which may have a profile
            word = WRITTEN[kind] if word.islower() else WRITTEN[kind].upper()
        return pikepdf.ContentStreamInstruction([round(one, 5) for one in numbers], pikepdf.Operator(word))

    def _picture(self, image: Any) -> None:
        if not self._is_new(image) or image.get("/ImageMask"):
            return
        space = image.get("/ColorSpace")
        if isinstance(space, Array) and len(space) == 4 and space[0] in (Name.Indexed, Name.I):
            self._table(image, space)
            return
        picture = plain_picture(image)
        if picture is None:
            self.kept.add("pictures of more than 8 bits, or in spaces of their own")
        elif self._takes(space_of(space), space):
            made = self._change.pixels(picture)
            image.write(made.tobytes())
            if made.mode != picture.mode:
                image.ColorSpace = DEVICES[OF_MODES[made.mode]]

    def _table(self, image: Any, space: Any) -> None:
        """Of an indexed picture only the table is changed."""
        base = space_of(space[1])
        if not self._takes(base, space[1]):
            return
        count = COUNTS[base.kind]
        held = bytes(space[3]) if isinstance(space[3], pikepdf.String) else space[3].read_bytes()
        colours = [held[at : at + count] for at in range(0, len(held) - count + 1, count)]
        changed = [self._change.colour(base.kind, tuple(one / 255 for one in colour)) for colour in colours]
        if not changed:
            return
        table = b"".join(bytes(round(255 * one) for one in numbers) for _, numbers in changed)
        same = changed[0][0] == base.kind
        between = space[1] if same else DEVICES[changed[0][0]]
        image.ColorSpace = Array([Name.Indexed, between, len(changed) - 1, pikepdf.String(table)])

    def _shading(self, shading: Any) -> None:
        if not isinstance(shading, pikepdf.Dictionary | pikepdf.Stream) or not self._is_new(shading):
            return
        space = space_of(shading.get("/ColorSpace"))
        if not self._takes(space, shading.get("/ColorSpace")):
            return
        function = shading.get("/Function")
        if not _is_between(function):
            self.kept.add("gradients that are tables or meshes")
            return
        kind = self._between(function, space.kind)
        if kind != space.kind:
            shading.ColorSpace = DEVICES[kind]
        if "/Background" in shading:
            _, numbers = self._change.colour(space.kind, tuple(float(one) for one in shading.Background))
            shading.Background = Array([round(one, 5) for one in numbers])

    def _between(self, function: Any, kind: str) -> str:
        """The ends of a gradient, and of each of its parts."""
        if not self._is_new(function):
            return self._change.colour(kind, (0.0,) * COUNTS[kind])[0]
        made = kind
        if int(function.FunctionType) == 3:
            for part in function.Functions:
                made = self._between(part, kind)
            return made
        for key in ("/C0", "/C1"):
            made, numbers = self._change.colour(kind, tuple(float(one) for one in function[key]))
            function[key] = Array([round(one, 5) for one in numbers])
        if "/Range" in function:
            del function["/Range"]
        return made


def _is_between(function: Any) -> bool:
    """Whether a function goes from one colour to another, or is put together of such (types 2 and 3)."""
    if not isinstance(function, pikepdf.Dictionary):
        return False
    if int(function.get("/FunctionType", 0)) == 3:
        return all(_is_between(part) for part in function.Functions)
    return int(function.get("/FunctionType", 0)) == 2 and "/C0" in function and "/C1" in function


def profile_of(held: Any) -> bytes | None:
    """The ICC profile that a colour space names; None for a space of the device."""
    if isinstance(held, Array) and len(held) > 1 and held[0] == Name.ICCBased:
        return bytes(held[1].read_bytes())
    return None
