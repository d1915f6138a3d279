"""A page a row: a design with what is filled in, for printers that take a page for every copy."""

from collections.abc import Sequence
from io import BytesIO

import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.geometry.pens import figure
from etiquette.core.printing.art_forms import art_form, points, separation, spot_form
from etiquette.core.printing.filled import FilledInk, PictureOf
from etiquette.core.printing.page_trees import plant
from etiquette.core.printing.plates import SPOT_LOOKS, SpotInk, set_intent
from etiquette.core.production.frames import SPOTS, FrameDesign
from etiquette.core.variable.filling import FilledCopy


class FilledPages:
    """The colour plate: one PDF with a page for every copy, in the order in which they are added."""

    def __init__(self, design: FrameDesign, picture_of: PictureOf | None = None) -> None:
        self._design, self._pages = design, list[pikepdf.Object]()
        self._pdf = pikepdf.new()
        form = self._pdf.make_indirect(art_form(self._pdf, design.art))
        self._resources = self._pdf.make_indirect(Dictionary(XObject=Dictionary(Design=form)))
        self._ink = FilledInk(self._pdf, picture_of)
        self._first = f"{_to_corner(design)} /Design Do"

    def __len__(self) -> int:
        return len(self._pages)

    def add(self, copy: FilledCopy) -> None:
        drawn = self._pdf.make_stream(f"{self._first}\n{self._ink.operators(copy)}".encode())
        self._pages.append(_page(self._pdf, self._design, drawn, self._resources))

    def written(self, title: str) -> bytes:
        self._ink.fill(self._resources)
        return _saved(self._pdf, self._pages, title)


def fields_alone(size_mm: tuple[float, float], copy: FilledCopy, picture_of: PictureOf | None = None) -> bytes:
    """What is filled into one copy, without the art, on a page of its size."""
    with pikepdf.new() as pdf:
        ink, resources = FilledInk(pdf, picture_of), pdf.make_indirect(Dictionary())
        drawn = pdf.make_stream(ink.operators(copy).encode())
        ink.fill(resources)
        box = Array([0, 0, *(points(value) for value in size_mm)])
        page = Dictionary(Type=Name.Page, MediaBox=box, Resources=resources, Contents=drawn)
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
        out = BytesIO()
        pdf.save(out, deterministic_id=True)
        return out.getvalue()


def spot_pages(design: FrameDesign, ink: SpotInk, count: int, title: str) -> bytes | None:
    """The plate of one spot, the same for every copy; None when the design has none of it."""
    art = design.spots[ink]
    if not art.areas:
        return None
    with pikepdf.new() as pdf:
        form = pdf.make_indirect(spot_form(pdf, art, separation(pdf, ink, SPOT_LOOKS[ink])))
        resources = pdf.make_indirect(Dictionary(XObject=Dictionary(Design=form)))
        drawn = pdf.make_stream(f"{_to_corner(design)} /Design Do".encode())
        pages = [_page(pdf, design, drawn, resources) for _ in range(count)]
        return _saved(pdf, pages, f"{title}, {ink.lower()}")


def spots_with_areas(design: FrameDesign) -> list[SpotInk]:
    return [ink for ink in SPOTS if design.spots[ink].areas]


def _to_corner(design: FrameDesign) -> str:
    left, low, *_ = design.art.clip.bounds
    return f"1 0 0 1 {figure(-points(left))} {figure(-points(low))} cm"


def _page(pdf: pikepdf.Pdf, design: FrameDesign, content: pikepdf.Object, resources: pikepdf.Object) -> pikepdf.Object:
    left, low, right, top = design.art.clip.bounds
    x0, y0, x1, y1 = design.outline.bounds
    page = Dictionary(
        Type=Name.Page,
        MediaBox=Array([0, 0, points(right - left), points(top - low)]),
        TrimBox=Array([points(value) for value in (x0 - left, y0 - low, x1 - left, y1 - low)]),
        Resources=resources,
        Contents=content,
    )
    return pdf.make_indirect(page)


def _saved(pdf: pikepdf.Pdf, pages: Sequence[pikepdf.Object], title: str) -> bytes:
    plant(pdf, pages)
    pdf.docinfo["/Title"] = title
    set_intent(pdf)
    out = BytesIO()
    # many small pages: kept in streams of objects they are a third of the size
    pdf.save(out, min_version="1.7", deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()
