"""A copy of a plate to measure on: its pictures no finer than the measuring needs. What a separation counts is a mean,
and a mean of means is the same; but Ghostscript takes every placement of a picture at its full resolution again, which
takes about twice as long and more (`benchmarks/plates.py`)."""

import contextlib
from collections.abc import Iterator, Mapping
from io import BytesIO

import numpy as np
import pikepdf
from pikepdf import Name
from pikepdf.exceptions import PdfParsingError
from PIL import Image

from etiquette.core.geometry.tracks import Reals

PIXELS_A_DOT = 1
"""Pixels of a picture for each dot that is measured, along each side."""
MOST_PIXELS = 200_000_000
MODES = {Name.DeviceGray: "L", Name.DeviceRGB: "RGB", Name.DeviceCMYK: "CMYK"}
MODES_OF_PROFILES = {1: "L", 3: "RGB", 4: "CMYK"}
BY_ITS_ALPHA = {"L": ("LA", "La"), "RGB": ("RGBA", "RGBa")}
"""The mode with transparency, and the one in which colours are weighed by it: what lies under a clear part is not
printed and must not count."""

Sizes = dict[tuple[int, int], tuple[float, float]]
"""Pictures by object number: how wide and high they are drawn at most, in points."""


def coarser(pdf: pikepdf.Pdf, dpi: float) -> None:
    """Reduce, in place, the pictures of the first page that are finer than PIXELS_A_DOT for each dot at `dpi`. Pictures
    of a kind that is not plain (masks of one bit, numbers of 16 bits, reversed ones) stay as they are."""
    for number, (width, height) in _Drawing().read(pdf.pages[0].obj).items():
        dots = PIXELS_A_DOT * dpi / 72
        _reduce(pdf.get_object(number), max(1.0, width * dots), max(1.0, height * dots))


class _Drawing:
    """Follows what is drawn through the forms of a page; each is read once."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int], Sizes] = {}

    def read(self, content: pikepdf.Object) -> Sizes:
        """How large each picture is drawn at most, in the space of `content`, a page or a form."""
        if content.objgen not in self._known:
            self._known[content.objgen] = {}  # a form that draws itself ends here
            # what cannot be followed stays as fine as it is: Ghostscript reads more than this
            with contextlib.suppress(pikepdf.PdfError, PdfParsingError, ValueError, TypeError):
                self._known[content.objgen] = self._sizes(content, content.get("/Resources", {}))
        return self._known[content.objgen]

    def _sizes(self, content: pikepdf.Object, resources: Mapping[str, pikepdf.Object]) -> Sizes:
        objects, found = resources.get("/XObject", {}), Sizes()
        for name, matrix in _placed(content):
            placed = objects.get(name)
            if not isinstance(placed, pikepdf.Stream):
                continue
            if placed.get("/Subtype") == Name.Image:
                _larger(found, {placed.objgen: (float(np.hypot(*matrix[0])), float(np.hypot(*matrix[1])))})
            elif placed.get("/Subtype") == Name.Form:
                inner = np.reshape([float(value) for value in placed.get("/Matrix", [1, 0, 0, 1, 0, 0])], (3, 2))[:2]
                grown = float(np.linalg.norm(inner @ matrix, 2))
                _larger(found, {key: (w * grown, h * grown) for key, (w, h) in self.read(placed).items()})
        return found


def _larger(found: Sizes, more: Sizes) -> None:
    for key, (width, height) in more.items():
        known = found.get(key, (0.0, 0.0))
        found[key] = (max(known[0], width), max(known[1], height))


def _placed(content: pikepdf.Object) -> Iterator[tuple[str, Reals]]:
    """What `content` draws by name, with the 2 × 2 part of the matrix it is drawn by (ISO 32000-1, 8.3.4: row vectors,
    the newest matrix first)."""
    matrix, kept = np.eye(2), []
    for operands, operator in pikepdf.parse_content_stream(content, "q Q cm Do"):
        match str(operator):
            case "q":
                kept.append(matrix)
            case "Q" if kept:
                matrix = kept.pop()
            case "cm":
                matrix = np.reshape([float(value) for value in operands[:4]], (2, 2)) @ matrix
            case "Do":
                yield str(operands[0]), matrix


def _reduce(image: pikepdf.Object, width: float, height: float) -> None:
    """To about `width` × `height` pixels, never fewer."""
    factors = max(1, int(int(image.Width) / width)), max(1, int(int(image.Height) / height))
    picture = plain_picture(image) if factors != (1, 1) else None
    if picture is None:
        return
    mask = image.get("/SMask")
    alpha = plain_picture(mask) if mask is not None else None
    if mask is not None and (alpha is None or "/Matte" in mask):
        return
    if alpha is not None and alpha.size == picture.size and picture.mode in BY_ITS_ALPHA:
        with_alpha, weighed = BY_ITS_ALPHA[picture.mode]
        both = Image.merge(with_alpha, (*picture.split(), alpha)).convert(weighed).reduce(factors).convert(with_alpha)
        *colours, less = both.split()
        _put(image, Image.merge(picture.mode, colours) if len(colours) > 1 else colours[0])
        _put(mask, less)
    else:
        _put(image, picture.reduce(factors))


def plain_picture(image: pikepdf.Object) -> Image.Image | None:
    """The pixels of a picture of 8 bits in grey, RGB or CMYK, profiled or not; None for any other."""
    space = image.get("/ColorSpace")
    if isinstance(space, pikepdf.Array) and len(space) == 2 and space[0] == Name.ICCBased:
        mode = MODES_OF_PROFILES.get(int(space[1].get("/N", 0)))
    else:
        mode = MODES.get(space) if isinstance(space, pikepdf.Name) else None
    size = int(image.Width), int(image.Height)
    if mode is None or image.get("/BitsPerComponent") != 8 or size[0] * size[1] > MOST_PIXELS:
        return None
    if any(key in image for key in ("/Decode", "/Mask", "/ImageMask")):
        return None
    try:
        if image.get("/Filter") == Name.DCTDecode:
            with Image.open(BytesIO(image.read_raw_bytes()), formats=["JPEG"]) as held:
                # programs differ in whether CMYK is stored inverted: those stay as they are
                return held.copy() if held.mode == mode != "CMYK" and held.size == size else None
        return Image.frombytes(mode, size, image.read_bytes())
    except (pikepdf.PdfError, NotImplementedError, OSError, ValueError):
        return None  # Ghostscript says what is wrong with it, or reads it all the same


def _put(image: pikepdf.Object, picture: Image.Image) -> None:
    image.write(picture.tobytes())
    image.Width, image.Height = picture.size
