"""A web whose labels differ: a page for every repeat, the repeat itself drawn once, with what is filled into its labels
over it."""

from collections.abc import Sequence
from io import BytesIO

import pikepdf
from pikepdf import Array, Dictionary, Name
from shapely import Polygon

from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import drawn, matrix_of, ring
from etiquette.core.printing.filled import FilledInk, PictureOf
from etiquette.core.printing.page_trees import plant
from etiquette.core.variable.filling import FilledCopy

BOXES = ("/MediaBox", "/TrimBox", "/BleedBox")
Filled = Sequence[tuple[Placement, Polygon, FilledCopy]]
"""The labels of one repeat that are filled: where each lies, how far it is printed, what stands on it."""


def filled_repeats(plate: bytes, pages: Sequence[Filled], title: str, picture_of: PictureOf | None = None) -> bytes:
    """The plate of one repeat, once for each of `pages`."""
    with pikepdf.open(BytesIO(plate)) as source, pikepdf.new() as pdf:
        page = source.pages[0]
        boxes = {key: [float(value) for value in page.obj[key]] for key in BOXES if key in page.obj}
        page.trimbox = page.mediabox  # a form is bounded by the trim box, and the mark stands outside it
        form = pdf.copy_foreign(page.as_form_xobject(handle_transformations=False))
        resources = pdf.make_indirect(Dictionary(XObject=Dictionary(Repeat=form)))
        ink, made = FilledInk(pdf, picture_of), []
        for filled in pages:
            labels = [
                f"q {matrix_of(placement)} cm\n{drawn([ring(clip)], 'W n')}\n{ink.operators(copy)}\nQ"
                for placement, clip, copy in filled
            ]
            content = pdf.make_stream("\n".join(["/Repeat Do", *labels]).encode())
            held = Dictionary(Type=Name.Page, Resources=resources, Contents=content)
            for key, box in boxes.items():
                held[key] = Array(box)
            made.append(pdf.make_indirect(held))
        ink.fill(resources)
        plant(pdf, made)
        pdf.docinfo["/Title"] = title
        if "/OutputIntents" in source.Root:
            pdf.Root.OutputIntents = pdf.copy_foreign(source.make_indirect(source.Root.OutputIntents))
        out = BytesIO()
        pdf.save(out, min_version="1.7", deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
        return out.getvalue()
