"""The plates of a run, each one PDF page. Colour: art placed, marks, codes, arrow and slug in; finish lines not. White
and clear: areas of one spot, in register with it.

Every distinct design is one form XObject, placed as often as it is needed; its picture is embedded once, losslessly
(ISO 32000-1: 8.10 form XObjects, 8.9 images, 7.4.4 Flate with PNG predictors). The page has the leading edge at the
bottom and is as large as the run.
"""

import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from io import BytesIO
from typing import Literal

import numpy as np
import pikepdf
from numpy.typing import NDArray
from pikepdf import Array, Dictionary, Name
from shapely import Polygon

from etiquette.core.artwork.pdf_reader import page_frame
from etiquette.core.artwork.raster import Picture
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import PdfPen, figure
from etiquette.core.marking.codes import MODULE_MM, data_matrix
from etiquette.core.marking.frames import CodePlace, FramePlan, MarkRecipe
from etiquette.core.marking.slugs import slug_outlines
from etiquette.core.planning.problem import Placement
from etiquette.core.units import MM_PER_POINT

LONGEST_PAGE_POINTS = 14_400.0
"""ISO 32000-1, annex C: a longer page needs a larger user unit."""
BEZIER_CIRCLE = 0.5522847498
"""Control distance of a quarter circle drawn as one cubic."""


@dataclass(frozen=True)
class PictureArt:
    """A design's picture at its real size. What lies outside `clip` (design millimetres) is not printed: the ground of
    one piece must not paint over its neighbour."""

    picture: Picture
    width_mm: float
    height_mm: float
    clip: Polygon
    place: tuple[float, float, float, float] | None = None
    """Where the picture lies in design millimetres (x, y, width, height), when it is larger than the art: with bleed."""


@dataclass(frozen=True)
class PageArt:
    """A design's page, a PDF of its own, without its finish lines: its content goes into the plate as it is."""

    pdf: bytes
    width_mm: float
    height_mm: float
    clip: Polygon
    under: PictureArt | None = None
    """Bleed, laid under the page."""


@dataclass(frozen=True)
class SpotArt:
    """A design's areas of white or clear, in design millimetres."""

    areas: tuple[Polygon, ...]
    clip: Polygon


Art = PictureArt | PageArt
SpotInk = Literal["White", "Clear"]
SPOT_LOOKS: dict[SpotInk, tuple[float, float, float, float]] = {
    "White": (0.12, 0.04, 0.0, 0.0),
    "Clear": (0.0, 0.12, 0.25, 0.0),
}
"""How a screen shows the ink where it stands for itself, CMYK; a press uses the name."""


def colour_plate(
    arts: Mapping[str, Art], placements: Sequence[Placement], plan: FramePlan, recipe: MarkRecipe, title: str
) -> bytes:
    """The PDF. `placements` are in run millimetres and name `arts`."""
    with pikepdf.new() as pdf:
        forms = {name: _form(pdf, art) for name, art in arts.items() if any(p.id == name for p in placements)}
        return _written(pdf, forms, placements, plan, marks_and_codes(plan, recipe), title)


def spot_plate(
    areas: Mapping[str, SpotArt], placements: Sequence[Placement], plan: FramePlan, ink: SpotInk, title: str
) -> bytes:
    """The plate of one spot, in register with the colour plate: the areas of designs filled with the full ink, nothing
    else; a design without areas leaves its places empty. `placements` are in run millimetres."""
    with pikepdf.new() as pdf:
        look = SPOT_LOOKS[ink]
        tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=list(look), N=1)
        space = pdf.make_indirect(Array([Name.Separation, Name("/" + ink), Name.DeviceCMYK, tint]))
        used = {name: art for name, art in areas.items() if art.areas and any(p.id == name for p in placements)}
        forms = {name: _spot_form(pdf, art, space) for name, art in used.items()}
        return _written(pdf, forms, [p for p in placements if p.id in forms], plan, "", title)


def _spot_form(pdf: pikepdf.Pdf, art: SpotArt, space: pikepdf.Object) -> pikepdf.Object:
    rings = [ring for area in art.areas for ring in (area.exterior, *area.interiors)]
    drawn = _drawn([Path.from_points(np.asarray(ring.coords)) for ring in rings], "f*")
    content = f"q {_drawn([_ring(art.clip)], 'W n')}\n/Spot cs 1 scn\n{drawn}\nQ"
    return _as_form(pdf, content, art.clip, Dictionary(ColorSpace=Dictionary(Spot=space)))


def _written(
    pdf: pikepdf.Pdf,
    forms: Mapping[str, pikepdf.Object],
    placements: Sequence[Placement],
    plan: FramePlan,
    more: str,
    title: str,
) -> bytes:
    """`pdf` with its one page: every placement draws its form, `more` is drawn on top."""
    unit = max(1.0, plan.length_mm / MM_PER_POINT / LONGEST_PAGE_POINTS)
    names = {name: f"/D{number}" for number, name in enumerate(forms, 1)}
    box = Array([0, 0, _points(plan.width_mm / unit), _points(plan.length_mm / unit)])
    content = [f"{figure(1 / unit, 8)} 0 0 {figure(1 / unit, 8)} 0 0 cm"] if unit > 1 else []
    content += [f"q {_matrix(placement)} cm {names[placement.id]} Do Q" for placement in placements]
    content.append(more)
    page = Dictionary(
        Type=Name.Page,
        MediaBox=box,
        TrimBox=box,
        BleedBox=box,
        Resources=Dictionary(XObject=Dictionary({names[name]: form for name, form in forms.items()})),
        Contents=pdf.make_stream("\n".join(content).encode()),
    )
    if unit > 1:
        page.UserUnit = unit
    pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
    pdf.docinfo["/Title"] = title
    out = BytesIO()
    pdf.save(out, min_version="1.7", deterministic_id=True)
    return out.getvalue()


