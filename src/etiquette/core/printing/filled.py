"""Filled copies as PDF operators: words in embedded fonts, codes as squares, pictures once each."""

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
import pikepdf
import shapely
from pikepdf import Dictionary

from etiquette.core.artwork.raster import Picture
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import PdfPen, figure
from etiquette.core.geometry.polygons import polygons_of
from etiquette.core.printing.art_forms import separation
from etiquette.core.printing.fonts_in_pdf import font_object
from etiquette.core.printing.images import picture_stream
from etiquette.core.units import MM_PER_POINT
from etiquette.core.variable.codes import QUIET, Symbol
from etiquette.core.variable.fields import Box, Paint
from etiquette.core.variable.filling import Drawn, DrawnCode, DrawnGlyphs, DrawnPicture, FilledCopy
from etiquette.core.variable.fonts import Font

PictureOf = Callable[[str], Picture]
SPOT_LOOK = (0.0, 0.0, 0.0, 0.6)


class FilledInk:
    """What filled copies are drawn with on the pages of one PDF. Operators are asked for copy by copy; when every copy
    is drawn, `fill` puts all that they use into resources. `picture_of` reads a picture by its name."""

    def __init__(self, pdf: pikepdf.Pdf, picture_of: PictureOf | None = None) -> None:
        self._pdf, self._picture_of = pdf, picture_of
        self._fonts: dict[Font, tuple[str, dict[int, str]]] = {}
        self._pictures: dict[str, tuple[str, pikepdf.Object, tuple[int, int]]] = {}
        self._spots: dict[str, tuple[str, Paint]] = {}

    def operators(self, copy: FilledCopy) -> str:
        """What draws the fields of a copy, in design points."""
        return "\n".join(self._drawn(one) for one in copy.drawn)

    def fill(self, resources: pikepdf.Object) -> None:
        """Put what was used into the resources of the pages."""
        fonts = {f"/{name}": font_object(self._pdf, font, used) for font, (name, used) in self._fonts.items()}
        pictures = {f"/{name}": held for name, held, _ in self._pictures.values()}
        spaces = {f"/{name}": self._separation(paint) for name, paint in self._spots.values()}
        for key, found in (("/Font", fonts), ("/XObject", pictures), ("/ColorSpace", spaces)):
            if found:
                resources[key] = Dictionary({**dict(resources.get(key, {})), **found})

    def _drawn(self, one: Drawn) -> str:
        if isinstance(one, DrawnGlyphs):
            return self._glyphs(one)
        return self._code(one) if isinstance(one, DrawnCode) else self._picture(one)

    def _glyphs(self, one: DrawnGlyphs) -> str:
        name, used = self._fonts.setdefault(one.font, (f"Ff{len(self._fonts) + 1}", {}))
        turn = math.radians(one.turn_deg)
        c, s = figure(math.cos(turn), 6), figure(math.sin(turn), 6)
        first = one.glyphs[0].x if one.glyphs else 0.0
        size, at = one.size_mm / MM_PER_POINT, first * one.size_mm
        x, y = one.x_mm + at * math.cos(turn), one.y_mm + at * math.sin(turn)
        shown, written, pen, height = list[str](), "", first, 0.0
        for glyph in one.glyphs:
            used[glyph.number] = used.get(glyph.number) or glyph.text
            if abs(glyph.y - height) > 1e-6:
                shown += [f"[{written}] TJ"] if written else []
                written, height = "", glyph.y
                shown.append(f"{figure(height * size)} Ts")
            if abs(moved := (pen - glyph.x) * 1000) > 0.05:
                written += figure(moved, 2)
                pen = glyph.x
            written += f"<{glyph.number:04x}>"
            pen += _advance(one.font, glyph.number)
        shown += [f"[{written.replace('><', '')}] TJ"] if written else []
        level = "0 Ts " if height else ""
        place = f"{c} {s} {figure(-math.sin(turn), 6)} {c} {_mm(x)} {_mm(y)} Tm"
        return f"{self._paint(one.paint)} BT /{name} {figure(size)} Tf {place} {' '.join(shown)} {level}ET"

    def _code(self, one: DrawnCode) -> str:
        rows, columns = one.symbol.modules.shape
        module = one.place.module_mm
        height = one.place.height_mm / rows
        left, right, above = QUIET[one.symbol.kind]
        wide, high = (columns + left + right) * module, one.place.height_mm + 2 * above * module
        ground = ""
        if one.ground:
            box = " ".join(_mm(value) for value in (-wide / 2, -high / 2, wide, high))
            ground = f"0 0 0 0 k {box} re f\n"
        x, y = (left - right - columns) / 2 * module, -one.place.height_mm / 2
        squares = _squares(one.symbol, round(one.spread_mm / module, 4))
        return (
            f"q {_middle(one.box)} cm {ground}{self._paint(one.paint)} "
            f"{_mm(module)} 0 0 {_mm(height)} {_mm(x)} {_mm(y)} cm {squares} f Q"
        )

    def _picture(self, one: DrawnPicture) -> str:
        if one.name not in self._pictures:
            assert self._picture_of is not None
            picture = self._picture_of(one.name)
            held = picture_stream(self._pdf, picture)
            self._pictures[one.name] = f"Fp{len(self._pictures) + 1}", held, (picture.width_px, picture.height_px)
        name, _, (across, up) = self._pictures[one.name]
        scale = min(one.box.width_mm / across, one.box.height_mm / up)
        w, h = across * scale, up * scale
        return f"q {_middle(one.box)} cm {_mm(w)} 0 0 {_mm(h)} {_mm(-w / 2)} {_mm(-h / 2)} cm /{name} Do Q"

    def _paint(self, paint: Paint) -> str:
        if paint.kind == "rgb":
            return f"{' '.join(figure(one) for one in paint.values)} rg"
        if paint.kind == "spot":
            name, _ = self._spots.setdefault(paint.name, (f"Fs{len(self._spots) + 1}", paint))
            return f"/{name} cs 1 scn"
        return "0 0 0 1 k"

    def _separation(self, paint: Paint) -> pikepdf.Object:
        look = paint.values if len(paint.values) == 4 else SPOT_LOOK
        return separation(self._pdf, paint.name, look)


