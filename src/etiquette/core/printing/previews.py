"""A picture of a plate, rendered from the very PDF that is sent."""

from io import BytesIO

import numpy as np
import pypdfium2

from etiquette.core.artwork.raster import Picture
from etiquette.core.units import MM_PER_INCH

POINTS_PER_INCH = 72
PREVIEW_PIXELS = 2_200
"""The longer side of a preview; its resolution is told beside it, so that nobody takes it for the print's."""


def preview(pdf: bytes, clear_ground: bool = False) -> tuple[bytes, float]:
    """PNG of the first page of `pdf` and its resolution in dots an inch; with a clear ground only what is painted shows."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        scale = PREVIEW_PIXELS / max(page.get_size())
        ground = (255, 255, 255, 0 if clear_ground else 255)
        image = page.render(scale=scale, fill_color=ground, maybe_alpha=clear_ground).to_pil()
        out = BytesIO()
        image.save(out, "PNG", optimize=False, compress_level=6)
        return out.getvalue(), scale * POINTS_PER_INCH
    finally:
        document.close()


def rendered(pdf: bytes, width_mm: float, dpi: float = 300.0) -> Picture:
    """The first page of `pdf`, to be printed `width_mm` wide, as a picture on a transparent ground."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        scale = dpi / MM_PER_INCH * width_mm / page.get_width()
        image = page.render(scale=scale, fill_color=(255, 255, 255, 0), maybe_alpha=True, rev_byteorder=True).to_pil()
        return Picture(np.asarray(image.convert("RGBA")), dpi)
    finally:
        document.close()