def marks_and_codes(plan: FramePlan, recipe: MarkRecipe) -> str:
    """PDF operators for marks, codes, arrow and slug in full black (CMYK 0 0 0 1 keeps them in one ink)."""
    radius = recipe.diameter_mm / 2
    parts = ["q 0 0 0 1 k"]
    parts += [_drawn([_disc(mark.x, mark.y, radius)], "f") for mark in plan.marks]
    parts += [_drawn(code_squares(code), "f") for code in plan.codes]
    parts.append(_drawn([_ring(plan.arrow)], "f"))
    parts.append(_drawn(slug_outlines(plan.slug, *plan.slug_at), "f"))
    return "\n".join([*parts, "Q"])


def code_squares(place: CodePlace) -> list[Path]:
    """The dark modules of a code, neighbours in a row joined, so that no hairline shows between them."""
    modules = data_matrix(place.code.payload)
    count = len(modules)
    bars = []
    for row in range(count):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], modules[row].view(np.int8), [0]])))
        y = place.y + (count - 1 - row) * MODULE_MM
        for first, last in zip(edges[::2], edges[1::2], strict=True):
            x0, x1 = place.x + first * MODULE_MM, place.x + last * MODULE_MM
            bars.append(Path.from_points([(x0, y), (x1, y), (x1, y + MODULE_MM), (x0, y + MODULE_MM)]))
    return bars


def _drawn(paths: Sequence[Path], operator: str) -> str:
    pen = PdfPen()
    for path in paths:
        path.draw(pen)
    return f"{pen.data}\n{operator}"


def _disc(x: float, y: float, radius: float) -> Path:
    k = radius * BEZIER_CIRCLE
    corners = np.array([(radius, 0), (0, radius), (-radius, 0), (0, -radius), (radius, 0)], dtype=float)
    centre = np.array([x, y])
    segments = []
    for start, end in zip(corners[:-1], corners[1:], strict=True):
        out = np.array([-start[1], start[0]]) / radius * k
        back = np.array([end[1], -end[0]]) / radius * k
        segments.append(np.array([start + out, end + back, end]) + centre)
    return Path(centre + corners[0], tuple(segments), True)


def _ring(polygon: Polygon) -> Path:
    return Path.from_points(np.asarray(polygon.exterior.coords))


def _points(mm: float) -> float:
    return round(mm / MM_PER_POINT, 4)


def _matrix(placement: Placement) -> str:
    turn = np.radians(placement.rotation_deg)
    cos, sin = np.cos(turn), np.sin(turn)
    return " ".join(
        figure(value, 8) for value in (cos, sin, -sin, cos, _points(placement.x_mm), _points(placement.y_mm))
    )


def _form(pdf: pikepdf.Pdf, art: Art) -> pikepdf.Object:
    clip = _drawn([_ring(art.clip)], "W n")
    held = Dictionary()
    parts = [f"q {clip}"]
    picture = art if isinstance(art, PictureArt) else art.under
    if picture:
        x, y, width, height = (_points(value) for value in picture.place or (0, 0, art.width_mm, art.height_mm))
        held.Picture = _image(pdf, picture.picture)
        parts.append(f"q {figure(width)} 0 0 {figure(height)} {figure(x)} {figure(y)} cm /Picture Do Q")
    if isinstance(art, PageArt):
        held.Page, matrix = _page(pdf, art)
        parts.append(f"q {matrix} cm /Page Do Q")
    return _as_form(pdf, "\n".join([*parts, "Q"]), art.clip, Dictionary(XObject=held))


def _as_form(pdf: pikepdf.Pdf, content: str, clip: Polygon, resources: pikepdf.Object) -> pikepdf.Object:
    form = pdf.make_stream(content.encode())
    box = Array([_points(value) for value in clip.bounds])
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
    return form, " ".join(figure(value * scale, 8) for value in frame)


def _image(pdf: pikepdf.Pdf, picture: Picture) -> pikepdf.Object:
    image = _flate(pdf, picture.pixels[..., :3], Name.DeviceRGB)
    if picture.has_transparency:
        image.SMask = _flate(pdf, picture.pixels[..., 3:], Name.DeviceGray)
    return image


def _flate(pdf: pikepdf.Pdf, pixels: NDArray[np.uint8], colour_space: Name) -> pikepdf.Object:
    """An image stream; each row is stored as its difference from the row above (PNG filter 2), which deflates well."""
    height, width, channels = pixels.shape
    rows = np.ascontiguousarray(pixels).reshape(height, -1)
    filtered = np.empty((height, rows.shape[1] + 1), dtype=np.uint8)
    filtered[:, 0] = 2
    filtered[0, 1:] = rows[0]
    np.subtract(rows[1:], rows[:-1], out=filtered[1:, 1:])
    stream = pikepdf.Stream(pdf, zlib.compress(filtered.tobytes(), 6))
    stream.stream_dict.update(
        Dictionary(
            Type=Name.XObject,
            Subtype=Name.Image,
            Width=width,
            Height=height,
            BitsPerComponent=8,
            ColorSpace=colour_space,
            Filter=Name.FlateDecode,
            DecodeParms=Dictionary(Predictor=15, Colors=channels, BitsPerComponent=8, Columns=width),
        )
    )
    return pdf.make_indirect(stream)
