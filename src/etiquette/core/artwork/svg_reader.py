"""SVG art: what its shapes paint, in which groups; and the drawing again without chosen shapes.

Shapes are read by svgelements (transforms, styles, symbols and uses applied). Each shape element gets a number, so that
it can be found again in the file and taken out there."""

import gzip
import re
import zlib
from copy import deepcopy
from io import BytesIO
from typing import Any

import numpy as np
import svgelements
from lxml import etree
from shapely import Polygon

from etiquette.core.artwork.forms import PACKED
from etiquette.core.artwork.svg_outlines import paths_of, pen_of, to_page
from etiquette.core.artwork.svg_size import MM_PER_PIXEL, PIXELS_PER_INCH, UNTOLD_MM, painted_box, show_all, size_of
from etiquette.core.artwork.vectors import MOST_PATHS, Cap, Ink, Join, PaintedPath, VectorPage, refuse_odd_size
from etiquette.core.errors import JobError

SVG = "http://www.w3.org/2000/svg"
DEEPEST_USES = 16
NUMBER = "data-etiquette-number"
MOST_BYTES = 60 << 20
MOST_ELEMENTS = 400_000
MOST_NUMBERS = 600_000
"""Coordinates of all paths together: the reader needs some 20 microseconds for each."""
NUMBERS = re.compile(r"[-+.\d][\d.]*(?:[eE][-+]?\d+)?")
HEAD_BYTES = 1 << 18
DOCTYPE = re.compile(rb"<!DOCTYPE[^\[>]*\[(.*?)\]\s*>", re.DOTALL)
ENTITY = re.compile(rb"""<!ENTITY\s+([A-Za-z_][\w.-]*)\s+("[^"]*"|'[^']*')\s*>""")
"""XML 1.0, 4.2.1: an internal entity; one of another file has SYSTEM or PUBLIC before its value."""
OF_LETTERS = re.compile(r"([-+]?\d*\.?\d+)(em|rem|ex|ch)")
LETTER_PIXELS = 16.0
"""Of a browser's usual letters."""
SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
UNREACHED = {"text", "image"}
REFERENCES = {"{http://www.w3.org/1999/xlink}href", "href"}
LABELS = ("{http://www.inkscape.org/namespaces/inkscape}label", "data-name", "id", "class")
"""Attributes in which drawing programs keep the name of a group or layer."""


