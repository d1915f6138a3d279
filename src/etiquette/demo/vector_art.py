"""The demo's vector art: a river ferry's cabin sign as SVG, a bell foundry's folded sleeve as PDF with spot-coloured
lines, its serial plate as DXF."""

from io import BytesIO, StringIO

import ezdxf
import ezdxf.filemanagement
import ezdxf.units
import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.units import MM_PER_POINT

WAVES = "".join(
    f"<path d='M{x} 46q5 -7 10 0t10 0' fill='none' stroke='#46628a' stroke-width='2.4'/>" for x in range(12, 92, 20)
)
CABIN_SIGN = f"""<svg xmlns="http://www.w3.org/2000/svg" width="108mm" height="66mm" viewBox="0 0 108 66">
 <g id="Sign"><rect x="4" y="4" width="100" height="58" rx="9" fill="#8ca6c8"/>
  <rect x="8" y="8" width="92" height="50" rx="6" fill="#f4e8ce"/>
  <text x="54" y="33" text-anchor="middle" font-family="DejaVu Sans" font-weight="bold" font-size="17"
  fill="#2c343c">CABIN 4</text>
  {WAVES}</g>
 <g id="Kiss cut"><rect x="6" y="6" width="96" height="54" rx="7.5" fill="none" stroke="#ff00ff"
 stroke-width="0.25"/></g>
 <g id="Through cut"><rect x="1.5" y="1.5" width="105" height="63" rx="11" fill="none" stroke="#00a0ff"
 stroke-width="0.25"/></g>
</svg>""".encode()


def bell_sleeve() -> bytes:
    """A folded sleeve 120 × 70 mm: panels, a bell, creases between the panels and the outline in spot colours."""
    with pikepdf.new() as pdf:
        spots = {}
        for key, name, ink in (
            ("Cut", "Cut line", [0, 1, 0, 0]),
            ("Fold", "Fold", [1, 0, 0, 0]),
            ("Perf", "Perforation", [0, 0.5, 1, 0]),
        ):
            tint = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0, 0, 0, 0], C1=ink, N=1)
            spots[key] = pdf.make_indirect(Array([Name.Separation, Name("/" + name), Name.DeviceCMYK, tint]))
        mm = f"q {1 / MM_PER_POINT:.6f} 0 0 {1 / MM_PER_POINT:.6f} 0 0 cm"
        panel = "0.96 0.91 0.81 rg 6 6 108 58 re f 0.78 0.63 0.30 rg 6 6 36 58 re f 78 6 36 58 re f"
        bell = (
            "0.35 0.27 0.16 rg 50 22 m 50 40 52 50 60 50 c 68 50 68 40 70 22 c h f 60 19 m 62.5 19 62.5 23 60 23 c "
            "57.5 23 57.5 19 60 19 c f 57 50 6 5 re f"
        )
        cut = (
            "/Cut CS 1 SCN 0.25 w 4 8 m 4 5.8 5.8 4 8 4 c 112 4 l 114.2 4 116 5.8 116 8 c 116 62 l 116 64.2 114.2 "
            "66 112 66 c 8 66 l 5.8 66 4 64.2 4 62 c s"
        )
        folds = "/Fold CS 1 SCN 42 4 m 42 66 l S 78 4 m 78 66 l S"
        coupon = "/Perf CS 1 SCN 96 4 m 96 66 l S"
        content = pdf.make_stream(f"{mm} {panel} {bell} {cut} {folds} {coupon} Q".encode())
        box = [0, 0, round(120 / MM_PER_POINT, 4), round(70 / MM_PER_POINT, 4)]
        resources = Dictionary(ColorSpace=Dictionary({f"/{key}": space for key, space in spots.items()}))
        page = Dictionary(Type=Name.Page, MediaBox=box, Resources=resources, Contents=content)
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
        out = BytesIO()
        pdf.save(out, deterministic_id=True)
        return out.getvalue()


def maker_plate() -> bytes:
    """A plate 70 × 30 mm with four screw holes, drawn in layers."""
    document = ezdxf.filemanagement.new("R2010")
    document.units = ezdxf.units.MM
    space = document.modelspace()
    for name, colour in (("Cut", 1), ("Engraving", 5)):
        document.layers.add(name, color=colour)
    bulge, w, h, r = 0.41421356237, 70, 30, 4
    corners = [
        (r, 0, 0),
        (w - r, 0, bulge),
        (w, r, 0),
        (w, h - r, bulge),
        (w - r, h, 0),
        (r, h, bulge),
        (0, h - r, 0),
        (0, r, bulge),
    ]
    space.add_lwpolyline(corners, format="xyb", close=True, dxfattribs={"layer": "Cut"})
    for x, y in ((6, 6), (64, 6), (64, 24), (6, 24)):
        space.add_circle((x, y), 1.6, dxfattribs={"layer": "Cut"})
    space.add_lwpolyline([(14, 8), (56, 8), (56, 22), (14, 22)], close=True, dxfattribs={"layer": "Engraving"})
    space.add_spline([(18, 12), (26, 19), (35, 11), (44, 19), (52, 12)], dxfattribs={"layer": "Engraving"})
    out = StringIO()
    document.write(out)
    return out.getvalue().encode()
