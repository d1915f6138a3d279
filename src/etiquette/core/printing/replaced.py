"""Colours of art replaced by others: a change of colours (core.printing.recolouring.Change)."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.artwork.colour import away_from, ciede2000, lab_of_levels
from etiquette.core.printing.corrections import Replaced

Reals = NDArray[np.float64]
BAND_ROWS = 512
PAST = 1.3
"""Farther than so many times its distance a pixel takes nothing of a replacement: between, its edge is soft. A wider
band turns shades of a colour into mud."""
HALVES = 2
"""Distances come in half units (core.artwork.colour.away_from)."""


class Replacing:
    """Each colour of art becomes what the first replacement that reaches it says."""

    def __init__(self, wanted: Sequence[Replaced]) -> None:
        self._wanted = wanted

    def takes(self, kind: str, profile: bytes | None) -> bool:
        return True

    def colour(self, kind: str, numbers: tuple[float, ...]) -> tuple[str, tuple[float, ...]]:
        lab = lab_of_levels(_as_rgb(kind, numbers))
        for one in self._wanted:
            if ciede2000(lab, lab_of_levels(np.array(one.colour) / 255)) <= one.within:
                return (kind, _white(kind)) if one.to is None else _written(one.to, kind)
        return kind, numbers

    def pixels(self, picture: Image.Image) -> Image.Image:
        """A picture in L, RGB, RGBA (its opacity stays) or CMYK. What is nearly in reach, as the pixels of a smooth
        edge are, goes a part of the way."""
        shown = _shown(picture)
        levels, pixels = np.asarray(shown.convert("RGBA")), np.asarray(shown).copy()
        for top in range(0, len(levels), BAND_ROWS):
            band = slice(top, top + BAND_ROWS)
            pixels[band] = self._moved(levels[band], pixels[band], shown.mode)
        return Image.fromarray(pixels, mode=shown.mode)

    def _moved(self, levels: NDArray[np.uint8], pixels: NDArray[np.uint8], mode: str) -> NDArray[np.uint8]:
        made = pixels.astype(np.float32)
        left = np.ones(levels.shape[:2], dtype=np.float32)
        for one in self._wanted:
            share = left * reach(levels, one)
            left -= share
            new = 255 * np.array(_levels_of(one, mode), dtype=np.float32)
            old = np.array(_levels_from(one.colour, mode), dtype=np.float32)
            made[..., : len(new)] += share[..., None] * (new - old)
        return np.clip(np.round(made), 0, 255).astype(np.uint8)


def reach(levels: NDArray[np.uint8], one: Replaced) -> NDArray[np.float32]:
    """How much of a replacement each pixel of (h, w, 4) sRGB takes: all within its distance, none past
    PAST times that."""
    away = away_from(np.ascontiguousarray(levels), [one.colour]).astype(np.float32) / HALVES
    share = np.clip((PAST - away / max(one.within, 0.5)) / (PAST - 1), 0, 1)
    return share.astype(np.float32)


def _shown(picture: Image.Image) -> Image.Image:
    """Grey becomes RGB, so that it can become a colour; inks stay inks."""
    return picture if picture.mode in ("RGB", "RGBA", "CMYK") else picture.convert("RGB")


def _levels_of(one: Replaced, mode: str) -> tuple[float, ...]:
    kind = "cmyk" if mode == "CMYK" else "rgb"
    if one.to is None:
        return _white(kind)
    made, numbers = one.to
    if made == kind:
        return numbers
    return _as_cmyk(numbers) if kind == "cmyk" else tuple(_as_rgb(made, numbers))


def _levels_from(colour: tuple[int, int, int], mode: str) -> tuple[float, ...]:
    levels = tuple(one / 255 for one in colour)
    return tuple(255 * one for one in (_as_cmyk(levels) if mode == "CMYK" else levels))


def _written(to: tuple[str, tuple[float, ...]], kind: str) -> tuple[str, tuple[float, ...]]:
    """A colour as it is written: a shop colour in inks, another one as a screen has it."""
    return to if to[0] == "cmyk" or kind != "cmyk" else ("cmyk", _as_cmyk(to[1]))


def _white(kind: str) -> tuple[float, ...]:
    return {"grey": (1.0,), "rgb": (1.0, 1.0, 1.0), "cmyk": (0.0, 0.0, 0.0, 0.0)}[kind]


def _as_rgb(kind: str, numbers: tuple[float, ...]) -> Reals:
    if kind == "grey":
        return np.repeat(np.array(numbers), 3)
    if kind == "rgb":
        return np.array(numbers)
    return np.array([(1 - ink) * (1 - numbers[3]) for ink in numbers[:3]])


def _as_cmyk(levels: tuple[float, ...]) -> tuple[float, ...]:
    black = 1 - max(levels)
    return (*((1 - black - one) / (1 - black) if black < 1 else 0.0 for one in levels), black)
