"""Print and cut files read back by independent programs."""

import re
import subprocess
from io import BytesIO
from pathlib import Path

import ezdxf
import numpy as np
import pikepdf
import pypdfium2
import pytest
from PIL import Image
from shapely import LineString, box
from svgelements import SVG
from svgelements import Path as SvgPath

from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.artwork.line_rules import sort_paths
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.raster import Picture
from etiquette.core.cutting.insets import inset
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard, named, styled
from etiquette.core.cutting.writers import WRITERS
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.curve_fitting import fit_ring
from etiquette.core.geometry.paths import Path as Curve
from etiquette.core.marking.frame_plans import FramePlan, Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import PageArt, PictureArt
from etiquette.core.printing.plates import FrameContent, colour_plate
from etiquette.files.line_rules import RulesFile
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.sandbox.art import separate
from tests.vector_art import label_pdf


def flower(x: float, y: float, size: float) -> Curve:
    angles = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    radius = size * (1 + 0.3 * np.cos(5 * angles))
    return fit_ring(np.column_stack([x + radius * np.cos(angles), y + radius * np.sin(angles)]), 0.01)


LINES = [
    FinishLine("through", flower(60, 50, 40)),
    FinishLine("kiss", flower(60, 50, 20)),
    FinishLine("kiss", flower(160, 40, 25)),
    FinishLine("kiss", flower(160, 40, 8)),
    FinishLine("crease", Curve.from_points([(10, 10), (110, 10)], closed=False)),
]
PROFILE = PROFILES["knife"]
TOOLS = {"kiss": ToolCard(force_gf=80, speed_mm_s=200, overcut_mm=0.8), "through": ToolCard(force_gf=190)}


def redrawn(text: str) -> list[tuple[int, LineString]]:
    """A tiny reader of HP-GL (HP 7475A Interfacing and Programming Manual, 1983): one unit is 0.025 mm."""
    strokes, pen, at, run = [], 0, (0, 0), []
    for command, rest in re.findall(r"([A-Z]{2})([-\d,]*);", text):
        numbers = [int(value) for value in rest.split(",") if value]
        if command in ("PU", "SP") and len(run) > 1:
            strokes.append((pen, LineString(np.array(run) * 0.025)))
        if command == "SP":
            pen, run = numbers[0], []
        elif command == "PU":
            at = tuple(numbers) if numbers else at
            run = [at]
        elif command == "PD":
            run += list(zip(numbers[::2], numbers[1::2], strict=True))
        else:
            assert command in ("IN", "PA", "VS", "FS"), command
    return strokes


def motion():  # type: ignore[no-untyped-def]
    return plan_motion(LINES, PROFILE, TOOLS)  # type: ignore[arg-type]


def test_hpgl_redraws_the_lines() -> None:
    """Source: HP 7475A manual; every stroke within the profile's tolerance and half a unit of its line."""
    text = str(WRITERS[".plt"](motion(), PROFILE, TOOLS, ()))  # type: ignore[arg-type]
    strokes = redrawn(text)
    assert len(strokes) == len(LINES)
    truths = [LineString(line.path.flatten(0.001)) for line in LINES]
    for _, stroke in strokes:
        assert min(stroke.hausdorff_distance(truth) for truth in truths) < PROFILE.tolerance_mm + 0.025
    assert "FS80;" in text and "VS20;" in text and text.startswith("IN;")


def test_creases_come_first_then_kiss_then_through_and_inner_before_outer() -> None:
    """Common practice, no published source."""
    strokes = motion().strokes
    assert [stroke.kind for stroke in strokes] == ["crease", "kiss", "kiss", "kiss", "through"]
    right = [LineString(s.points).length for s in strokes if s.kind == "kiss" and s.points[:, 0].min() > 110]
    assert right == sorted(right)


