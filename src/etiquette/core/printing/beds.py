"""One print file for all the blanks on a bed, each with its own marks: their pages stand where the blanks lie."""

from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO

import pikepdf
from pikepdf import Array, Dictionary, Name, String

from etiquette.core.geometry.pens import figure
from etiquette.core.printing.plates import LONGEST_PAGE_POINTS
from etiquette.core.units import MM_PER_POINT


@dataclass(frozen=True)
class BlankPage:
    """The print file of one blank, and where the blank lies: its corner from the left and the near edge, mm."""

    name: str
    pdf: bytes
    x_mm: float
    y_mm: float


def bed_file(blanks: Sequence[BlankPage], width_mm: float, length_mm: float, title: str) -> bytes:
    """A page of `width_mm` x `length_mm`, its near edge at the bottom, with the page of every blank as a form; what
    their colours are meant for is what the first says. Every blank is a viewport of the page with its name (ISO
    32000-1, 12.9), so that a reader can tell them apart."""
    with pikepdf.new() as bed:
        unit = max(1.0, max(width_mm, length_mm) / MM_PER_POINT / LONGEST_PAGE_POINTS)
        to_page = 1 / MM_PER_POINT / unit
        forms, content, viewports = Dictionary(), [], []
        for number, blank in enumerate(blanks, 1):
            with pikepdf.open(BytesIO(blank.pdf)) as file:
                page = file.pages[0]
                own, box = float(page.obj.get("/UserUnit", 1)), [float(one) for one in page.mediabox]
                form = bed.copy_foreign(page.as_form_xobject(handle_transformations=False))
                form.BBox = Array(box)  # all of it: a form is cut to the trim of its page, and marks stand outside that
                if number == 1 and "/OutputIntents" in file.Root:
                    intents = file.make_indirect(file.Root.OutputIntents)
                    bed.Root.OutputIntents = bed.copy_foreign(intents)
            forms[f"/Blank{number}"] = form
            x, y, scale = blank.x_mm * to_page, blank.y_mm * to_page, own / unit
            turned = " ".join(figure(one, 8) for one in (scale, 0, 0, scale, x - box[0] * scale, y - box[1] * scale))
            content.append(f"q {turned} cm /Blank{number} Do Q")
            corner = x + (box[2] - box[0]) * scale, y + (box[3] - box[1]) * scale
            viewports.append(Dictionary(Type=Name.Viewport, BBox=[x, y, *corner], Name=String(blank.name)))
        whole = [0, 0, width_mm * to_page, length_mm * to_page]
        made = Dictionary(
            Type=Name.Page,
            MediaBox=whole,
            TrimBox=whole,
            Resources=Dictionary(XObject=forms),
            Contents=bed.make_stream("\n".join(content).encode()),
            VP=Array(viewports),
        )
        if unit > 1:
            made.UserUnit = unit
        bed.pages.append(pikepdf.Page(bed.make_indirect(made)))
        bed.docinfo["/Title"] = title
        out = BytesIO()
        bed.save(out, min_version="1.7", deterministic_id=True)
        return out.getvalue()


def plates_in_order(orders: Sequence[Sequence[str]]) -> list[str]:
    """The names of the plates of several blanks in one order, each after all that come before it on any blank."""
    found: list[str] = []
    for order in sorted(orders, key=len, reverse=True):
        at = 0
        for name in order:
            if name in found:
                at = found.index(name) + 1
            else:
                found.insert(at, name)
                at += 1
    return found
