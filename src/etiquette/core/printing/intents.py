"""The spaces of print files, and what becomes of colours that a printer's inks cannot reach (ISO 15076-1, 6.2 and annex
D)."""

from typing import Literal, get_args

Space = Literal["CMYK", "RGB", "GRAY"]
"""In which print files may be made."""
Intent = Literal["perceptual", "relative", "saturation", "absolute"]
INTENTS: tuple[Intent, ...] = get_args(Intent)
