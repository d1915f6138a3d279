"""DXF art (R12 to 2018): entities as paths with their layers and colours, in real size where the file gives units."""

import re
import struct
import tempfile
from collections import Counter
from dataclasses import dataclass, field
from io import BytesIO
from typing import Any

import numpy as np
from ezdxf import colors, filemanagement, path, recover, units
from ezdxf.document import Drawing
from ezdxf.lldxf.const import DXFError

from etiquette.core.artwork.vectors import MOST_PATHS, SMALLEST_MM, Ink, PaintedPath, VectorPage, is_printable
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import PdfPen, figure
from etiquette.core.units import MM_PER_POINT

MOST_BYTES = 80 << 20
MOST_ENTITIES = 150_000
"""Each takes a tenth of a millisecond to build; vertices of old polylines count."""
DEEPEST_INSERTS = 16
HAIRLINE_MM = 0.25
"""Strokes without a width of their own are drawn this wide."""
FURTHEST_MM = 1e11
"""How far from its origin a drawing may lie: surveyors count from the equator."""
UNKNOWN_MM = 100.0
"""The longer side of a drawing whose size nobody knows, until somebody says it."""
_TO_MM: dict[int, float] = {
    units.IN: 25.4,
    units.FT: 304.8,
    units.MM: 1.0,
    units.CM: 10.0,
    units.M: 1000.0,
    10: 914.4,
    8: 25.4e-6,
    9: 0.0254,
    13: 0.001,
    14: 100.0,
}
"""$INSUNITS to millimetres: inch, foot, mm, cm, m, yard, microinch, mil, micron, decimetre."""
UNDRAWN = {
    **dict.fromkeys(("TEXT", "MTEXT", "ATTRIB", "ATTDEF", "ARCTEXT", "RTEXT"), "text"),
    **dict.fromkeys(("DIMENSION", "ARC_DIMENSION", "LARGE_RADIAL_DIMENSION", "LEADER", "MULTILEADER"), "dimension"),
    **dict.fromkeys(("IMAGE", "OLE2FRAME", "PDFUNDERLAY", "DWFUNDERLAY", "DGNUNDERLAY"), "picture"),
    **dict.fromkeys(("3DSOLID", "BODY", "REGION", "SURFACE"), "solid"),
    "ACAD_TABLE": "table",
    "SHAPE": "symbol",
}
"""Entities that somebody may miss, by what they are called: a font or a solid is not in the file. Points and the like
are nothing that a tool could follow."""


def read_dxf(content: bytes, name: str) -> VectorPage:
    """The drawing with its lower left corner at the origin. Raises JobError."""
    _refuse_large(content, name)
    document = _document(content, name)
    factor = _units_factor(content, document)
    drawn = _Drawn(document, factor or 1.0, name)
    _collect(document.modelspace(), drawn, (), 0)
    paths = drawn.paths
    if not paths and drawn.undrawn:
        what = f"The drawing holds only {' and '.join(drawn.in_words())}, which cannot be drawn."
        raise JobError(what, name, "Ask for outlines: text converted, tables and dimensions exploded.")
    if not paths:
        raise JobError("The drawing holds nothing that can be drawn.", name, "Check that it is in the model space.")
    points = np.vstack([np.vstack([one.start[None, :], *one.segments]) for p in paths for one in p.paths])
    if not np.isfinite(points).all() or np.abs(points).max() > FURTHEST_MM:
        raise JobError(
            "The drawing has coordinates that make no sense.", name, "Save it again from the program it came from."
        )
    tolerance = max(0.05, float(np.ptp(points, axis=0).max()) * 1e-6)
    flat = np.vstack([one.flatten(tolerance) for p in paths for one in p.paths])
    low, high = flat.min(axis=0), flat.max(axis=0)
    longest = float((high - low).max())
    # units that make it larger than anything that is printed, or too small to see, were never meant: a person says
    likely = is_printable(longest, longest)
    scale = 1.0 if likely or not longest else UNKNOWN_MM / longest
    size = np.maximum((high - low) * scale, SMALLEST_MM)

    def moved(points: Points) -> Points:
        shifted: Points = (points - low) * scale
        return shifted

    home = tuple(
        PaintedPath(
            number,
            tuple(one.mapped(moved) for one in p.paths),
            p.fill,
            p.stroke,
            p.stroke_mm,
            layers=p.layers,
        )
        for number, p in enumerate(paths)
    )
    return VectorPage(
        float(size[0]), float(size[1]), factor is not None and likely, home,
        hidden=tuple(sorted(drawn.hidden)), undrawn=tuple(drawn.in_words()),
    )  # fmt: skip


