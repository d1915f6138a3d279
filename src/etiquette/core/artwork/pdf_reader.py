"""PDF art: what a page paints, where, with which colours and in which layers; and the page again without chosen paths.

The walk itself is in `pdf_stream`; here are documents, pages and their frames.
"""

import zlib
from io import BytesIO
from typing import Any

import pikepdf
from pikepdf import Name

from etiquette.core.artwork.pdf_gathered import Decide, Gathered
from etiquette.core.artwork.pdf_state import Layers, State
from etiquette.core.artwork.pdf_stream import walk_stream
from etiquette.core.artwork.vectors import VectorPage, refuse_odd_size
from etiquette.core.errors import JobError
from etiquette.core.geometry.matrices import Matrix, times
from etiquette.core.units import MM_PER_POINT

MOST_PAGES = 200


def open_pdf(content: bytes, name: str) -> pikepdf.Pdf:
    """The document. Raises JobError: damaged, locked, without pages."""
    try:
        pdf = pikepdf.open(BytesIO(content))
        count = len(pdf.pages)
    except pikepdf.PasswordError:
        raise JobError("The PDF is locked with a password.", name, "Ask for a file without one.") from None
    except (pikepdf.PdfError, RuntimeError, ValueError, RecursionError):
        raise JobError("The PDF is damaged.", name, "Save it again or ask for a new file.") from None
    if not count:
        raise JobError("The PDF has no pages.", name, "Ask for a new file.")
    if count > MOST_PAGES:
        raise JobError(f"The PDF has {count} pages; the most is {MOST_PAGES}.", name, "Split it into smaller files.")
    return pdf


def single_page(pdf: pikepdf.Pdf, number: int) -> bytes:
    """Page `number` (from 0) as a PDF of its own, with the layers of the document."""
    with pikepdf.new() as alone:
        alone.pages.append(pdf.pages[number])
        page = alone.pages[0]
        for key in ("/Annots", "/AA", "/Tabs", "/StructParents"):
            if key in page:
                del page[key]
        if "/OCProperties" in pdf.Root:
            properties = pdf.Root.OCProperties
            copied = properties if properties.is_indirect else pdf.make_indirect(properties)
            alone.Root.OCProperties = alone.copy_foreign(copied)
            _list_layers(page, alone)
        out = BytesIO()
        alone.save(out, deterministic_id=True)
        return out.getvalue()


def _list_layers(copy: pikepdf.Page, alone: pikepdf.Pdf) -> None:
    """A foreign object is copied once, so the layers of the page are those of the list; one that the list of the
    customer's file had forgotten is added."""
    listed = {group.objgen for group in alone.Root.OCProperties.get("/OCGs", [])}
    resources = copy.obj.get("/Resources")
    held = resources.get("/Properties") if isinstance(resources, pikepdf.Dictionary) else None
    for group in held.values() if isinstance(held, pikepdf.Dictionary) else ():
        if isinstance(group, pikepdf.Dictionary) and group.get("/Type") == Name.OCG and group.objgen not in listed:
            alone.Root.OCProperties.OCGs.append(group)


def read_page(pdf: pikepdf.Pdf, number: int, name: str) -> VectorPage:
    """What page `number` (from 0) paints. Raises JobError."""
    return _walked(pdf, pdf.pages[number], name, None)


def without(pdf: pikepdf.Pdf, number: int, name: str, decide: Decide) -> VectorPage:
    """Take paths out of page `number` of `pdf` as `decide` says, and everything in layers that are switched off: a
    page placed on a run has no switches. Returns what is left, as `read_page` would. Raises JobError."""
    page = _walked(pdf, pdf.pages[number], name, decide)
    pdf.remove_unreferenced_resources()  # forms that still hold a line are no longer drawn, and go too
    return page


def _walked(pdf: pikepdf.Pdf, page: pikepdf.Page, name: str, decide: Decide | None) -> VectorPage:
    width, height, matrix = page_frame(page, name)
    every = Gathered(pdf, name, Layers(pdf), decide)
    try:
        changed, kept = walk_stream(every, _contents(page, every), page.obj.get("/Resources"), State(matrix))
    except (pikepdf.PdfError, TypeError, ValueError, KeyError, IndexError, AttributeError, zlib.error):
        raise JobError(
            "The PDF holds drawing commands that make no sense.", name, "Save it again from the program it came from."
        ) from None
    if decide and changed:
        page.Contents = pdf.make_stream(pikepdf.unparse_content_stream(kept))
    return VectorPage(
        width,
        height,
        True,
        tuple(every.paths),
        tuple(every.images),
        every.texts,
        tuple(sorted(every.hidden)),
        tuple(sorted(every.unreached)),
        tuple(every.veiled),
        tuple(sorted(every.unreached_layers)),
        every.clips_by_text,
    )


def _contents(page: pikepdf.Page, every: Gathered) -> list[Any]:
    contents = page.obj.get("/Contents")
    if contents is None:
        return []
    parts = contents if isinstance(contents, pikepdf.Array) else [contents]
    every.refuse_large(part.read_bytes() for part in parts if isinstance(part, pikepdf.Stream))
    return list(pikepdf.parse_content_stream(page))


def page_frame(page: pikepdf.Page, name: str) -> tuple[float, float, Matrix]:
    """Width and height of the visible page in mm, and the matrix from its user space to mm from its lower left corner,
    with /Rotate undone. Raises JobError when the size makes no sense."""
    box = [float(value) for value in page.cropbox]
    left, low, right, high = min(box[0], box[2]), min(box[1], box[3]), max(box[0], box[2]), max(box[1], box[3])
    unit = MM_PER_POINT * float(page.obj.get("/UserUnit", 1))
    width, height = (right - left) * unit, (high - low) * unit
    refuse_odd_size(width, height, name)
    matrix: Matrix = (unit, 0, 0, unit, -left * unit, -low * unit)
    turn = int(page.obj.get("/Rotate", 0)) % 360
    if turn == 90:
        return height, width, times(matrix, (0, -1, 1, 0, 0, width))
    if turn == 180:
        return width, height, times(matrix, (-1, 0, 0, -1, width, height))
    if turn == 270:
        return height, width, times(matrix, (0, 1, -1, 0, height, 0))
    return width, height, matrix
