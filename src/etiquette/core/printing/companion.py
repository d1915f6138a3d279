"""The finish lines of a frame in a PDF of their own layers, each marked with the processing step that it is, for shops
that want one file: ISO 19593-1:2018, group Structural (written from memory; the layers are found again by the reader of
art)."""

from collections.abc import Mapping, Sequence
from io import BytesIO

import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.artwork.kinds import KINDS, Kind
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.pens import PdfPen, figure
from etiquette.core.units import MM_PER_POINT

STROKE_MM = 0.25
STEP_OF: dict[Kind, str] = {
    "kiss": "PartialCutting",
    "through": "Cutting",
    "perforation": "Perforating",
    "crease": "Creasing",
    "score": "Scoring",
    "pen": "Drawing",
}
"""Scoring and drawing are no steps of the standard; they are named all the same, as files that carry them do."""
LOOKS: dict[Kind, tuple[float, float, float, float]] = {
    "kiss": (1, 0, 0.5, 0.1), "through": (0, 0.9, 0.9, 0), "perforation": (0, 0.4, 1, 0.2),
    "crease": (0.6, 0.8, 0, 0), "score": (0.8, 0.5, 0, 0.4), "pen": (0, 0, 0, 1),
}  # fmt: skip


def with_lines(
    pdf: bytes, lines: Sequence[FinishLine], half_turn: bool = False, names: Mapping[Kind, str] = {}
) -> bytes:
    """The plate `pdf` with `lines` (run millimetres) stroked over it, a layer and a spot colour for each kind; `names`:
    what these are called for another program."""
    with pikepdf.open(BytesIO(pdf)) as document:
        page = document.pages[0]
        unit = float(page.get("/UserUnit", 1))
        layers, spaces, content = [], Dictionary(), []
        properties = Dictionary()
        for kind in (one for one in KINDS if any(line.kind == one for line in lines)):
            step = Dictionary(
                Type=Name.GTS_Metadata, GTS_ProcStepsGroup=Name.Structural, GTS_ProcStepsType=Name("/" + STEP_OF[kind])
            )
            layer = Dictionary(Type=Name.OCG, Name=names.get(kind, f"Finish {kind}"), GTS_Metadata=step)
            held = document.make_indirect(layer)
            layers.append(held)
            tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=list(LOOKS[kind]), N=1)
            properties[f"/L-{kind}"] = held
            spot = Name("/" + names.get(kind, f"Finish-{kind}"))
            spaces[f"/S-{kind}"] = Array([Name.Separation, spot, Name.DeviceCMYK, tint])
            pen = PdfPen()
            for line in lines:
                if line.kind == kind:
                    line.path.draw(pen)
            content.append(
                f"/OC /L-{kind} BDC q /Over gs /S-{kind} CS 1 SCN {figure(STROKE_MM / MM_PER_POINT)} w {pen.data} S "
                "Q EMC"
            )
        width, length = (float(page.MediaBox[index]) for index in (2, 3))
        turn = f"-1 0 0 -1 {figure(width)} {figure(length)} cm " if half_turn else ""
        scale = f"{figure(1 / unit, 8)} 0 0 {figure(1 / unit, 8)} 0 0 cm " if unit != 1 else ""
        drawn = document.make_stream(f"q {turn}{scale}{' '.join(content)} Q".encode())
        page.Contents = Array([*_parts(page.Contents), drawn])
        resources = page.Resources
        resources.Properties = properties
        resources.ColorSpace = Dictionary({**dict(resources.get("/ColorSpace", {})), **dict(spaces)})
        states = dict(resources.get("/ExtGState", {}))
        resources.ExtGState = Dictionary({**states, "/Over": Dictionary(Type=Name.ExtGState, OP=True, op=True, OPM=1)})
        document.Root.OCProperties = Dictionary(
            OCGs=Array(layers), D=Dictionary(ON=Array(layers), Order=Array(layers), Name="Finish lines")
        )
        out = BytesIO()
        document.save(out, min_version="1.7", deterministic_id=True)
        return out.getvalue()


def _parts(contents: pikepdf.Object) -> list[pikepdf.Object]:
    return list(contents) if isinstance(contents, pikepdf.Array) else [contents]