def _document(content: bytes, name: str) -> Drawing:
    """Line ends, code page and binary form as ezdxf reads them, which takes files; what it cannot read is repaired."""
    try:
        with tempfile.NamedTemporaryFile(suffix=".dxf") as file:
            file.write(content)
            file.flush()
            try:
                return filemanagement.readfile(file.name)
            except (DXFError, OSError, ValueError):
                return recover.readfile(file.name)[0]
    except (
        DXFError,
        OSError,
        ValueError,
        TypeError,
        KeyError,
        IndexError,
        AttributeError,
        RecursionError,
        struct.error,
    ) as error:
        raise JobError("The DXF is damaged.", name, f"Save it again or ask for a new file ({error}).") from None


def _refuse_large(content: bytes, name: str) -> None:
    """Counted before anything is built of it, so that the sentence does not depend on how fast the machine is."""
    if len(content) > MOST_BYTES:
        raise JobError(f"The drawing has more than {MOST_BYTES >> 20} MB.", name, "Simplify it.")
    if sum(1 for _ in re.finditer(rb"\n[ \t]*0[ \t]*\r?\n", content)) > MOST_ENTITIES:
        raise JobError(f"The drawing has more than {MOST_ENTITIES:,} entities.".replace(",", " "), name, "Simplify it.")


def _units_factor(content: bytes, document: Drawing) -> float | None:
    """Millimetres a unit, only when the file itself says so: ezdxf puts metres where a file has no header."""
    if b"$INSUNITS" not in content:
        return None
    return _TO_MM.get(int(document.header.get("$INSUNITS", 0)))


@dataclass
class _Drawn:
    """What was found of a drawing so far; `factor`: millimetres a unit."""

    document: Drawing
    factor: float
    name: str
    paths: list[PaintedPath] = field(default_factory=list)
    hidden: set[str] = field(default_factory=set)
    undrawn: Counter[str] = field(default_factory=Counter)

    def in_words(self) -> list[str]:
        return [f"{count} {what}{'' if count == 1 else 's'}" for what, count in sorted(self.undrawn.items())]


def _collect(entities: Any, drawn: _Drawn, outer: tuple[str, ...], depth: int) -> None:
    paths, name = drawn.paths, drawn.name
    for entity in entities:
        if len(paths) > MOST_PATHS:
            raise JobError(f"The drawing has more than {MOST_PATHS:,} paths.".replace(",", " "), name, "Simplify it.")
        kind = entity.dxftype()
        layer = str(entity.dxf.get("layer", "0")).encode(errors="replace").decode()
        if _is_off(drawn.document, layer):
            drawn.hidden.add(layer)
            continue
        if kind == "INSERT":
            if depth >= DEEPEST_INSERTS:
                raise JobError(
                    "A block in the drawing contains itself.", name, "Save it again with its blocks exploded."
                )
            block = (str(entity.dxf.get("name", "")),)
            drawn.undrawn.update({UNDRAWN["ATTRIB"]: len(entity.attribs)} if entity.attribs else {})
            try:
                parts = list(entity.virtual_entities())
            except (DXFError, ValueError, TypeError, ZeroDivisionError):
                drawn.undrawn["block"] += 1
                continue
            _collect(parts, drawn, (*outer, layer, *block), depth + 1)
            continue
        try:
            made = _paths(path.make_path(entity), drawn.factor)
        except (TypeError, ValueError, ZeroDivisionError, DXFError, OverflowError):
            made = ()
        if made:
            layers = (*outer, layer) if layer not in outer else outer
            colour = Ink(_colour(entity, drawn.document, layer))
            paths.append(PaintedPath(len(paths), made, None, colour, _width(entity), layers=layers))
        elif kind in UNDRAWN:
            drawn.undrawn[UNDRAWN[kind]] += 1