def test_a_closed_cut_goes_on_past_its_start_by_the_overcut() -> None:
    for stroke in motion().strokes:
        if stroke.kind == "crease":
            continue
        overcut = TOOLS[stroke.kind].overcut_mm
        start = stroke.points[0]
        returned = int(np.flatnonzero(np.hypot(*(stroke.points[1:] - start).T) < 1e-9)[0]) + 1
        assert LineString(stroke.points[returned:]).length == pytest.approx(overcut, abs=1e-6)


def test_dxf_passes_an_audit_in_millimetres() -> None:
    """Sources: the audit of ezdxf; $INSUNITS 4 is millimetres (AutoCAD 2000 DXF reference)."""
    import io

    made = WRITERS[".dxf"](motion(), PROFILE, TOOLS, ())  # type: ignore[arg-type]
    assert isinstance(made, bytes)
    document = ezdxf.read(io.StringIO(made.decode()))
    assert not document.audit().errors
    assert document.header["$INSUNITS"] == 4 and document.dxfversion == "AC1015"
    found = list(document.modelspace().query("LWPOLYLINE"))
    assert len(found) == len(LINES) and {entity.dxf.layer for entity in found} == {"crease", "kiss", "through"}
    total = sum(LineString(list(entity.get_points("xy"))).length for entity in found)
    assert total == pytest.approx(motion().cut_mm, abs=0.1)


def test_svg_is_read_back() -> None:
    """Source: SVG 1.1, read by svgelements."""
    text = str(WRITERS[".svg"](motion(), PROFILE, TOOLS, ()))  # type: ignore[arg-type]
    import io

    drawing = SVG.parse(io.StringIO(text), ppi=25.4)
    lengths = [float(element.length()) for element in drawing.elements() if isinstance(element, SvgPath)]
    assert sum(lengths) == pytest.approx(motion().cut_mm, rel=1e-4)


ARCS = PROFILES["arc-knife"]
LASER = styled(PROFILES["laser"], stroke_mm=0.003 * 25.4 / 72, colour="#ff0000")
WEB = styled(PROFILES["web-cutter"], stroke_mm=0.1, inset_mm=0.3)
DISC = [Curve.from_points([(3, 3), (9, 3), (9, 9), (3, 9)])]


def arcs_redrawn(text: str, unit_mm: float) -> list[np.ndarray]:
    """As `redrawn`, with AA: from where the pen is, round a centre by degrees (HP 7475A manual, 1983)."""
    strokes, at, run = [], np.zeros(2), []
    for command, rest in re.findall(r"([A-Z]{2})([-\d.,]*);", text):
        numbers = np.array([float(value) for value in rest.split(",") if value])
        if command in ("PU", "SP") and len(run) > 1:
            strokes.append(np.array(run) * unit_mm)
            run = []
        if command == "PU" and len(numbers):
            at = numbers
            run = [at]
        if command == "PA" and len(numbers):
            at = numbers
            run.append(at)
        if command == "AA":
            centre, sweep = numbers[:2], np.radians(numbers[2])
            for part in np.linspace(0, sweep, 40)[1:]:
                turn = np.array([[np.cos(part), np.sin(part)], [-np.sin(part), np.cos(part)]])
                run.append((at - centre) @ turn + centre)
            at = run[-1]
    return strokes


def test_arcs_follow_the_lines_in_far_fewer_commands() -> None:
    """Source: HP 7475A manual, AA; within the profile's tolerance and two of its units."""
    made = plan_motion(LINES, ARCS, TOOLS)  # type: ignore[arg-type]
    text = str(WRITERS[".plt"](made, ARCS, TOOLS, ()))  # type: ignore[arg-type]
    strokes = arcs_redrawn(text, ARCS.unit_mm)
    truths = [LineString(line.path.flatten(0.001)) for line in LINES]
    assert len(strokes) == len(LINES)
    for stroke in strokes:
        assert (
            min(LineString(stroke).hausdorff_distance(truth) for truth in truths) < ARCS.tolerance_mm + 2 * ARCS.unit_mm
        )
    assert text.count("AA") * 6 < sum(len(stroke.points) for stroke in made.strokes)


