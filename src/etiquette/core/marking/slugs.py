"""Readable text on the print, as outlines: no font has to be embedded, and every renderer draws the same."""

from functools import cache
from importlib.resources import files
from io import BytesIO
from threading import Lock

import numpy as np
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont

from etiquette.core.geometry.paths import Path, Points

_ONE_AT_A_TIME = Lock()
"""A font is read glyph by glyph as they are asked for, in a place that all threads share."""
SLUG_HEIGHT_MM = 3.0
"""Height of a capital letter: read at arm's length."""


def slug_outlines(text: str, x: float, y: float, height_mm: float = SLUG_HEIGHT_MM) -> list[Path]:
    """Outlines of `text` with its baseline starting at (x, y) and capitals `height_mm` high; fill by even-odd."""
    glyphs, characters, capital = _font()
    scale = height_mm / capital
    outlines: list[Path] = []
    for character in text:
        name = characters.get(ord(character), characters[ord("?")])
        pen = _Collector(glyphs)
        with _ONE_AT_A_TIME:
            glyphs[name].draw(pen)
        outlines.extend(_placed(path, scale, x, y) for path in pen.paths)
        x += glyphs[name].width * scale
    return outlines


def slug_width_mm(text: str, height_mm: float = SLUG_HEIGHT_MM) -> float:
    """How far `text` reaches along its baseline."""
    glyphs, characters, capital = _font()
    units = [float(glyphs[characters.get(ord(character), characters[ord("?")])].width) for character in text]
    return float(sum(units) * height_mm / capital)


def _placed(path: Path, scale: float, x: float, y: float) -> Path:
    return path.mapped(lambda points: points * scale + np.array([x, y]))


@cache
def _font():  # type: ignore[no-untyped-def]
    font = TTFont(BytesIO(files(__package__).joinpath("fonts/b612-mono.woff").read_bytes()))
    glyphs, characters = font.getGlyphSet(), font.getBestCmap()
    capital = float(font["OS/2"].sCapHeight or 0.7 * font["head"].unitsPerEm)
    return glyphs, characters, capital


class _Collector(BasePen):  # type: ignore[misc]
    """Gathers a glyph's contours as paths; quadratic curves arrive as cubics."""

    def __init__(self, glyphs: object) -> None:
        super().__init__(glyphs)
        self.paths: list[Path] = []
        self._start: Points = np.zeros(2)
        self._segments: list[Points] = []

    def _moveTo(self, point: tuple[float, float]) -> None:
        self._start, self._segments = np.array(point, dtype=float), []

    def _lineTo(self, point: tuple[float, float]) -> None:
        self._segments.append(np.array([point], dtype=float))

    def _curveToOne(self, first: tuple[float, float], second: tuple[float, float], point: tuple[float, float]) -> None:
        self._segments.append(np.array([first, second, point], dtype=float))

    def _closePath(self) -> None:
        self._segments.append(self._start[None, :])
        self.paths.append(Path(self._start, tuple(self._segments), True))
