"""Colours of art made lighter, stronger, warmer: on L*a*b*, so that every setting does what it is called and nothing
else. White stays white and black stays black, whatever is asked: the bare stock and the darkest ink are no colours of
the art."""

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.artwork.colour import lab_of_levels, srgb_of
from etiquette.core.printing.colour_tables import looked_up, node_colours
from etiquette.core.printing.corrections import Correction

Reals = NDArray[np.float64]
MOST_TINT = 40.0
"""How far a full balance moves a* or b* of a middle tone."""


class Corrected:
    """A correction at work: a change of colours (core.printing.recolouring.Change)."""

    def __init__(self, correction: Correction) -> None:
        self._asked = correction

    def tones(self, levels: Reals) -> Reals:
        """Brightness, 0 to 1: lightness is a power, so that the ends stay; contrast turns the curve about its
        middle."""
        lighter = levels ** (2.0 ** (-self._asked.lightness / 100))
        away = 2 * lighter - 1
        steeper = 2.0 ** (self._asked.contrast / 100)
        return np.asarray(0.5 + 0.5 * np.sign(away) * (1 - (1 - np.abs(away)) ** steeper))

    def of_rgb(self, levels: Reals) -> Reals:
        """sRGB (n, 3), 0 to 1."""
        lab = lab_of_levels(levels)
        tones = self.tones(np.clip(lab[:, 0] / 100, 0, 1))
        middle = 4 * tones * (1 - tones) * MOST_TINT / 100
        # no stronger than before where a tone comes near white or black: there is no room for colour
        strong = 1 + self._asked.saturation / 100
        a = lab[:, 1] * strong + self._asked.red_green * middle
        b = lab[:, 2] * strong + self._asked.yellow_blue * middle
        return np.asarray(srgb_of(np.stack([100 * tones, a, b], axis=-1)))

    def of_cmyk(self, shares: Reals) -> Reals:
        """Shares of ink (n, 4): the three colours as what they leave of white, black by its tone alone, so that what is
        printed with one ink stays so as long as its colour is not moved."""
        colours = 1 - self.of_rgb(1 - shares[:, :3])
        return np.column_stack([colours, 1 - self.tones(1 - shares[:, 3])])

    def of_grey(self, levels: Reals) -> Reals:
        """Grey (n,), 0 to 1: a balance does not colour it. Grey is written as a share of light; tones are L*."""
        return np.asarray(self.of_rgb(np.repeat(levels[:, None], 3, axis=1)).mean(axis=1))

    def takes(self, kind: str, profile: bytes | None) -> bool:
        return True

    def colour(self, kind: str, numbers: tuple[float, ...]) -> tuple[str, tuple[float, ...]]:
        """A colour of art, 0 to 1, of the kind "grey", "rgb" or "cmyk" (core.printing.recolouring.Change)."""
        given = np.clip(np.array([numbers], dtype=np.float64), 0, 1)
        if kind == "grey":
            return kind, (float(self.of_grey(given[:, 0])[0]),)
        made = self.of_rgb(given) if kind == "rgb" else self.of_cmyk(given)
        return kind, tuple(float(one) for one in made[0])

    def pixels(self, picture: Image.Image) -> Image.Image:
        """A picture in L, RGB, RGBA (its opacity stays) or CMYK."""
        levels = np.arange(256) / 255
        if picture.mode == "L":
            return picture.point([round(255 * one) for one in self.of_grey(levels)])
        table = 255 * self.of_rgb(node_colours() / 255)
        if picture.mode == "CMYK":
            *colours, black = picture.split()
            left = Image.merge("RGB", [ink.point([255 - one for one in range(256)]) for ink in colours])
            inks = [one.point([255 - one for one in range(256)]) for one in looked_up(left, table).split()]
            kept = black.point([round(255 * (1 - one)) for one in self.tones(1 - levels)])
            return Image.merge("CMYK", (*inks, kept))
        made = looked_up(picture.convert("RGB"), table)
        if picture.mode == "RGBA":
            made.putalpha(picture.getchannel("A"))
        return made