def test_arcs_are_bulges_in_dxf_and_arcs_in_svg() -> None:
    """Sources: bulges as ezdxf reads them; SVG 1.1 by svgelements: both as long as the lines."""
    import io

    from ezdxf.math import bulge_to_arc

    made = plan_motion(LINES, ARCS, TOOLS)  # type: ignore[arg-type]
    drawn = WRITERS[".dxf"](made, ARCS, TOOLS, ())  # type: ignore[arg-type]
    assert isinstance(drawn, bytes)
    document = ezdxf.read(io.StringIO(drawn.decode()))
    assert not document.audit().errors
    total = 0.0
    for entity in document.modelspace().query("LWPOLYLINE"):
        vertices = entity.get_points("xyb")
        for (x0, y0, bulge), (x1, y1, _) in zip(vertices[:-1], vertices[1:], strict=True):
            if bulge:
                _, start, end, radius = bulge_to_arc((x0, y0), (x1, y1), bulge)
                total += radius * ((end - start) % (2 * np.pi))
            else:
                total += float(np.hypot(x1 - x0, y1 - y0))
    assert total == pytest.approx(made.cut_mm, rel=1e-3)
    drawing = SVG.parse(io.StringIO(str(WRITERS[".svg"](made, ARCS, TOOLS, ()))), ppi=25.4)  # type: ignore[arg-type]
    paths = [element for element in drawing.elements() if isinstance(element, SvgPath)]
    assert sum(float(path.length()) for path in paths) == pytest.approx(made.cut_mm, rel=1e-3)
    assert any(type(segment).__name__ == "Arc" for path in paths for segment in path)


def test_a_laser_gets_hairlines_in_pure_red_and_marks_in_pure_black(tmp_path: Path) -> None:
    """0.003 pt, pure RGB red, marks pure RGB black (common practice, no published source); read by pikepdf."""
    made = plan_motion(LINES, LASER, {})
    file = tmp_path / "laser.pdf"
    file.write_bytes(WRITERS[".pdf"](made, LASER, {}, DISC))  # type: ignore[arg-type]
    assert "No syntax" in subprocess.run(["qpdf", "--check", file], capture_output=True, text=True, check=True).stdout
    with pikepdf.open(file) as document:
        steps = [
            (str(op), [float(x) for x in args] if str(op) in ("w", "RG", "rg") else [])
            for args, op in pikepdf.parse_content_stream(document.pages[0])
        ]
        names = [str(layer.Name) for layer in document.Root.OCProperties.OCGs]
    assert {tuple(args) for op, args in steps if op == "w"} == {(0.003,)}
    assert {tuple(args) for op, args in steps if op == "RG"} == {(1, 0, 0)}
    assert [args for op, args in steps if op == "rg"] == [[0, 0, 0]]
    assert sorted(names) == ["crease", "kiss", "marks", "through"]
    order = [op for op, _ in steps if op in ("S", "f*")]
    assert order[0] == "f*" and set(order[1:]) == {"S"}  # the marks lie under the cuts


def test_a_web_cutter_gets_the_mark_above_an_outline_inside_the_art() -> None:
    """Outline of 0.1 mm without a fill, slightly inside the art, the mark painted last (common practice, no published
    source); by hand: a square of 20 mm drawn 0.3 mm inside itself has sides of 19.4 mm."""
    from lxml import etree

    square = [FinishLine("kiss", Curve.from_points([(0, 0), (20, 0), (20, 20), (0, 20)]))]
    (smaller,) = inset(square, WEB.style.inset_mm)
    assert plan_motion([smaller], WEB, {"kiss": ToolCard(overcut_mm=0)}).cut_mm == pytest.approx(4 * 19.4, abs=1e-3)
    made = plan_motion(LINES[:1], WEB, {})
    root = etree.fromstring(str(WRITERS[".svg"](made, WEB, {}, DISC)).encode())  # type: ignore[arg-type]
    outline, marks = list(root)
    assert (outline.get("id"), outline.get("fill"), outline.get("stroke-width")) == ("through", "none", "0.1")
    assert marks.get("id") == "marks" and marks[0].get("stroke") == "none"


