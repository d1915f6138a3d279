"""Cut data as HP-GL, SVG, PDF and DXF: one walk over the strokes, a small pen for each form.

A device that follows arcs gets arcs where they fit within what its tolerance leaves; others get the points as they are.
What the look of lines means to the program that reads a file (width, colour, layer order, marks) is the profile's
style."""

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from io import BytesIO, StringIO
from xml.sax.saxutils import quoteattr

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.arcs import Bend, bends
from etiquette.core.cutting.motion import KIND_ORDER, Motion, Stroke
from etiquette.core.cutting.profiles import DeviceProfile, ToolCard
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import PdfPen, SvgPen, figure
from etiquette.core.units import MM_PER_POINT

POINTS_A_COMMAND = 200
"""Coordinate pairs a PD command carries at most, for controllers with a short buffer."""
BLACK = "#000000"
Vertices = list[tuple[float, float, float]]

Writer = Callable[[Motion, DeviceProfile, Mapping[Kind, ToolCard], Sequence[Path]], str | bytes]


def hpgl(motion: Motion, profile: DeviceProfile, tools: Mapping[Kind, ToolCard], marks: Sequence[Path] = ()) -> str:
    """HP-GL (HP 7475A Interfacing and Programming Manual, 1983): IN, SP, VS, FS, PU, PD, AA, absolute, in device units.
    Each kind has its own pen number: its place in the order of kinds, from 1. Marks are not drawn."""
    return "IN;PA;" + "".join(hpgl_part(motion.strokes, profile, tools)) + "PU0,0;SP0;\n"


def hpgl_part(strokes: Iterable[Stroke], profile: DeviceProfile, tools: Mapping[Kind, ToolCard]) -> list[str]:
    """The commands of `strokes`, one text a stroke; each change of tool or depth is in the text of the stroke before
    which it happens, so any stretch of them that begins with such a change stands by itself."""
    texts = []
    current: tuple[Kind, float] | None = None
    for stroke in strokes:
        text = ""
        card = tools.get(stroke.kind, ToolCard())
        force = card.force_of(stroke.light, stroke.across)
        if (stroke.kind, force) != current:
            current = (stroke.kind, force)
            text = f"PU;SP{KIND_ORDER.index(stroke.kind) + 1};"
            text += f"VS{round(card.speed_mm_s / 10)};" if profile.sets_speed else ""
            text += f"FS{round(force)};\n" if profile.sets_force else "\n"
        texts.append(text + (_hpgl_arcs if profile.arcs else _hpgl_lines)(on_device(stroke.points, profile), profile))
    return texts


def on_device(points: Points, profile: DeviceProfile) -> Points:
    """`points` (n, 2) of the cutter's table on the axes of the device, in mm."""
    turn = np.radians(profile.turn_deg)
    cos, sin = round(float(np.cos(turn))), round(float(np.sin(turn)))
    return np.asarray(points @ np.array([[cos, sin], [-sin, cos]], dtype=float) + profile.origin_mm)


def _hpgl_lines(points: Points, profile: DeviceProfile) -> str:
    units = np.round(points / profile.unit_mm).astype(np.int64)
    units = units[np.concatenate([[True], (np.diff(units, axis=0) != 0).any(axis=1)])]
    text = f"PU{units[0, 0]},{units[0, 1]};"
    for first in range(1, len(units), POINTS_A_COMMAND):
        text += "PD" + ",".join(f"{x},{y}" for x, y in units[first : first + POINTS_A_COMMAND].tolist()) + ";"
    return text + ("PD;" if len(units) == 1 else "") + "\n"


def _hpgl_arcs(points: Points, profile: DeviceProfile) -> str:
    def units(place: Points) -> str:
        x, y = np.round(place / profile.unit_mm).astype(np.int64)
        return f"{x},{y}"

    text = f"PU{units(points[0])};PD;"
    for bend in bends(points, profile.rest_mm):
        if bend.sweep:
            text += f"AA{units(bend.centre)},{figure(np.degrees(bend.sweep), 4)};"
        text += f"PA{units(bend.end)};"  # after an arc this takes off what rounding its centre left
    return text + "\n"


