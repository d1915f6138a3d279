"""A picture of a plate, rendered from the very PDF that is sent."""

from io import BytesIO

import numpy as np
import pypdfium2

from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError
from etiquette.core.units import MM_PER_INCH

POINTS_PER_INCH = 72
MOST_PART_PIXELS = 6_000_000
PREVIEW_PIXELS = 2_200
"""The longer side of a preview; its resolution is told beside it, so that nobody takes it for the print's."""


def preview(pdf: bytes, clear_ground: bool = False) -> tuple[bytes, float]:
    """PNG of the first page of `pdf` and its resolution in dots an inch; with a clear ground only what is painted
    shows."""
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


def part(pdf: bytes, box: tuple[float, float, float, float], dpi: float, clear_ground: bool = False) -> bytes:
    """PNG of a stretch of the first page: `box` is x, y, width and height in mm from the lower left. No more than
    MOST_PART_PIXELS are made: then it is coarser than asked."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        width, height = (size * MM_PER_INCH / POINTS_PER_INCH for size in page.get_size())
        left, low = max(0.0, box[0]), max(0.0, box[1])
        right, top = min(width, box[0] + box[2]), min(height, box[1] + box[3])
        if right <= left or top <= low:
            raise JobError("This stretch lies beside the print.", "preview", "Move the view back over it.")
        pixels = (right - left) * (top - low) / MM_PER_INCH**2 * dpi**2
        dpi = min(dpi, dpi * (MOST_PART_PIXELS / pixels) ** 0.5)
        crop = tuple(value * POINTS_PER_INCH / MM_PER_INCH for value in (left, low, width - right, height - top))
        ground = (255, 255, 255, 0 if clear_ground else 255)
        image = page.render(
            scale=dpi / POINTS_PER_INCH, crop=crop, fill_color=ground, maybe_alpha=clear_ground
        ).to_pil()
        out = BytesIO()
        image.save(out, "PNG", compress_level=3)
        return out.getvalue()
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