OWN_NAMES = {"kiss": "Anschnitt & Rand", "through": "Découpe", "crease": "Nut 3"}
"""A shop's own, with what files have to write in their own way."""


def test_layers_carry_the_shops_own_names_and_are_read_as_what_they_are() -> None:
    """DXF read by ezdxf, PDF by pikepdf, SVG by lxml (an id holds no space: XML 1.0, 3.3.1); each read again by the
    reader of art, whose rules know the names: the lines it catches are of the kinds that were written."""
    from io import StringIO

    from lxml import etree

    profile = named(PROFILE, OWN_NAMES)  # type: ignore[arg-type]
    dxf, pdf, svg = (WRITERS[form](motion(), profile, TOOLS, ()) for form in (".dxf", ".pdf", ".svg"))  # type: ignore[arg-type]
    wanted = set(OWN_NAMES.values())
    assert isinstance(dxf, bytes) and isinstance(pdf, bytes)
    document = ezdxf.read(StringIO(dxf.decode("cp1252")))  # the code page of its header
    assert {one.dxf.layer for one in document.modelspace()} == wanted and not document.audit().errors
    with pikepdf.open(BytesIO(pdf)) as read:
        assert {str(layer.Name) for layer in read.Root.OCProperties.OCGs} == wanted
    groups = {group.get("id") for group in etree.fromstring(str(svg).encode())}
    assert groups == {name.replace(" ", "_") for name in wanted}
    rules = RulesFile(rules=[], names=OWN_NAMES).to_rules()  # type: ignore[arg-type]
    for page in (read_dxf(dxf, "a.dxf"), read_page(open_pdf(pdf, "a.pdf"), 0, "a.pdf")):
        kinds = [one.kind for one in sort_paths(page.paths, rules).caught for _ in one.path.paths]
        assert sorted(kinds) == sorted(line.kind for line in LINES)


@pytest.mark.parametrize("name", ["", "a/b", 'a"b', "a<b", "a,b", "x" * 61, "a\nb"])
def test_a_name_that_no_layer_can_have_is_refused(name: str) -> None:
    """Characters that a DXF layer cannot have: DXF reference, “Naming objects”."""
    with pytest.raises(ValueError, match="names"):
        RulesFile(rules=[], names={"kiss": name})
    with pytest.raises(ValueError, match="same name"):
        RulesFile(rules=[], names={"kiss": "Cut", "through": "cut"})


def test_a_table_whose_x_runs_along_the_feed_gets_turned_data() -> None:
    """By hand: (10, 20) on our table is 20 along and 1600 − 10 across on one of 1600 mm."""
    made = plan_motion(
        [FinishLine("pen", Curve.from_points([(10, 20), (40, 20)], closed=False))], PROFILES["two-tool-table"], {}
    )
    text = str(WRITERS[".plt"](made, PROFILES["two-tool-table"], {}, ()))  # type: ignore[arg-type]
    assert f"PU{20 * 40},{1590 * 40};PD{20 * 40},{1560 * 40};" in text


def test_cut_pdf_passes_qpdf(tmp_path: Path) -> None:
    """Source: ISO 32000, checked by qpdf."""
    file = tmp_path / "cut.pdf"
    file.write_bytes(WRITERS[".pdf"](motion(), PROFILE, TOOLS, ()))  # type: ignore[arg-type]
    assert (
        "No syntax or stream encoding errors"
        in subprocess.run(["qpdf", "--check", file], capture_output=True, text=True, check=True).stdout
    )