def _is_off(document: Drawing, layer: str) -> bool:
    if layer not in document.layers:
        return False
    found = document.layers.get(layer)
    return bool(found.is_off() or found.is_frozen())


def _colour(entity: Any, document: Drawing, layer: str) -> str:
    true = entity.dxf.get("true_color")
    if true is not None:
        return "#{:02x}{:02x}{:02x}".format(*colors.int2rgb(true))
    index = int(entity.dxf.get("color", colors.BYLAYER))
    if index in (colors.BYLAYER, colors.BYBLOCK):
        index = abs(int(document.layers.get(layer).dxf.get("color", 7))) if layer in document.layers else 7
    if index == 7 or not 0 < index < 256:
        return "#000000"  # white on a black screen, black on paper
    return "#{:02x}{:02x}{:02x}".format(*colors.aci2rgb(index))


def _width(entity: Any) -> float:
    weight = int(entity.dxf.get("lineweight", -1))
    return weight / 100 if weight > 0 else HAIRLINE_MM


def _paths(made: Any, factor: float) -> tuple[Path, ...]:
    found = []
    for part in made.sub_paths() if made.has_sub_paths else [made]:
        if not len(part):
            continue
        at = np.array([part.start.x, part.start.y]) * factor
        start, segments = at, []
        for command in part.commands():
            end = np.array([command.end.x, command.end.y]) * factor
            if command.type == path.Command.LINE_TO:
                segments.append(end[None, :])
            elif command.type == path.Command.CURVE3_TO:
                control = np.array([command.ctrl.x, command.ctrl.y]) * factor
                segments.append(np.array([at + (control - at) * 2 / 3, end + (control - end) * 2 / 3, end]))
            else:
                one, two = (np.array([c.x, c.y]) * factor for c in (command.ctrl1, command.ctrl2))
                segments.append(np.array([one, two, end]))
            at = end
        closed = bool(np.allclose(start, at, atol=1e-6))
        if closed:
            segments[-1][-1] = start
        found.append(Path(start, tuple(segments), closed))
    return tuple(found)


def drawing_pdf(page: VectorPage) -> bytes:
    """The drawing as a PDF page of its own: vector strokes in their colours."""
    import pikepdf
    from pikepdf import Array, Dictionary, Name

    parts = []
    for painted in page.paths:
        pen = PdfPen()
        for one in painted.paths:
            one.draw(pen)
        colour = painted.stroke.colour if painted.stroke else "#000000"
        red, green, blue = (figure(level / 255) for level in bytes.fromhex(colour[1:]))
        parts.append(f"{red} {green} {blue} RG {figure(painted.stroke_mm / MM_PER_POINT)} w {pen.data} S")
    with pikepdf.new() as pdf:
        box = Array([0, 0, round(page.width_mm / MM_PER_POINT, 4), round(page.height_mm / MM_PER_POINT, 4)])
        content = pdf.make_stream("\n".join(parts).encode())
        pdf.pages.append(
            pikepdf.Page(
                pdf.make_indirect(Dictionary(Type=Name.Page, MediaBox=box, Resources=Dictionary(), Contents=content))
            )
        )
        out = BytesIO()
        pdf.save(out, deterministic_id=True)
        return out.getvalue()
