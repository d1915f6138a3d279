"""Cut data as HP-GL, SVG, PDF and DXF."""

from collections.abc import Callable
from io import BytesIO, StringIO

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.motion import KIND_ORDER, Motion, path_of
from etiquette.core.cutting.profiles import DeviceProfile, ToolCard
from etiquette.core.geometry.pens import PdfPen, SvgPen, figure
from etiquette.core.units import MM_PER_POINT

POINTS_A_COMMAND = 200
"""Coordinate pairs a PD command carries at most, for controllers with a short buffer."""
STROKE_MM = 0.1


def hpgl(motion: Motion, profile: DeviceProfile, tools: dict[Kind, ToolCard]) -> str:
    """HP-GL (HP 7475A Interfacing and Programming Manual, 1983): IN, SP, VS, FS, PU, PD, absolute, in device units.
    Each kind has its own pen number: its place in the order of kinds, from 1."""
    out = StringIO()
    out.write("IN;PA;")
    current = None
    for stroke in motion.strokes:
        if stroke.kind != current:
            current = stroke.kind
            tool = tools.get(current, ToolCard())
            out.write(
                f"PU;SP{KIND_ORDER.index(current) + 1};VS{round(tool.speed_mm_s / 10)};FS{round(tool.force_gf)};\n"
            )
        units = np.round(stroke.points / profile.unit_mm).astype(np.int64)
        keep = np.concatenate([[True], (np.diff(units, axis=0) != 0).any(axis=1)])
        units = units[keep]
        out.write(f"PU{units[0, 0]},{units[0, 1]};")
        for first in range(1, len(units), POINTS_A_COMMAND):
            out.write("PD" + ",".join(f"{x},{y}" for x, y in units[first : first + POINTS_A_COMMAND]) + ";")
        out.write("\n")
    out.write("PU0,0;SP0;\n")
    return out.getvalue()


def svg(motion: Motion, profile: DeviceProfile, tools: dict[Kind, ToolCard]) -> str:
    """SVG in millimetres, y down; one path a stroke."""
    (x0, y0), (x1, y1) = _bounds(motion)
    paths = []
    for stroke in motion.strokes:
        pen = SvgPen(y0 + y1)
        path_of(stroke).draw(pen)
        paths.append(
            f'<path data-kind="{stroke.kind}" fill="none" stroke="#000" stroke-width="{STROKE_MM}" d="{pen.data}"/>'
        )
    box = " ".join(figure(value) for value in (x0, y0, x1 - x0, y1 - y0))
    size = f'width="{figure(x1 - x0)}mm" height="{figure(y1 - y0)}mm"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="{box}">\n' + "\n".join(paths) + "\n</svg>\n"


def pdf(motion: Motion, profile: DeviceProfile, tools: dict[Kind, ToolCard]) -> bytes:
    """One page with its lower left corner at the lowest corner of the strokes."""
    (x0, y0), (x1, y1) = _bounds(motion)
    pen = PdfPen()
    for stroke in motion.strokes:
        path_of(stroke).mapped(lambda points: points - (x0, y0)).draw(pen)
    content = f"{figure(STROKE_MM / MM_PER_POINT)} w 0 0 0 1 K\n{pen.data}\nS"
    with pikepdf.new() as document:
        box = Array([0, 0, round((x1 - x0) / MM_PER_POINT, 4), round((y1 - y0) / MM_PER_POINT, 4)])
        page = Dictionary(
            Type=Name.Page, MediaBox=box, Resources=Dictionary(), Contents=document.make_stream(content.encode())
        )
        document.pages.append(pikepdf.Page(document.make_indirect(page)))
        out = BytesIO()
        document.save(out, deterministic_id=True)
        return out.getvalue()


def dxf(motion: Motion, profile: DeviceProfile, tools: dict[Kind, ToolCard]) -> str:
    """DXF of release 12 (AutoCAD R12 DXF reference): a POLYLINE a stroke on a layer named after its kind, in mm."""
    rows: list[tuple[int, object]] = [
        (0, "SECTION"),
        (2, "HEADER"),
        (9, "$ACADVER"),
        (1, "AC1009"),
        (9, "$INSUNITS"),
        (70, 4),
        (0, "ENDSEC"),
    ]
    rows += [(0, "SECTION"), (2, "TABLES"), (0, "TABLE"), (2, "LAYER"), (70, len(KIND_ORDER))]
    for colour, kind in enumerate(KIND_ORDER, 1):
        rows += [(0, "LAYER"), (2, kind), (70, 0), (62, colour), (6, "CONTINUOUS")]
    rows += [(0, "ENDTAB"), (0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES")]
    for stroke in motion.strokes:
        rows += [(0, "POLYLINE"), (8, stroke.kind), (66, 1), (10, 0.0), (20, 0.0), (30, 0.0), (70, 0)]
        for x, y in stroke.points:
            rows += [(0, "VERTEX"), (8, stroke.kind), (10, figure(x)), (20, figure(y)), (30, "0")]
        rows += [(0, "SEQEND"), (8, stroke.kind)]
    rows += [(0, "ENDSEC"), (0, "EOF")]
    return "".join(f"{code:>3}\n{value}\n" for code, value in rows)


Writer = Callable[[Motion, DeviceProfile, dict[Kind, ToolCard]], str | bytes]
WRITERS: dict[str, Writer] = {".plt": hpgl, ".svg": svg, ".pdf": pdf, ".dxf": dxf}


def _bounds(motion: Motion) -> tuple[tuple[float, float], tuple[float, float]]:
    points = np.vstack([stroke.points for stroke in motion.strokes])
    (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
    return (float(x0), float(y0)), (float(x1), float(y1))