class SvgArt:
    """An SVG file made safe: scripts, external references and entities taken out, shapes numbered."""

    def __init__(self, content: bytes, name: str) -> None:
        self._name = name
        content = _with_words_for_entities(unpacked_svg(content, name))
        if len(content) > MOST_BYTES:
            raise JobError(f"The drawing has more than {MOST_BYTES >> 20} MB.", name, "Save it as a PDF or a picture.")
        # counted before anything is built of it, so that the sentence does not depend on how fast the machine is
        if content.count(b"<") - sum(content.count(mark) for mark in (b"</", b"<!", b"<?")) > MOST_ELEMENTS:
            raise self._too_many()
        try:
            parser = etree.XMLParser(
                resolve_entities=False, no_network=True, huge_tree=False, remove_comments=True, remove_pis=True
            )
            self.root = etree.fromstring(content, parser)
        except (etree.XMLSyntaxError, ValueError) as error:
            raise JobError("The SVG is damaged.", name, f"Save it again or ask for a new file ({error}).") from None
        if self.root.tag not in (f"{{{SVG}}}svg", "svg"):
            raise JobError("This is not an SVG drawing.", name, "Save it as SVG or PDF.")
        if self.root.getroottree().docinfo.internalDTD is not None:
            doctype = etree.tostring(self.root.getroottree(), with_tail=False)[:4000]
            if b"<!ENTITY" in doctype:
                raise JobError(
                    "The SVG defines entities, which Etiquette does not follow.", name, "Save it as plain SVG."
                )
        if sum(sum(1 for _ in NUMBERS.finditer(text)) for text in self.root.xpath("//@d | //@points")) > MOST_NUMBERS:
            raise JobError(
                f"The paths of the drawing have more than {MOST_NUMBERS:,} coordinates.".replace(",", " "),
                name,
                "Simplify it, or save it as a picture.",
            )
        self.left_out = self._made_safe()
        self._expand_uses()
        self._names: dict[int, tuple[str, ...]] = {}
        self._unreached: set[str] = set()
        self._number_shapes()
        if "font-size" not in self.root.attrib:  # “medium” is 16 px in every browser; librsvg would draw em of 12
            self.root.set("font-size", "16px")
        if size_of(self.root) is None:
            self.root.attrib.pop("viewBox", None)
            show_all(self.root, painted_box(self.page()))

    def _made_safe(self) -> list[str]:
        """Take out what may not run or be fetched; returns what that was, in words."""
        left_out = set()
        count = 0
        for element in list(self.root.iter()):
            count += 1
            if count > MOST_ELEMENTS:
                raise self._too_many()
            if not isinstance(element.tag, str):  # an entity that was not followed
                raise JobError(
                    "The SVG uses entities, which Etiquette does not follow.", self._name, "Save it as plain SVG."
                )
            local = etree.QName(element).localname
            if local in ("script", "foreignObject"):
                left_out.add("scripts or embedded pages")
                element.getparent().remove(element)
                continue
            if local == "path" and not element.get("d", "").strip():  # paints nothing: the glyph of a space
                element.getparent().remove(element)
                continue
            for key in list(element.attrib):
                value = element.attrib[key].strip()
                if key.lower().startswith("on"):
                    del element.attrib[key]
                elif (key in REFERENCES and not value.startswith(("#", "data:image/"))) or re.search(
                    r"url\(\s*['\"]?\s*(?!['\"]?#)", value
                ):
                    left_out.add("files outside the drawing")
                    del element.attrib[key]
            if local == "style" and element.text and re.search(r"@import|url\(\s*['\"]?\s*(?!['\"]?#)", element.text):
                left_out.add("files outside the drawing")
                element.text = re.sub(r"@import[^;]*;?|url\([^)]*\)", "", element.text)
        return sorted(left_out)

    def _expand_uses(self) -> None:
        """Put copies in the place of uses, symbols as inner drawings with their own view: then every shape stands once
        in the file, in the group it is drawn in, and can be taken out alone."""
        targets = {element.get("id"): element for element in self.root.iter() if element.get("id")}
        for use in list(self.root.iter("{*}use")):
            if targets.get(_used(use)) in use.iterancestors():
                use.getparent().remove(use)
        self._refuse_endless_uses(targets)
        pending = list(self.root.iter("{*}use"))
        while pending:
            use = pending.pop()
            if _used(use) not in targets:
                use.getparent().remove(use)
                continue
            group = _copied(use, targets[_used(use)])
            use.getparent().replace(use, group)
            pending += group.iter("{*}use")

    def _refuse_endless_uses(self, targets: dict[str, Any]) -> None:
        """Count what the uses would become before any copy is made: a page of text can ask for billions of shapes."""
        sizes: dict[str, int] = {}

        def size(name: str, inside: tuple[str, ...]) -> int:
            if name in inside or len(inside) > DEEPEST_USES:
                raise self._endless()
            if name not in targets:
                return 0
            if name not in sizes:
                below = sum(size(_used(use), (*inside, name)) for use in targets[name].iter("{*}use"))
                sizes[name] = sum(1 for _ in targets[name].iter()) + below
            return sizes[name]

        if sum(size(_used(use), ()) for use in self.root.iter("{*}use")) > MOST_ELEMENTS:
            raise self._endless()

    def _too_many(self) -> JobError:
        return JobError(
            "The drawing has more than 400 000 elements.", self._name, "Simplify it, or save it as a picture."
        )

    def _endless(self) -> JobError:
        return JobError(
            "Symbols in the SVG use each other without end.", self._name, "Save it again with its symbols expanded."
        )

    def _number_shapes(self) -> None:
        numbers = iter(range(MOST_PATHS + 1))
        stack: list[tuple[Any, tuple[str, ...]]] = [(self.root, ())]
        while stack:
            element, names = stack.pop()
            own = tuple(element.attrib[key] for key in LABELS if element.attrib.get(key))
            if element is not self.root:
                names = (*names, *own)
            if etree.QName(element).localname in UNREACHED:
                self._unreached.update(names)
            if etree.QName(element).localname in SHAPES:
                number = next(numbers, None)
                if number is None:
                    raise JobError(
                        f"The drawing has more than {MOST_PATHS:,} paths.".replace(",", " "),
                        self._name,
                        "Simplify it, or save it as a picture.",
                    )
                element.set(NUMBER, str(number))
                _in_pixels(element)
                self._names[number] = names
            stack += [(child, names) for child in reversed(element)]

    def content(self) -> bytes:
        text: bytes = etree.tostring(self.root)
        return text

    def without(self, removals: dict[int, str]) -> bytes:
        """The drawing without the shapes numbered in `removals`: all of a shape, or its `stroke` or `fill` only."""
        root = etree.fromstring(self.content())
        for element in list(root.iter()):
            number = element.get(NUMBER)
            removal = removals.get(int(number)) if number else None
            if removal == "all":
                element.getparent().remove(element)
            elif removal in ("stroke", "fill"):
                element.set("style", element.get("style", "").rstrip("; ") + f";{removal}:none!important")
                element.set(removal, "none")
        text: bytes = etree.tostring(root)
        return text

    def size(self) -> tuple[float, float, bool]:
        """Width and height in mm and whether the file says so in real units."""
        return size_of(self.root) or (UNTOLD_MM, UNTOLD_MM, False)

    def page(self) -> VectorPage:
        """What the drawing paints. Raises JobError."""
        try:
            drawing = svgelements.SVG.parse(BytesIO(self.content()), reify=False, ppi=PIXELS_PER_INCH)
        except (
            ValueError,
            TypeError,
            AttributeError,
            ZeroDivisionError,
            KeyError,
            IndexError,
            RecursionError,
        ) as error:
            raise JobError(
                "The SVG holds values that make no sense.",
                self._name,
                f"Save it again from the program it came from ({error}).",
            ) from None
        width, height, known = self.size()
        refuse_odd_size(width, height, self._name)
        paths: list[PaintedPath] = []
        for element in drawing.elements():
            if isinstance(element, svgelements.Shape) and element.values.get(NUMBER) is not None:
                painted = self._painted(element, MM_PER_PIXEL, height)
                if painted:
                    paths.append(painted)
        texts = sum(1 for element in self.root.iter() if etree.QName(element).localname in ("text", "textPath"))
        images = sum(1 for element in self.root.iter() if etree.QName(element).localname == "image")
        whole = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)]
        places, layers = (Polygon(whole),) if images else (), tuple(sorted(self._unreached))
        return VectorPage(width, height, known, tuple(paths), places, texts, unreached_layers=layers)

    def _painted(self, element: Any, scale: float, height: float) -> PaintedPath | None:
        fill, stroke = _ink(element.fill), _ink(element.stroke)
        if fill is None and stroke is None:
            return None
        try:
            outline = element if isinstance(element, svgelements.Path) else svgelements.Path(element)
            width = float(element.implicit_stroke_width or 0) * scale if stroke else 0.0
            matrix = to_page(element, scale, height)
            paths, pen = paths_of(outline, matrix), pen_of(element, matrix) if stroke else None
        except (ValueError, TypeError, AttributeError, ZeroDivisionError, OverflowError):
            raise JobError(
                "A shape in the SVG holds values that make no sense.",
                self._name,
                "Save it again from the program it came from.",
            ) from None
        if not paths:
            return None
        if not all(np.isfinite(np.vstack([path.start[None, :], *path.segments])).all() for path in paths):
            raise JobError(
                "A shape in the SVG has a coordinate that is not a number.",
                self._name,
                "Save it again from the program it came from.",
            )
        number = int(element.values[NUMBER])
        values = element.values
        cap: Cap = {"round": "round", "square": "square"}.get(str(values.get("stroke-linecap")), "butt")  # type: ignore[assignment]
        join: Join = {"round": "round", "bevel": "bevel"}.get(str(values.get("stroke-linejoin")), "mitre")  # type: ignore[assignment]
        even_odd, names = values.get("fill-rule") == "evenodd", self._names[number]
        return PaintedPath(number, paths, fill, stroke, width, even_odd, cap, join, names, pen=pen)


