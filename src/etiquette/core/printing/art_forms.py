"""A design as a form of a PDF (ISO 32000-1, 8.10): its picture or its page, clipped to where it may print; its areas of
white, clear and special inks; the art of its other side."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from io import BytesIO

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name
from shapely import Polygon, box

from etiquette.core.artwork.pdf_reader import page_frame
from etiquette.core.artwork.raster import Picture
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import PdfPen, figure
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.images import picture_stream
from etiquette.core.units import MM_PER_POINT


@dataclass(frozen=True)
class PictureArt:
    """A design's picture at its real size. What lies outside `clip` (design millimetres) is not printed: the ground of
    one piece must not paint over its neighbour."""

    picture: Picture
    width_mm: float
    height_mm: float
    clip: Polygon
    place: tuple[float, float, float, float] | None = None
    """Where the picture lies in design millimetres (x, y, width, height), when it is larger than the art: with
    bleed."""
    source: bytes | None = None
    """The file the picture was read from, when it is printed as it came."""


@dataclass(frozen=True)
class PageArt:
    """A design's page, a PDF of its own, without its finish lines: its content goes into the plate as it is."""

    pdf: bytes
    width_mm: float
    height_mm: float
    clip: Polygon
    under: PictureArt | None = None
    """Bleed, laid under the page."""
    at: tuple[float, float] = (0.0, 0.0)
    """Where the lower left corner of the page lies in design millimetres: the design may be a part of it."""


@dataclass(frozen=True)
class SpotArt:
    """A design's areas of white or clear, in design millimetres."""

    areas: tuple[Polygon, ...]
    clip: Polygon


Art = PictureArt | PageArt


@dataclass(frozen=True)
class OtherSide:
    """What is seen from the other side of a design: `art`, its middle laid on `middle` (design millimetres), `mirrored`
    across where the two sides are seen from opposite sides of their layers."""

    art: Art
    own_middle: tuple[float, float]
    middle: tuple[float, float]
    mirrored: bool


def clipped_to(art: Art, clip: Polygon) -> Art:
    """`art`, printed inside `clip` alone (design millimetres)."""
    if isinstance(art, PageArt):
        return replace(art, clip=clip, under=replace(art.under, clip=clip) if art.under else None)
    return replace(art, clip=clip)


def other_side(
    art: Art,
    size: tuple[float, float],
    printed: tuple[float, float, float, float],
    own_size: tuple[float, float],
    mirrored: bool,
) -> OtherSide:
    """`art` of `size` as it is seen from the other side of a design of `own_size`, middle on middle, as far as it is
    `printed` (x, y, width and height in its own millimetres)."""
    x, y, width, height = printed
    art = clipped_to(art, box(x, y, x + width, y + height))
    return OtherSide(art, (size[0] / 2, size[1] / 2), (own_size[0] / 2, own_size[1] / 2), mirrored)


def drawn(paths: Sequence[Path], operator: str) -> str:
    pen = PdfPen()
    for path in paths:
        path.draw(pen)
    return f"{pen.data}\n{operator}"


def ring(polygon: Polygon) -> Path:
    return Path.from_points(np.asarray(polygon.exterior.coords))


def clipped(polygon: Polygon) -> str:
    """Operators that keep what is painted to `polygon`, off its holes too."""
    rings = [Path.from_points(np.asarray(one.coords)) for one in (polygon.exterior, *polygon.interiors)]
    return drawn(rings, "W* n" if polygon.interiors else "W n")


def points(mm: float) -> float:
    return round(mm / MM_PER_POINT, 4)


def art_form(pdf: pikepdf.Pdf, art: Art) -> pikepdf.Object:
    clip = clipped(art.clip)
    held = Dictionary()
    parts = [f"q {clip}"]
    picture = art if isinstance(art, PictureArt) else art.under
    if picture:
        x, y, width, height = (points(value) for value in picture.place or (0, 0, art.width_mm, art.height_mm))
        held.Picture = picture_stream(pdf, picture.picture, picture.source)
        parts.append(f"q {figure(width)} 0 0 {figure(height)} {figure(x)} {figure(y)} cm /Picture Do Q")
    if isinstance(art, PageArt):
        held.Page, matrix = _page(pdf, art)
        parts.append(f"q {matrix} cm /Page Do Q")
    return as_form(pdf, "\n".join([*parts, "Q"]), art.clip, Dictionary(XObject=held))


def other_side_form(pdf: pikepdf.Pdf, other: OtherSide, clip: Polygon) -> pikepdf.Object:
    """The art of the other side in the millimetres of the design, kept to `clip`."""
    across = -1 if other.mirrored else 1
    moved = (
        points(at - across * own) for at, own, across in zip(other.middle, other.own_middle, (across, 1), strict=True)
    )
    matrix = f"{across} 0 0 1 {' '.join(figure(value) for value in moved)}"
    content = f"q {clipped(clip)} q {matrix} cm /Other Do Q Q"
    return as_form(pdf, content, clip, Dictionary(XObject=Dictionary(Other=art_form(pdf, other.art))))


def as_form(pdf: pikepdf.Pdf, content: str, clip: Polygon, resources: pikepdf.Object) -> pikepdf.Object:
    form = pdf.make_stream(content.encode())
    box = Array([points(value) for value in clip.bounds])
    form.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=box, Resources=resources))
    return form


def _page(pdf: pikepdf.Pdf, art: PageArt) -> tuple[pikepdf.Object, str]:
    """The page as a form, and the matrix from its user space to the points of the design."""
    with pikepdf.open(BytesIO(art.pdf)) as source:
        page = source.pages[0]
        natural, _, frame = page_frame(page, "the art")
        page.trimbox = page.cropbox  # the form is bounded by the trim box
        form = pdf.copy_foreign(page.as_form_xobject(handle_transformations=False))
    scale = art.width_mm / natural / MM_PER_POINT
    placed = [value * scale for value in frame]
    placed[4:] = [value + points(moved) for value, moved in zip(placed[4:], art.at, strict=True)]
    return form, " ".join(figure(value, 8) for value in placed)


def spot_form(pdf: pikepdf.Pdf, art: SpotArt, space: pikepdf.Object) -> pikepdf.Object:
    rings = [ring for area in art.areas for ring in (area.exterior, *area.interiors)]
    areas = drawn([Path.from_points(np.asarray(ring.coords)) for ring in rings], "f*")
    content = f"q {drawn([ring(art.clip)], 'W n')}\n/Spot cs 1 scn\n{areas}\nQ"
    return as_form(pdf, content, art.clip, Dictionary(ColorSpace=Dictionary(Spot=space)))


def separation(pdf: pikepdf.Pdf, name: str, look: Sequence[float]) -> pikepdf.Object:
    """The colour space of a spot ink (8.6.6.4), with what a screen shows for it in CMYK shares."""
    tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=list(look), N=1)
    return pdf.make_indirect(Array([Name.Separation, Name("/" + name), Name.DeviceCMYK, tint]))


def matrix_of(placement: Placement) -> str:
    """From the millimetres of a design to those of a page, as a matrix in points."""
    turn = np.radians(placement.rotation_deg)
    cos, sin = np.cos(turn), np.sin(turn)
    return " ".join(figure(value, 8) for value in (cos, sin, -sin, cos, points(placement.x_mm), points(placement.y_mm)))
