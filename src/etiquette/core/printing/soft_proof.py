"""How art will look on the stock it is printed on, on a screen (ISO 15076-1, annex D): its colours as the inks give
them, under the stock's own white, and the places whose colours the inks cannot reach.

LittleCMS converts; where there are more pixels than colours, by a table of its answers."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

from etiquette.core.artwork.colour import ciede2000
from etiquette.core.printing.colour_tables import looked_up, node_colours
from etiquette.core.printing.icc import INTENTS, MODES, opened
from etiquette.core.printing.intents import Intent
from etiquette.core.printing.profiles import ProofWish

Pixels = NDArray[np.uint8]
Reals = NDArray[np.float64]

REACHED_WITHIN = 4.0
"""CIEDE2000: a colour that comes out nearer to itself than this counts as reached (a value of our own: side by side two
such patches are told apart, a sticker seen alone is not)."""
MOST_DISTANCE = 51.0
"""Farther than this is written as this, so that distances fit into a byte in fifths."""
TINT = (128, 76, 209)
STRIPE, STRIPES = 5, 11
"""Of every so many pixels along a diagonal, so many are tinted: the art shows between them."""


class SoftProof:
    """Colours of art in the space of `source` (an RGB profile, None for sRGB) as they will look on the stock.

    Example: ``seen = SoftProof(wish); on_stock, distance = seen.of_art(image)``
    """

    def __init__(self, wish: ProofWish, source: bytes | None = None) -> None:
        self._mode = MODES[wish.space]
        self._inks = opened(wish.profile, "the profile")
        self._srgb, self._lab = _made("sRGB"), _made("LAB")
        self._source = opened(source, "the art's colours") if source else self._srgb
        self._wish, self._given = wish, source

    def __reduce__(self) -> tuple[type["SoftProof"], tuple[ProofWish, bytes | None]]:
        """For another process: profiles that were opened stay in this one."""
        return SoftProof, (self._wish, self._given)

    def of_inks(self, inks: Image.Image) -> Image.Image:
        """Inks, as a plate holds them, as they look on the stock: sRGB."""
        shown: Intent = "absolute" if self._wish.own_white else "relative"
        through = ImageCms.buildTransform(self._inks, self._srgb, self._mode, "RGB", INTENTS[shown])
        return _applied(inks, through)

    def inks_of(self, art: Image.Image) -> Image.Image:
        """The inks that art in RGB is printed with."""
        wish = self._wish
        flags = ImageCms.Flags.BLACKPOINTCOMPENSATION if wish.black_point else ImageCms.Flags.NONE
        through = ImageCms.buildTransform(
            self._source, self._inks, "RGB", self._mode, INTENTS[wish.intent], flags=flags
        )
        return _applied(art, through)

    def of_art(self, art: Image.Image) -> tuple[Image.Image, Pixels]:
        """Art in RGB as it will look, and how far each pixel misses its colour (h, w), fifths of CIEDE2000."""
        nodes = _nodes()
        seen = np.asarray(self.of_inks(self.inks_of(nodes))).reshape(-1, 3)
        both = np.column_stack([seen, self._missed(nodes)])
        made = np.asarray(looked_up(art, both))
        return Image.fromarray(made[..., :3]), made[..., 3]

    def missed(self, art: Image.Image) -> Pixels:
        """How far each pixel of art in RGB misses its colour (h, w), fifths of CIEDE2000."""
        nodes = _nodes()
        distance = self._missed(nodes)
        return np.asarray(looked_up(art, np.column_stack([np.zeros((len(distance), 3)), distance])))[..., 3]

    def _missed(self, art: Image.Image) -> Reals:
        """Of all pixels of `art` (n,): between the colour itself and the nearest one that inks reach."""
        relative = INTENTS["relative"]
        to_inks = ImageCms.buildTransform(self._source, self._inks, "RGB", self._mode, relative)
        from_inks = ImageCms.buildTransform(self._inks, self._lab, self._mode, "LAB", relative)
        asked = ImageCms.buildTransform(self._source, self._lab, "RGB", "LAB", relative)
        given = lab_of_image(_applied(_applied(art, to_inks), from_inks))
        distance = ciede2000(lab_of_image(_applied(art, asked)), given).ravel()
        return np.asarray(np.minimum(distance, MOST_DISTANCE) * 5)

    def on_stock(self, inks: Image.Image, own_white: bool = True) -> Reals:
        """L*, a*, b* (h, w, 3) of inks on the stock under D50; without its own white, beside the bare stock."""
        seen: Intent = "absolute" if own_white else "relative"
        return lab_of_image(_applied(inks, self._to_lab(self._inks, self._mode, seen)))

    def asked(self, art: Image.Image) -> Reals:
        """L*, a*, b* (h, w, 3) of art in RGB as it was made."""
        return lab_of_image(_applied(art, self._to_lab(self._source, "RGB", "relative")))

    def _to_lab(self, profile: ImageCms.ImageCmsProfile, mode: str, intent: Intent) -> ImageCms.ImageCmsTransform:
        return ImageCms.buildTransform(profile, self._lab, mode, "LAB", INTENTS[intent])


def tinted(seen: Image.Image, distance: Pixels) -> Image.Image:
    """`seen` with stripes where colours miss by more than REACHED_WITHIN; `distance` in fifths (h, w)."""
    rows, columns = np.ogrid[:STRIPES, : distance.shape[1]]
    stripes = ((rows + columns) % STRIPES < STRIPE)[np.arange(len(distance)) % STRIPES]
    made = seen.copy()
    made.paste(TINT, mask=Image.fromarray((distance > 5 * REACHED_WITHIN) & stripes))
    return made


def lab_of_image(image: Image.Image) -> Reals:
    """L*, a*, b* (h, w, 3) of a picture in Pillow's LAB, whose axes a and b are moved by 128."""
    light, a, b = (np.asarray(channel, dtype=np.float64) for channel in image.split())
    return np.stack([light / 2.55, a - 128, b - 128], axis=-1)


def _made(space: Literal["sRGB", "LAB"]) -> ImageCms.ImageCmsProfile:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile(space))


def _applied(image: Image.Image, through: ImageCms.ImageCmsTransform) -> Image.Image:
    made = ImageCms.applyTransform(image, through)
    assert made is not None  # not in place
    return made


def _nodes() -> Image.Image:
    """All colours of a table as one row of pixels."""
    return Image.fromarray(node_colours()[None])