def _in_pixels(shape: Any) -> None:
    """Lengths of a shape that are told in letters, in pixels (CSS Values 3, 5.1.1: half an em where the font is not
    asked)."""
    for key, value in shape.attrib.items():
        told = OF_LETTERS.fullmatch(value.strip())
        if told:
            share = 1.0 if told[2] in ("em", "rem") else 0.5
            shape.set(key, f"{float(told[1]) * share * _letter_pixels(shape):.6f}")


def _letter_pixels(element: Any) -> float:
    """The size of letters where an element stands, as far as a number says it."""
    for one in (element, *element.iterancestors()):
        style = re.search(r"font-size\s*:\s*([\d.]+)(?:px)?\s*(?:;|$)", one.get("style", ""))
        plain = re.fullmatch(r"([\d.]+)(?:px)?", one.get("font-size", "").strip())
        if found := style or plain:
            return float(found[1])
    return LETTER_PIXELS


def _with_words_for_entities(content: bytes) -> bytes:
    """`content` with the entities of its own document type written out and that taken away, as older drawing programs
    need it: they keep styles and name spaces in entities. Only plain words: what names another entity, a tag or a file
    stays, and is refused. No more than MOST_BYTES come of it."""
    head = DOCTYPE.search(content[:HEAD_BYTES])
    if head is None:
        return content
    words = {name: value[1:-1] for name, value in ENTITY.findall(head[1])}
    if len(words) < head[1].count(b"<!ENTITY") or any(b"&" in value or b"<" in value for value in words.values()):
        return content
    rest = content[: head.start()] + content[head.end() :]
    grown = sum(rest.count(b"&" + name + b";") * len(value) for name, value in words.items())
    if len(rest) + grown > MOST_BYTES:
        return content

    def written(found: re.Match[bytes]) -> bytes:
        value = words.get(found[1])
        return found[0] if value is None else value.replace(b'"', b"&quot;").replace(b"'", b"&apos;")

    return re.sub(rb"&([A-Za-z_][\w.-]*);", written, rest)


