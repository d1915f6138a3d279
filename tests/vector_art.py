"""Vector art made by code: what customers send, small enough to work out by hand."""

from io import BytesIO

import ezdxf
import pikepdf
from pikepdf import Array, Dictionary, Name

MM = 72 / 25.4
CIRCLE = 0.5522847498

RINGS = '<circle cx="{x}" cy="{y}" r="6" fill="none" stroke="#00a0a0" stroke-width="0.3"/>'
RINGS_SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="40mm" viewBox="0 0 80 40">'
    '<rect x="2" y="2" width="76" height="36" fill="#ffd040"/>'
    + "".join(RINGS.format(x=10 + 20 * number, y=20) for number in range(4))
    + '<path d="M5 35H75" fill="none" stroke="#202020" stroke-width="0.3"/></svg>'
).encode()
"""Four thin rings in a row and a thin stroke below them, on an area."""


def rect(x: float, y: float, w: float, h: float) -> str:
    return f"{x * MM:.5f} {y * MM:.5f} {w * MM:.5f} {h * MM:.5f} re"


def circle(x: float, y: float, r: float) -> str:
    k = r * CIRCLE
    quarters = [
        ((x + r, y + k), (x + k, y + r), (x, y + r)),
        ((x - k, y + r), (x - r, y + k), (x - r, y)),
        ((x - r, y - k), (x - k, y - r), (x, y - r)),
        ((x + k, y - r), (x + r, y - k), (x + r, y)),
    ]
    curves = " ".join(" ".join(f"{a * MM:.5f} {b * MM:.5f}" for a, b in quarter) + " c" for quarter in quarters)
    return f"{(x + r) * MM:.5f} {y * MM:.5f} m {curves} h"


def spot(pdf: pikepdf.Pdf, name: str) -> pikepdf.Object:
    """A Separation colour space whose full tint is magenta."""
    tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=[0, 1, 0, 0], N=1)
    return pdf.make_indirect(Array([Name.Separation, Name("/" + name), Name.DeviceCMYK, tint]))


def layer(pdf: pikepdf.Pdf, name: str, step: str | None = None) -> pikepdf.Object:
    group = Dictionary(Type=Name.OCG, Name=name)
    if step:
        group.GTS_Metadata = Dictionary(GTS_ProcStepsGroup=Name.Structural, GTS_ProcStepsType=Name("/" + step))
    return pdf.make_indirect(group)


def form(
    pdf: pikepdf.Pdf, content: str, resources: Dictionary, box: tuple[float, float, float, float]
) -> pikepdf.Object:
    stream = pdf.make_stream(content.encode())
    stream.stream_dict.update(
        Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=[v * MM for v in box], Resources=resources)
    )
    return stream


def picture(pdf: pikepdf.Pdf) -> pikepdf.Object:
    """Two by two pixels."""
    stream = pdf.make_stream(bytes([255, 0, 0, 0, 255, 0, 0, 0, 255, 255, 255, 0]))
    stream.stream_dict.update(
        Dictionary(
            Type=Name.XObject, Subtype=Name.Image, Width=2, Height=2, BitsPerComponent=8, ColorSpace=Name.DeviceRGB
        )
    )
    return stream


def saved(pdf: pikepdf.Pdf) -> bytes:
    out = BytesIO()
    pdf.save(out)
    return out.getvalue()


def add_page(
    pdf: pikepdf.Pdf, size: tuple[float, float], content: str, resources: Dictionary, **more: object
) -> pikepdf.Page:
    page = Dictionary(
        Type=Name.Page,
        MediaBox=[0, 0, size[0] * MM, size[1] * MM],
        Resources=resources,
        Contents=pdf.make_stream(content.encode()),
        **more,
    )
    pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
    return pdf.pages[-1]


def label_pdf() -> bytes:
    """60 × 40 mm: a red disc of 15 mm radius; inside a form inside a form a kiss line (spot “Kiss cut”) of 17 mm radius
    and a blue box that stays; a through line in a layer “Die cut”; a switched-off layer with a box; a picture."""
    pdf = pikepdf.new()
    kiss, die, old = spot(pdf, "Kiss cut"), layer(pdf, "Die cut"), layer(pdf, "Old prices")
    inner = form(
        pdf,
        f"q /Spot CS 1 SCN 0.25 w {circle(30, 20, 17)} S Q 0 0 1 rg {rect(28, 18, 4, 4)} f",
        Dictionary(ColorSpace=Dictionary(Spot=kiss)),
        (0, 0, 60, 40),
    )
    outer = form(pdf, "q /Inner Do Q", Dictionary(XObject=Dictionary(Inner=inner)), (0, 0, 60, 40))
    content = (
        f"1 0 0 rg {circle(30, 20, 15)} f /Outer Do "
        f"/OC /Die BDC 0 0 0 RG 0.5 w {rect(2, 2, 56, 36)} S EMC "
        f"/OC /Old BDC 0 1 0 rg {rect(1, 1, 5, 5)} f EMC "
        f"q {10 * MM:.4f} 0 0 {5 * MM:.4f} {4 * MM:.4f} {30 * MM:.4f} cm /Photo Do Q"
    )
    resources = Dictionary(XObject=Dictionary(Outer=outer, Photo=picture(pdf)), Properties=Dictionary(Die=die, Old=old))
    add_page(pdf, (60, 40), content, resources)
    pdf.Root.OCProperties = Dictionary(OCGs=[die, old], D=Dictionary(Order=[die, old], OFF=[old]))
    return saved(pdf)