@lru_cache(maxsize=20_000)
def _advance(font: Font, glyph: int) -> float:
    return float(font.shaper.get_glyph_h_advance(glyph)) / font.em


def _mm(value: float) -> str:
    return figure(value / MM_PER_POINT)


def _middle(box: Box) -> str:
    """To the middle of a box, turned as it is."""
    turn = math.radians(box.turn_deg)
    c, s = math.cos(turn), math.sin(turn)
    numbers = [figure(one, 6) for one in (c, s, -s, c)]
    return " ".join([*numbers, _mm(box.x_mm + box.width_mm / 2), _mm(box.y_mm + box.height_mm / 2)])


def _squares(symbol: Symbol, spread: float) -> str:
    """The dark modules as rectangles of one path, a module being 1, from the lower left; `spread` modules smaller on
    every side."""
    rows = symbol.modules
    rects = []
    for row in range(len(rows)):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], rows[row].view(np.int8), [0]])))
        y = len(rows) - 1 - row
        rects += [(int(first), y, int(last - first)) for first, last in zip(edges[::2], edges[1::2], strict=True)]
    if spread <= 0:
        return " ".join(f"{x} {y} {wide} 1 re" for x, y, wide in rects)
    if len(rows) == 1:
        return " ".join(f"{figure(x + spread)} 0 {figure(wide - 2 * spread)} 1 re" for x, _, wide in rects)
    whole = shapely.union_all([shapely.box(x, y, x + wide, y + 1) for x, y, wide in rects])
    smaller = whole.buffer(-spread, join_style="mitre", mitre_limit=5)
    pen = PdfPen()
    for part in polygons_of(smaller):
        for ring in (part.exterior, *part.interiors):
            Path.from_points(np.asarray(ring.coords) * MM_PER_POINT).draw(pen)
    return pen.data