def unpacked_svg(content: bytes, name: str) -> bytes:
    """An .svgz is an SVG packed with gzip; anything else is returned as it is. Raises JobError."""
    if not content.startswith(PACKED):
        return content
    try:
        with gzip.open(BytesIO(content)) as file:
            return file.read(MOST_BYTES + 1)
    except (OSError, EOFError, zlib.error) as error:
        raise JobError("The packed SVG is damaged.", name, f"Save it again or ask for a new file ({error}).") from None


def _used(use: Any) -> str:
    """The id of what a use shows; empty when it says none."""
    return next((str(use.get(key)) for key in REFERENCES if use.get(key)), "").removeprefix("#")


def _copied(use: Any, target: Any) -> Any:
    """A group that draws what `use` shows of `target` (SVG 1.1, 5.6)."""
    group = etree.Element(f"{{{SVG}}}g")
    for key, value in use.attrib.items():
        if key not in (*REFERENCES, "x", "y", "width", "height", "id"):
            group.set(key, value)
    shift = f"translate({use.get('x', '0')} {use.get('y', '0')})"
    group.set("transform", f"{use.get('transform', '')} {shift}".strip())
    copy = deepcopy(target)
    copy.tail = None
    if etree.QName(target).localname == "symbol":
        copy.tag = f"{{{SVG}}}svg"
    if etree.QName(copy).localname == "svg":
        for key in ("width", "height"):
            if use.get(key) or not copy.get(key):
                copy.set(key, use.get(key, "100%"))
    group.append(copy)
    group.tail = use.tail
    return group


def _ink(colour: Any) -> Ink | None:
    if colour is None or colour.value is None or colour.alpha == 0:
        return None
    return Ink(f"#{colour.red:02x}{colour.green:02x}{colour.blue:02x}")
