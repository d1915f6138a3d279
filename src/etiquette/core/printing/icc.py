"""The ICC profile of a stock on a printer (ISO 15076-1): whether a file is one that can be printed by, what it says,
and colours through it. The colours themselves are LittleCMS's."""

import struct
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

from etiquette.core.errors import JobError
from etiquette.core.printing.icc_files import D50
from etiquette.core.printing.intents import Intent, Space
from etiquette.core.printing.profiles import Lab, ProfileFacts

INTENTS: dict[Intent, ImageCms.Intent] = {
    "perceptual": ImageCms.Intent.PERCEPTUAL,
    "relative": ImageCms.Intent.RELATIVE_COLORIMETRIC,
    "saturation": ImageCms.Intent.SATURATION,
    "absolute": ImageCms.Intent.ABSOLUTE_COLORIMETRIC,
}
MODES: dict[Space, str] = {"CMYK": "CMYK", "RGB": "RGB", "GRAY": "L"}
"""What Pillow calls pictures in the space of a profile."""
HEADER_BYTES = 128
CLASSES = {
    b"scnr": "a scanner or camera",
    b"link": "one way from one machine to another",
    b"abst": "an effect",
    b"nmcl": "named colours",
    b"spac": "a way of writing colours",
}
"""Kinds of profile that no stock can be printed by (7.2.7), and what they describe."""
SPACES: dict[bytes, Space] = {b"CMYK": "CMYK", b"RGB ": "RGB", b"GRAY": "GRAY"}
GRID = 26
"""Steps of each axis of L*a*b* at which the most ink is looked for."""


def read_profile(content: bytes, name: str) -> ProfileFacts:
    """What the profile in `content` says. Raises JobError when it is none, or none of a printer."""
    space = _checked(content, name)
    profile = opened(content, name)
    if space != "GRAY":  # a grey one is a curve, which goes both ways
        for way in (ImageCms.Direction.INPUT, ImageCms.Direction.OUTPUT):
            if not ImageCms.isIntentSupported(profile, ImageCms.Intent.RELATIVE_COLORIMETRIC, way) == 1:
                raise JobError(
                    "The profile goes one way only: colours cannot be looked up in it both ways.",
                    name,
                    "Take the profile that was made for printing, as the program that measured the stock saved it.",
                )
    try:
        _tried(profile, MODES[space])
        limit = ink_limit(profile) if space == "CMYK" else None
    except ImageCms.PyCMSError:
        raise _damaged(name) from None
    white = profile.profile.media_white_point
    # a screen's white is that of the space, whatever its file says of the lamp behind it
    xyz = np.array(white[0]) if white and content[12:16] == b"prtr" else D50
    words = (profile.profile.profile_description or "").strip()
    major, minor = content[8], content[9] >> 4
    return ProfileFacts(words[:120], space, lab_of_xyz(xyz), limit, f"{major}.{minor}")


def _checked(content: bytes, name: str) -> Space:
    """The space of a profile whose header is in order (ISO 15076-1, 7.2)."""
    if len(content) < HEADER_BYTES or content[36:40] != b"acsp":
        raise JobError("This is no ICC profile.", name, "Choose a file that ends in .icc or .icm.")
    (size,) = struct.unpack(">I", content[:4])
    if size > len(content):
        raise JobError(
            f"The profile is cut short: {len(content)} of {size} bytes are there.", name, "Copy the file once more."
        )
    kind = content[12:16]
    if kind in CLASSES or kind not in (b"prtr", b"mntr"):
        what = CLASSES.get(kind, "something else")
        raise JobError(
            f"The profile describes {what}, not a printer on a stock.", name, "Choose the profile of the printer."
        )
    space = SPACES.get(content[16:20])
    if space is None:
        called = content[16:20].decode("latin-1").strip()
        raise JobError(
            f"The profile is for colours in {called or 'an unknown space'}, and print files hold CMYK, RGB or grey.",
            name,
            "Choose a profile for one of these.",
        )
    return space


def opened(content: bytes, name: str) -> ImageCms.ImageCmsProfile:
    """Raises JobError."""
    try:
        return ImageCms.ImageCmsProfile(BytesIO(content))
    except (OSError, ImageCms.PyCMSError):
        raise _damaged(name) from None


def _damaged(name: str) -> JobError:
    return JobError(
        "The profile cannot be read: its tables are damaged.", name, "Copy the file once more, or choose another."
    )


def _tried(profile: ImageCms.ImageCmsProfile, mode: str) -> None:
    """Colours can be sent through it, with every intent. Raises PyCMSError."""
    screen = ImageCms.createProfile("sRGB")
    for intent in INTENTS.values():
        ImageCms.buildTransform(screen, profile, "RGB", mode, intent)
        ImageCms.buildTransform(profile, screen, mode, "RGB", intent)


def lab_of_xyz(xyz: NDArray[np.float64]) -> Lab:
    """L*, a*, b* of X, Y, Z relative to D50 (CIE 15:2004)."""
    relative = xyz / D50
    f = np.where(relative > 0.008856, np.cbrt(relative), 7.787 * relative + 16 / 116)
    return (
        round(float(116 * f[1] - 16), 2),
        round(float(500 * (f[0] - f[1])), 2),
        round(float(200 * (f[1] - f[2])), 2),
    )


def ink_limit(profile: ImageCms.ImageCmsProfile) -> float:
    """The most ink that `profile` gives for any colour, percent of all inks together. A profile does not say it: it is
    found by asking for colours all over L*a*b*."""
    steps = np.round(np.linspace(0, 255, GRID)).astype(np.uint8)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(1, -1, 3)
    asked = Image.merge("LAB", [Image.fromarray(np.ascontiguousarray(grid[..., axis])) for axis in range(3)])
    lab = ImageCms.createProfile("LAB")
    most = 0.0
    for intent in (INTENTS["perceptual"], INTENTS["relative"]):
        through = ImageCms.buildTransform(lab, profile, "LAB", "CMYK", intent)
        inks = np.asarray(ImageCms.applyTransform(asked, through), dtype=np.float64)
        most = max(most, float(inks.sum(axis=-1).max()) / 255 * 100)
    return round(most, 1)