def test_lines_survive_their_file() -> None:
    """LINES.svg keeps every line within its rounding, with y down in the file and up in memory."""
    file = LinesFile(LINES, 200, 100, (30.0, 40.0))
    back = read_lines(
        write_lines(
            LinesFile(
                [FinishLine(one.kind, one.path.mapped(lambda p: p + (30, 40))) for one in LINES], 200, 100, (30.0, 40.0)
            )
        ).encode(),
        "x",
    )
    assert (back.width_mm, back.height_mm, back.origin) == (200, 100, file.origin)
    for line, read in zip(LINES, back.lines, strict=True):
        assert read.kind == line.kind and read.path.closed == line.path.closed
        assert np.abs(read.path.flatten() - line.path.flatten() - (30, 40)).max() < 2e-4


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, FramePlan]:
    """A page with one asymmetric picture placed at four rotations."""
    pixels = np.zeros((100, 200, 4), np.uint8)
    pixels[..., 3] = 255
    pixels[:, :100] = (220, 30, 30, 255)  # left half red
    pixels[:, 100:] = (30, 30, 220, 255)
    pixels[:20, :, 3] = 0  # the upper fifth is transparent
    art = PictureArt(Picture(pixels, 254.0), 20, 10, box(-1, -1, 21, 11))
    plan = plan_frame((0, 0, 200, 60), 300, MarkRecipe(), Reach(1616, 3200), "K7Q2R9", "K7Q2R9-1")
    x, y = plan.work[0] + 20, plan.work[1] + 20
    placements = [Placement("a", n + 1, 0, x + 45 * n, y, 90.0 * n) for n in range(4)]
    file = tmp_path_factory.mktemp("plate") / "plate.pdf"
    file.write_bytes(colour_plate(FrameContent({"a": art}, {}, placements, plan, MarkRecipe(), "Test")))
    return file, plan


def test_print_pdf_passes_qpdf_and_has_one_image_a_design(plate: tuple[Path, FramePlan]) -> None:
    """Source: ISO 32000, checked by qpdf; structure by pikepdf."""
    file, plan = plate
    assert (
        "No syntax or stream encoding errors"
        in subprocess.run(["qpdf", "--check", file], capture_output=True, text=True, check=True).stdout
    )
    with pikepdf.open(file) as pdf:
        page = pdf.pages[0]
        width, length = (float(page.MediaBox[index]) / 72 * 25.4 for index in (2, 3))
        assert (width, length) == (pytest.approx(300, abs=0.01), pytest.approx(plan.length_mm, abs=0.01))
        assert len(page.Resources.XObject) == 1
        content = page.Contents.read_bytes().decode()
        assert content.count(" Do ") == 4 and not re.search(r"\bS\b", content)  # nothing is stroked: no cut line


def rendered(file: Path, renderer: str, folder: Path) -> np.ndarray:
    """The first page at 254 dots an inch: 10 pixels a millimetre. Two independent renderers: poppler and pdfium."""
    if renderer == "poppler":
        subprocess.run(["pdftoppm", "-r", "254", "-png", "-singlefile", file, folder / "page"], check=True)
        image = Image.open(folder / "page.png")
    else:
        image = pypdfium2.PdfDocument(file)[0].render(scale=254 / 72).to_pil()
    return np.asarray(image.convert("RGB")).astype(int)