def _layers(motion: Motion, profile: DeviceProfile) -> list[tuple[Kind, list[Stroke]]]:
    """Strokes by kind, the lowest layer first: in the profile's order, else in the order of the cut."""
    order = profile.style.order or KIND_ORDER
    by_kind: dict[Kind, list[Stroke]] = {}
    for stroke in motion.strokes:
        by_kind.setdefault(stroke.kind, []).append(stroke)
    return [(kind, by_kind[kind]) for kind in order if kind in by_kind]


def _steps(points: Points, profile: DeviceProfile) -> list[Bend]:
    if profile.arcs:
        return bends(points, profile.rest_mm)
    return [Bend(point, point, 0.0) for point in points[1:]]


def _draw(points: Points, pen: SvgPen | PdfPen, profile: DeviceProfile) -> None:
    pen.move_to(*map(float, points[0]))
    for bend in _steps(points, profile):
        if bend.sweep:
            pen.arc_to(float(bend.centre[0]), float(bend.centre[1]), bend.sweep, *map(float, bend.end))
        else:
            pen.line_to(*map(float, bend.end))


def svg(motion: Motion, profile: DeviceProfile, tools: Mapping[Kind, ToolCard], marks: Sequence[Path] = ()) -> str:
    """SVG in millimetres, y down; one path a stroke, a group a kind, the lowest first."""
    (x0, y0), (x1, y1) = _bounds(motion, marks if profile.style.marks != "none" else ())
    style = profile.style
    parts = []
    for kind, strokes in _layers(motion, profile):
        paths = []
        for stroke in strokes:
            pen = SvgPen(y0 + y1)
            _draw(stroke.points, pen, profile)
            paths.append(f'<path data-kind="{kind}" d="{pen.data}"/>')
        look = f'stroke="{style.colours.get(kind, BLACK)}" stroke-width="{figure(style.stroke_mm, 6)}"'
        name = re.sub(r"\s+", "_", style.names.get(kind, kind))  # an id holds no space
        parts.append(f'<g id={quoteattr(name)} fill="none" {look}>\n' + "\n".join(paths) + "\n</g>")
    mark_pen = SvgPen(y0 + y1)
    for mark in marks:
        mark.draw(mark_pen)
    drawn = f'<g id="marks"><path fill="{BLACK}" fill-rule="evenodd" stroke="none" d="{mark_pen.data}"/></g>'
    parts = _with_marks(parts, [drawn] if marks else [], profile)
    box = " ".join(figure(value) for value in (x0, y0, x1 - x0, y1 - y0))
    size = f'width="{figure(x1 - x0)}mm" height="{figure(y1 - y0)}mm"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="{box}">\n' + "\n".join(parts) + "\n</svg>\n"


def _with_marks(parts: list[str], marks: list[str], profile: DeviceProfile) -> list[str]:
    place = profile.style.marks
    return parts if place == "none" else marks + parts if place == "under" else parts + marks


def pdf(
    motion: Motion,
    profile: DeviceProfile,
    tools: Mapping[Kind, ToolCard],
    marks: Sequence[Path] = (),
    page_mm: tuple[float, float] | None = None,
) -> bytes:
    """One page with its lower left corner at the lowest corner of what it holds, or at the origin and as large as
    `page_mm`; a layer a kind. Colours are RGB."""
    (x0, y0), (x1, y1) = _bounds(motion, marks if profile.style.marks != "none" else ())
    if page_mm:
        (x0, y0), (x1, y1) = (0.0, 0.0), page_mm
    parts = []
    for kind, strokes in _layers(motion, profile):
        pen = PdfPen()
        for stroke in strokes:
            _draw(stroke.points - (x0, y0), pen, profile)
        colour = " ".join(figure(int(profile.style.colours.get(kind, BLACK)[n : n + 2], 16) / 255) for n in (1, 3, 5))
        width = figure(profile.style.stroke_mm / MM_PER_POINT, 6)
        parts.append(f"/OC /{kind} BDC\n{width} w {colour} RG\n{pen.data}\nS\nEMC")
    mark_pen = PdfPen()
    for mark in marks:
        mark.mapped(lambda points: points - (x0, y0)).draw(mark_pen)
    parts = _with_marks(parts, [f"/OC /marks BDC\n0 0 0 rg\n{mark_pen.data}\nf*\nEMC"] if marks else [], profile)
    with pikepdf.new() as document:
        called = profile.style.names
        names: dict[str, str] = {kind: called.get(kind, kind) for kind, _ in _layers(motion, profile)}
        names |= {"marks": "marks"} if marks else {}
        layers = {key: document.make_indirect(Dictionary(Type=Name.OCG, Name=name)) for key, name in names.items()}
        properties = Dictionary({f"/{name}": layer for name, layer in layers.items()})
        shown = Dictionary(Order=Array(list(layers.values())), ON=Array(list(layers.values())))
        document.Root.OCProperties = Dictionary(OCGs=Array(list(layers.values())), D=shown)
        page = Dictionary(
            Type=Name.Page,
            MediaBox=Array([0, 0, round((x1 - x0) / MM_PER_POINT, 4), round((y1 - y0) / MM_PER_POINT, 4)]),
            Resources=Dictionary(Properties=properties),
            Contents=document.make_stream("\n".join(parts).encode()),
        )
        document.pages.append(pikepdf.Page(document.make_indirect(page)))
        out = BytesIO()
        document.save(out, deterministic_id=True)
        return out.getvalue()


