"""Art turned, mirrored and cropped: by the file itself, so that everything after it sees art as any other.

A picture stays a picture, a PDF page a page, an SVG drawing a drawing; nothing vector becomes pixels.
"""

from dataclasses import replace
from io import BytesIO

import numpy as np
from lxml import etree
from numpy.typing import NDArray
from pikepdf import Array, Name

from etiquette.core.artwork.arrangement import Arrangement
from etiquette.core.artwork.pdf_reader import open_pdf, page_frame
from etiquette.core.artwork.svg_reader import LABELS, SVG, SvgArt
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.geometry.matrices import Matrix, times
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen, figure
from etiquette.core.units import MM_PER_POINT


def arranged_pixels(pixels: NDArray[np.uint8], arrangement: Arrangement) -> NDArray[np.uint8]:
    """(height, width, channels) cropped to whole pixels, at least one, then mirrored and turned."""
    height, width = pixels.shape[:2]
    x, y, wide, high = arrangement.crop
    left, top = min(round(x * width), width - 1), min(round(y * height), height - 1)
    right, low = max(left + 1, round((x + wide) * width)), max(top + 1, round((y + high) * height))
    part = pixels[top:low, left:right]
    if arrangement.mirror:
        part = part[:, ::-1]
    return np.ascontiguousarray(np.rot90(part, arrangement.turn // 90))


def arranged_pdf(content: bytes, arrangement: Arrangement, name: str) -> bytes:
    """The page of a one-page PDF, its content as it was behind one matrix and one clip."""
    pdf = open_pdf(content, name)
    page = pdf.pages[0]
    width, height, frame = page_frame(page, name)
    wide, high = (value / MM_PER_POINT for value in arrangement.size(width, height))
    to_points: Matrix = (1 / MM_PER_POINT, 0, 0, 1 / MM_PER_POINT, 0, 0)
    placed = times(times(frame, arrangement.matrix(width, height)), to_points)
    before = f"q 0 0 {figure(wide)} {figure(high)} re W n {' '.join(figure(value, 8) for value in placed)} cm q"
    page.contents_coalesce()
    page.contents_add(before.encode(), prepend=True)
    page.contents_add(b"Q Q")
    for key in ("/CropBox", "/TrimBox", "/BleedBox", "/ArtBox", "/Rotate", "/UserUnit"):
        if key in page.obj:
            del page.obj[key]
    page.obj[Name.MediaBox] = Array([0, 0, round(wide, 4), round(high, 4)])
    out = BytesIO()
    pdf.save(out, deterministic_id=True)
    return out.getvalue()


def arranged_svg(content: bytes, arrangement: Arrangement, name: str) -> bytes:
    """The drawing inside another one that moves it; user units of the outer one are millimetres."""
    art = SvgArt(content, name)
    width, height, known = art.size()
    wide, high = arrangement.size(width, height)
    a, b, c, d, e, f = arrangement.matrix(width, height)
    # the matrix is for y up on both sides: y = height − Y before it, high − Y after it
    moved = (a, -b, -c, d, e + c * height, high - f - d * height)
    outer = etree.Element(f"{{{SVG}}}svg", nsmap={None: SVG})
    unit = "mm" if known else ""
    outer.set("width", f"{figure(wide)}{unit}")
    outer.set("height", f"{figure(high)}{unit}")
    outer.set("viewBox", f"0 0 {figure(wide)} {figure(high)}")
    group = etree.SubElement(outer, f"{{{SVG}}}g", transform=f"matrix({' '.join(figure(v, 8) for v in moved)})")
    inner = art.root
    if not inner.get("viewBox"):
        # without a view its units are pixels: say so, because outside it they are millimetres
        pixels = [value * 96 / 25.4 for value in (width, height)]
        inner.set("viewBox", f"0 0 {figure(pixels[0], 6)} {figure(pixels[1], 6)}")
    for key in LABELS:  # the name of a whole drawing is not the name of a layer
        inner.attrib.pop(key, None)
    for key, value in (("x", 0.0), ("y", 0.0), ("width", width), ("height", height)):
        inner.set(key, figure(value))
    group.append(inner)
    text: bytes = etree.tostring(outer)
    return text


def drawing_svg(page: VectorPage) -> bytes:
    """A drawing of strokes (DXF) as SVG in millimetres, its layers as groups with their names."""
    unit = "mm" if page.size_known else ""
    size = {"width": f"{figure(page.width_mm)}{unit}", "height": f"{figure(page.height_mm)}{unit}"}
    root = etree.Element(
        f"{{{SVG}}}svg", nsmap={None: SVG}, viewBox=f"0 0 {figure(page.width_mm)} {figure(page.height_mm)}", **size
    )
    for painted in page.paths:
        group = root
        for layer in painted.layers:
            group = etree.SubElement(group, f"{{{SVG}}}g", {"data-name": layer})
        pen = SvgPen(page.height_mm)
        for one in painted.paths:
            one.draw(pen)
        colour = painted.stroke.colour if painted.stroke else "#000000"
        etree.SubElement(
            group,
            f"{{{SVG}}}path",
            {"d": pen.data, "fill": "none", "stroke": colour, "stroke-width": figure(painted.stroke_mm)},
        )
    text: bytes = etree.tostring(root)
    return text


def inside_page(page: VectorPage) -> VectorPage:
    """`page` without the paths that lie wholly outside it: cropped away."""

    def touches(bounds: NDArray[np.float64]) -> bool:
        return bool((bounds[1] >= 0).all() and (bounds[0] <= (page.width_mm, page.height_mm)).all())

    def bounds_of(paths: tuple[Path, ...]) -> NDArray[np.float64]:
        points = np.vstack([np.vstack([one.start[None, :], *one.segments]) for one in paths])
        return np.array([points.min(axis=0), points.max(axis=0)])

    return replace(page, paths=tuple(path for path in page.paths if touches(bounds_of(path.paths))))