@pytest.mark.parametrize("renderer", ["poppler", "pdfium"])
def test_placements_marks_and_codes_lie_where_they_were_planned(
    plate: tuple[Path, FramePlan], renderer: str, tmp_path: Path
) -> None:
    """Two independent renderers: poppler and pdfium, at 254 dots an inch: 10 pixels a millimetre."""
    file, plan = plate
    image = rendered(file, renderer, tmp_path)

    def at(x: float, y: float) -> str:
        red, _, blue = image[image.shape[0] - 1 - int(y * 10), int(x * 10)]
        return "ink" if red < 80 and blue < 80 else "red" if red > blue + 80 else "blue" if blue > red + 80 else "white"

    x, y = plan.work[0] + 20, plan.work[1] + 20
    for number, (ux, uy) in enumerate([(1, 0), (0, 1), (-1, 0), (0, -1)]):
        ox, oy = x + 45 * number, y
        for along, up, colour in ((5, 4, "red"), (15, 4, "blue"), (5, 9, "white"), (15, 9, "white")):
            assert at(ox + along * ux - up * uy, oy + along * uy + up * ux) == colour
    for mark in plan.marks:
        assert [at(mark.x + dx, mark.y) for dx in (-2.8, 0, 2.8, 3.3)] == ["ink", "ink", "ink", "white"]
    import zxingcpp

    texts = {found.text for found in zxingcpp.read_barcodes(image.astype(np.uint8))}
    assert texts == {place.code.payload for place in plan.codes}


@pytest.fixture(scope="module")
def vector_plate(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, FramePlan]:
    """A customer's page without its lines, placed upright at half its size and turned a quarter at full size."""
    page = separate(label_pdf(), "label.pdf", {1: "all", 3: "all"}).pdf
    plan = plan_frame((0, 0, 200, 60), 300, MarkRecipe(), Reach(1616, 3200), "K7Q2R9", "K7Q2R9-1")
    x, y = plan.work[0] + 10, plan.work[1] + 10
    arts = {"half": PageArt(page, 30, 20, box(-1, -1, 31, 21)), "whole": PageArt(page, 60, 40, box(-1, -1, 61, 41))}
    placements = [Placement("half", 1, 0, x, y, 0.0), Placement("whole", 1, 0, x + 90, y, 90.0)]
    file = tmp_path_factory.mktemp("vector") / "plate.pdf"
    file.write_bytes(colour_plate(FrameContent(arts, {}, placements, plan, MarkRecipe(), "Test")))
    return file, plan


def test_vector_art_stays_vector_in_the_plate(vector_plate: tuple[Path, FramePlan]) -> None:
    """Source: ISO 32000, checked by qpdf; the only pictures are those of the customer's file, byte for byte."""
    file, _ = vector_plate
    assert (
        "No syntax or stream encoding errors"
        in subprocess.run(["qpdf", "--check", file], capture_output=True, text=True, check=True).stdout
    )
    with pikepdf.open(file) as pdf:
        streams = [one for one in pdf.objects if isinstance(one, pikepdf.Stream)]
        pictures = [one.read_bytes() for one in streams if one.get("/Subtype") == "/Image"]
        assert set(pictures) == {bytes([255, 0, 0, 0, 255, 0, 0, 0, 255, 255, 255, 0])}
        drawn = b"\n".join(
            one.read_bytes()
            for one in streams
            if one.get("/Subtype") == "/Form" or not {"/Subtype", "/N"} & set(one.keys())
        )
        assert not re.search(rb"\b[Ss]\b(?!\w)", drawn.replace(b"/S", b""))  # nothing is stroked: no cut line


@pytest.mark.parametrize("renderer", ["poppler", "pdfium"])
def test_a_customers_page_lies_where_it_was_placed(
    vector_plate: tuple[Path, FramePlan], renderer: str, tmp_path: Path
) -> None:
    file, plan = vector_plate
    image = rendered(file, renderer, tmp_path)

    def at(x: float, y: float) -> list[int]:
        return image[image.shape[0] - 1 - int(y * 10), int(x * 10)].tolist()  # type: ignore[no-any-return]

    x, y = plan.work[0] + 10, plan.work[1] + 10
    red, blue, white = [255, 0, 0], [0, 0, 255], [255, 255, 255]
    for u, v, colour in ((35, 25, red), (30, 20, blue), (50, 20, white), (45.5, 20, white), (3, 3, white)):
        assert at(x + u / 2, y + v / 2) == colour
        assert at(x + 90 - v, y + u) == colour