def dxf(motion: Motion, profile: DeviceProfile, tools: Mapping[Kind, ToolCard], marks: Sequence[Path] = ()) -> bytes:
    """DXF of release 2000 by ezdxf, the first whose header says that its units are millimetres: an LWPOLYLINE a stroke
    on a layer named after its kind, or as the profile names it; arcs are bulges, the tangent of a quarter of their
    angle."""
    import ezdxf
    from ezdxf.units import MM

    # the same cut is the same file, whenever it is written
    ezdxf.options.write_fixed_meta_data_for_testing = True  # type: ignore[attr-defined]
    document = ezdxf.new("R2000", units=MM)  # type: ignore[attr-defined]
    names: dict[str, str] = {kind: profile.style.names.get(kind, kind) for kind in KIND_ORDER}
    for colour, name in enumerate([*KIND_ORDER, "marks"], 1):
        held = profile.style.colours.get(name) if name != "marks" else BLACK  # type: ignore[call-overload]
        document.layers.add(names.get(name, name), color=ACI.get(held or "", colour))
    cuts: list[tuple[str, Vertices]] = [
        (names[kind], _vertices(stroke.points[0], _steps(stroke.points, profile)))
        for kind, strokes in _layers(motion, profile)
        for stroke in strokes
    ]
    flat = [mark.flatten(0.01) for mark in marks]
    drawn: list[tuple[str, Vertices]] = [
        ("marks", _vertices(points[0], [Bend(point, point, 0.0) for point in points[1:]])) for points in flat
    ]
    style = profile.style.marks
    for layer, vertices in cuts if style == "none" else drawn + cuts if style == "under" else cuts + drawn:
        document.modelspace().add_lwpolyline(vertices, format="xyb", dxfattribs={"layer": layer})
    written = StringIO()
    document.write(written)
    return document.encode(written.getvalue())  # in the code page that its header names


ACI = {"#ff0000": 1, BLACK: 7}
"""AutoCAD colour numbers of the colours in use: red, and black on white."""


def _vertices(first: Points, steps: Sequence[Bend]) -> Vertices:
    """Where a stroke goes, and how it bends on the way to the next place."""
    places = [first, *(step.end for step in steps)]
    bulges = [*(float(np.tan(step.sweep / 4)) if step.sweep else 0.0 for step in steps), 0.0]
    rounded = [(round(float(x), 4), round(float(y), 4)) for x, y in places]
    return [(x, y, round(bulge, 8)) for (x, y), bulge in zip(rounded, bulges, strict=True)]


WRITERS: dict[str, Writer] = {".plt": hpgl, ".svg": svg, ".pdf": pdf, ".dxf": dxf}


def _bounds(motion: Motion, marks: Sequence[Path]) -> tuple[tuple[float, float], tuple[float, float]]:
    points = np.vstack([*(stroke.points for stroke in motion.strokes), *(mark.flatten() for mark in marks)])
    (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
    return (float(x0), float(y0)), (float(x1), float(y1))
