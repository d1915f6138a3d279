"""Colours of many pixels looked up in a table of few: STEPS on each axis of RGB, between them in straight lines."""

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter

STEPS = 33


def node_colours() -> NDArray[np.uint8]:
    """All colours of a table (STEPS³, 3), red fastest."""
    axis = np.round(np.linspace(0, 255, STEPS)).astype(np.uint8)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    return np.stack([red, green, blue], axis=-1).reshape(-1, 3)


def looked_up(art: Image.Image, table: NDArray[np.floating] | NDArray[np.uint8]) -> Image.Image:
    """Art in RGB by a `table` (STEPS³, 3 or 4) of 0 to 255: a picture in RGB, or with a fourth channel in RGBA."""
    channels = table.shape[1]
    held = ImageFilter.Color3DLUT(
        STEPS, (table / 255).ravel().tolist(), channels=channels, target_mode="RGBA" if channels == 4 else "RGB"
    )
    return art.filter(held)