def steps_pdf() -> bytes:
    """80 × 50 mm, a folded sleeve by processing steps of ISO 19593-1 in layers whose names say nothing."""
    pdf = pikepdf.new()
    cut, crease, part = layer(pdf, "A1", "Cutting"), layer(pdf, "B2", "Creasing"), layer(pdf, "C3", "PartialCutting")
    content = (
        f"0.2 0.5 0.3 rg {rect(5, 5, 70, 40)} f "
        f"/OC /P0 BDC 0.3 w {rect(4, 4, 72, 42)} S EMC "
        f"/OC /P1 BDC {30 * MM:.4f} {4 * MM:.4f} m {30 * MM:.4f} {46 * MM:.4f} l S "
        f"{55 * MM:.4f} {4 * MM:.4f} m {55 * MM:.4f} {46 * MM:.4f} l S EMC "
        f"/OC /P2 BDC {circle(15, 25, 6)} s EMC"
    )
    add_page(pdf, (80, 50), content, Dictionary(Properties=Dictionary(P0=cut, P1=crease, P2=part)))
    pdf.Root.OCProperties = Dictionary(OCGs=[cut, crease, part], D=Dictionary(Order=[cut, crease, part]))
    return saved(pdf)


def text_pdf() -> bytes:
    """50 × 20 mm with one word set in Helvetica, 24 pt, its base line 5 mm up."""
    pdf = pikepdf.new()
    font = Dictionary(F=Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica))
    add_page(pdf, (50, 20), f"BT /F 24 Tf {5 * MM:.4f} {5 * MM:.4f} Td (Hello) Tj ET", Dictionary(Font=font))
    return saved(pdf)


SLEEVE_SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
 width="60mm" height="40mm" viewBox="0 0 600 400">
 <style>.line { fill: none; stroke: #ff00ff; stroke-width: 2 }</style>
 <defs><symbol id="leaf" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5" fill="#2a6"/></symbol>
 <clipPath id="half"><rect x="0" y="0" width="300" height="400"/></clipPath></defs>
 <g id="Art"><rect x="100" y="100" width="400" height="200" fill="#c23"/>
  <g transform="translate(300 200) scale(2)"><use xlink:href="#leaf" x="-20" y="-20" width="40" height="40"/></g>
  <g clip-path="url(#half)"><rect x="50" y="50" width="500" height="20" fill="#126"/></g>
  <text x="120" y="280" font-family="DejaVu Sans" font-size="60">ab</text></g>
 <g id="Kiss_cut"><path class="line" d="M90 90H510V310H90Z"/></g>
 <g id="Falz"><path d="M300 90V310" style="fill:none;stroke:#00f;stroke-width:1"/></g>
 <path class="line" d="M5 5H595V395H5Z"/>
</svg>"""


def box_dxf(version: str = "R2010", units: int = 4) -> bytes:
    """A rounded rectangle 50 × 30 mm (radius 5) of bulges in “CUT”, a spline in “Crease”, an inserted block of a circle
    of radius 4 in “Cut holes”, a straight line in “Notes”; lower left at (100, 200)."""
    document = ezdxf.new(version)
    document.units = units
    space = document.modelspace()
    for name, colour in (("CUT", 1), ("Crease", 5), ("Cut holes", 1), ("Notes", 3)):
        document.layers.add(name, color=colour)
    bulge = 0.41421356237
    x, y, w, h, r = 100, 200, 50, 30, 5
    corners = [
        (x + r, y, 0),
        (x + w - r, y, bulge),
        (x + w, y + r, 0),
        (x + w, y + h - r, bulge),
        (x + w - r, y + h, 0),
        (x + r, y + h, bulge),
        (x, y + h - r, 0),
        (x, y + r, bulge),
    ]
    if version == "R12":
        space.add_polyline2d(corners, format="xyb", close=True, dxfattribs={"layer": "CUT"})
    else:
        space.add_lwpolyline(corners, format="xyb", close=True, dxfattribs={"layer": "CUT"})
        space.add_spline([(110, 205), (120, 220), (130, 210), (140, 225)], dxfattribs={"layer": "Crease"})
    block = document.blocks.new("HOLE")
    block.add_circle((0, 0), 2, dxfattribs={"layer": "Cut holes"})
    space.add_blockref("HOLE", (125, 215), dxfattribs={"xscale": 2, "yscale": 2, "layer": "Cut holes"})
    space.add_line((105, 203), (140, 203), dxfattribs={"layer": "Notes"})
    from io import StringIO

    out = StringIO()
    document.write(out)
    return out.getvalue().encode("utf-8")
