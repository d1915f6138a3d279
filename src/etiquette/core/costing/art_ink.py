"""About how much ink a picture of art takes, before there is a plate: its colours as the inks of a profile, or, where
there is none, as their complements with half of the common grey printed black."""

from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

LARGEST_PX = 400
"""The picture is looked at no larger: an average does not need more."""
BLACK_FOR_GREY = 0.5
"""Share of the grey that three inks have in common which is printed black instead (a value of our own)."""


def ink_share(png: bytes, profile: bytes | None = None) -> float:
    """How much of its rectangle the art covers with ink: the sum over the process inks, 1 for one full ink all over.
    What is transparent takes none. `png`: sRGB with or without alpha; `profile`: ICC of the inks (CMYK)."""
    with Image.open(BytesIO(png)) as opened:
        picture = opened.convert("RGBA")
    picture.thumbnail((LARGEST_PX, LARGEST_PX))
    seen = np.asarray(picture.getchannel("A"), dtype=np.float64) / 255
    if not seen.any():
        return 0.0
    colours = picture.convert("RGB")
    inks = _complements(colours) if profile is None else _through(colours, profile)
    return float((inks.sum(axis=2) * seen).mean())


def _complements(colours: Image.Image) -> NDArray[np.float64]:
    three = 1 - np.asarray(colours, dtype=np.float64) / 255
    black = three.min(axis=2, keepdims=True) * BLACK_FOR_GREY
    return np.concatenate([three - black, black], axis=2)


def _through(colours: Image.Image, profile: bytes) -> NDArray[np.float64]:
    inks = ImageCms.profileToProfile(
        colours,
        ImageCms.createProfile("sRGB"),
        ImageCms.ImageCmsProfile(BytesIO(profile)),
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
        outputMode="CMYK",
    )
    assert inks is not None
    return np.asarray(inks, dtype=np.float64) / 255
