"""Art in RGB converted to the inks of a profile: a change of colours (core.printing.recolouring.Change). LittleCMS
converts; CMYK, grey and spots stay as they are."""

import numpy as np
from PIL import Image

from etiquette.core.printing.icc_files import description_of
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.printing.soft_proof import SoftProof

BLACK = (0.0, 0.0, 0.0)


class Converted:
    """`keep_black`: pure black in strokes, areas and tables is printed with black ink alone, so that type keeps its
    edge."""

    def __init__(self, wish: ProofWish, keep_black: bool = True) -> None:
        self._proof, self._keep_black = SoftProof(wish), keep_black
        self._known: dict[tuple[float, ...], tuple[float, ...]] = {}

    def takes(self, kind: str, profile: bytes | None) -> bool:
        """RGB of a screen. What another profile describes is left to the printer, which has both."""
        return kind != "rgb" or profile is None or "srgb" in description_of(profile).lower()

    def colour(self, kind: str, numbers: tuple[float, ...]) -> tuple[str, tuple[float, ...]]:
        if kind != "rgb":
            return kind, numbers
        if self._keep_black and numbers == BLACK:
            return "cmyk", (0.0, 0.0, 0.0, 1.0)
        if numbers not in self._known:
            levels = np.clip(np.round(255 * np.array([[numbers]])), 0, 255).astype(np.uint8)
            inks = np.asarray(self._proof.inks_of(Image.fromarray(levels)), dtype=np.float64)[0, 0] / 255
            self._known[numbers] = tuple(float(one) for one in inks)
        return "cmyk", self._known[numbers]

    def pixels(self, picture: Image.Image) -> Image.Image:
        return self._proof.inks_of(picture) if picture.mode == "RGB" else picture
