"""PDF/X-4, ISO 15930-7:2010, clause by clause (numbers from memory), by a walk of its own over every object of the
file; qpdf and Ghostscript read it as well."""

import subprocess
from collections.abc import Iterator
from datetime import datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from lxml import etree
from pikepdf import Array, Dictionary, Name
from PIL import Image
from shapely import box

from etiquette.cli.run_plates import make_run
from etiquette.core.artwork.raster import Picture
from etiquette.core.errors import JobError
from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import PageArt, PictureArt, SpotArt
from etiquette.core.printing.pdfx4 import as_pdfx4
from etiquette.core.printing.plates import FrameContent, PlateWish, colour_plate, spot_plate
from etiquette.demo import ink_profile
from etiquette.files.run_file import RunFile
from tests.vector_art import add_page, form, label_pdf, picture, rect, saved, spot

INKS = ink_profile.profile("Invented inks")
MADE = datetime(2026, 11, 28, 9, 30)
RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
PDFX = "http://www.npes.org/pdfx/ns/id/"
BLENDS = {
    "Normal", "Compatible", "Multiply", "Screen", "Overlay", "Darken", "Lighten", "ColorDodge", "ColorBurn",
    "HardLight", "SoftLight", "Difference", "Exclusion", "Hue", "Saturation", "Color", "Luminosity",
}  # fmt: skip
INTENTS = {"RelativeColorimetric", "AbsoluteColorimetric", "Perceptual", "Saturation"}


def everything(start: Any) -> Iterator[Any]:
    """Every dictionary and stream that can be reached from `start`, each once."""
    seen: set[tuple[int, int]] = set()
    waiting = [start]
    while waiting:
        held = waiting.pop()
        if not isinstance(held, pikepdf.Dictionary | pikepdf.Stream | pikepdf.Array):
            continue
        if held.is_indirect:
            if held.objgen in seen:
                continue
            seen.add(held.objgen)
        if isinstance(held, pikepdf.Array):
            waiting += list(held)
            continue
        yield held
        inside = held.stream_dict if isinstance(held, pikepdf.Stream) else held
        waiting += [value for key, value in inside.items() if key != "/Parent"]


def faults(content: bytes) -> list[str]:
    """What breaks the standard, by clause."""
    found: list[str] = []

    def rule(clause: str, holds: bool, words: str) -> None:
        if not holds:
            found.append(f"{clause} {words}")

    with pikepdf.open(BytesIO(content)) as pdf:
        rule("6.1", content.startswith(b"%PDF-1.") and content[7:8] <= b"6", "the header names a version up to 1.6")
        rule("6.1", content[9:10] == b"%" or content[10:11] == b"%", "a comment of binary letters follows the header")
        rule("6.3", len(pdf.trailer.get("/ID", [])) == 2, "the trailer has an ID")
        rule("6.4", not pdf.is_encrypted, "not encrypted")
        _described(pdf, rule)
        _intended(pdf, rule)
        for page in pdf.pages:
            _boxed(page.obj, rule)
        for held in everything(pdf.Root):
            _object(held, rule)
        for key in ("/AA", "/OpenAction", "/AcroForm", "/Collection", "/Requirements"):
            rule("6.17", key not in pdf.Root, f"no {key} in the catalog")
        rule("6.17", "/JavaScript" not in pdf.Root.get("/Names", {}), "no scripts")
    return found


def _described(pdf: pikepdf.Pdf, rule: Any) -> None:
    if "/Metadata" not in pdf.Root:
        rule("6.10.1", False, "the file has metadata")
        return
    tree = etree.fromstring(pdf.Root.Metadata.read_bytes())

    spaces = {prefix: space for one in tree.iter() for prefix, space in one.nsmap.items() if prefix} | {"pdfxid": PDFX}

    def told(name: str) -> str:
        prefix, local = name.split(":")
        if prefix not in spaces:
            return ""
        place = f"{{{spaces[prefix]}}}{local}"
        for described in tree.iter(f"{{{RDF}}}Description"):
            if place in described.attrib:
                return str(described.attrib[place])
        return "".join(part for one in tree.iter(place) for part in one.itertext()).strip()

    rule("6.10.2", told("pdfxid:GTS_PDFXVersion") == "PDF/X-4", "GTS_PDFXVersion in XMP")
    for name in ("xmp:CreateDate", "xmp:ModifyDate", "xmp:MetadataDate", "dc:title"):
        rule("6.10.3", bool(told(name)), name)
    for name in ("xmpMM:DocumentID", "xmpMM:VersionID", "xmpMM:RenditionClass"):
        rule("6.10.4", bool(told(name)), name)
    rule("6.12", told("pdf:Trapped") in ("True", "False"), "Trapped is said")


def _intended(pdf: pikepdf.Pdf, rule: Any) -> None:
    intents = [one for one in pdf.Root.get("/OutputIntents", []) if one.S == Name.GTS_PDFX]
    rule("6.2.3", len(intents) == 1, "one output intent of PDF/X")
    profile = intents[0].DestOutputProfile.read_bytes()
    rule("6.2.3", profile[36:40] == b"acsp" and profile[12:16] == b"prtr", "the profile is one of a printer")
    rule("6.2.3", profile[8] <= 4 and profile[16:20] == b"CMYK", "of CMYK, version 4 or older")
    rule("6.2.3", bool(str(intents[0].OutputConditionIdentifier)), "the condition has a name")
    rule("6.2.3", bool(str(intents[0].get("/Info", ""))), "a condition that is in no registry says what it is")


def _boxed(page: Any, rule: Any) -> None:
    def of(name: str) -> np.ndarray:
        return np.array([float(one) for one in page[name]])

    rule("6.13", ("/TrimBox" in page) != ("/ArtBox" in page), "a TrimBox or an ArtBox")
    media, trim = of("/MediaBox"), of("/TrimBox")
    bleed = of("/BleedBox") if "/BleedBox" in page else media
    for outer, inner in ((media, bleed), (bleed, trim)):
        inside = (inner[:2] >= outer[:2] - 0.01).all() and (inner[2:] <= outer[2:] + 0.01).all()
        rule("6.13", bool(inside), "boxes nest")
    rule("6.13", "/UserUnit" not in page, "the unit is a point")
    rule("6.16", not len(page.get("/Annots", [])), "no annotation")


def _object(held: Any, rule: Any) -> None:
    if isinstance(held, pikepdf.Stream):
        filters = held.get("/Filter", Array())
        names = {str(one) for one in (filters if isinstance(filters, Array) else [filters])}
        rule("6.5", "/F" not in held, "no stream outside the file")
        rule("6.6", "/LZWDecode" not in names and "/Crypt" not in names, "no LZW, no Crypt")
        if held.get("/Subtype") == Name.Image:
            rule("6.7", "/Alternates" not in held and "/OPI" not in held, "pictures: no alternates, no OPI")
        if held.get("/Subtype") == Name.Form:
            for key in ("/OPI", "/PS", "/Ref", "/Subtype2"):
                rule("6.8", key not in held, f"forms: no {key}")
        rule("6.8", held.get("/Subtype") != Name.PS, "no PostScript")
    if "/Resources" in held or held.get("/Type") == Name.Page:
        _resources(held.get("/Resources", Dictionary()), rule)
    group = held.get("/Group")
    if isinstance(group, Dictionary):
        rule("6.2.4", group.get("/CS") not in (Name.DeviceRGB, Name.CalRGB), "groups do not blend in a bare RGB")
    if "/Intent" in held and held.get("/Subtype") == Name.Image:
        rule("6.2.5", str(held.Intent)[1:] in INTENTS, "rendering intents are the four")
    if held.get("/Type") == Name.FontDescriptor:
        rule("6.9", any(key in held for key in ("/FontFile", "/FontFile2", "/FontFile3")), "fonts are in the file")
    if held.get("/Type") == Name.Font and held.get("/Subtype") in (Name.Type1, Name.TrueType):
        rule("6.9", "/FontDescriptor" in held, "no font is left to the reader")


def _resources(resources: Any, rule: Any) -> None:
    rule("6.2.4", "/DefaultRGB" in resources.get("/ColorSpace", {}), "RGB is described by a profile")
    for state in resources.get("/ExtGState", {}).values():
        rule("6.11", "/TR" not in state and "/HTP" not in state, "no transfer function, no HTP")
        rule("6.11", state.get("/TR2", Name.Default) == Name.Default, "TR2 only as Default")
        blend = state.get("/BM", Name.Normal)
        rule("6.2.6", str(blend)[1:] in BLENDS, "blend modes are those of PDF 1.6")


def customers_page() -> bytes:
    """40 × 30 mm with all that a customer's file may bring along and the standard forbids."""
    pdf = pikepdf.new()
    shown = picture(pdf)
    shown.Alternates, shown.OPI = Array([]), Dictionary()
    curve = Dictionary(FunctionType=2, Domain=[0, 1], N=2)
    inner = form(pdf, f"1 0 0 rg {rect(2, 2, 9, 9)} f", Dictionary(), (0, 0, 40, 30))
    inner.Group = Dictionary(S=Name.Transparency, CS=Name.DeviceRGB)
    inner.OPI, inner.Ref = Dictionary(), Dictionary()
    states = Dictionary(
        A=Dictionary(Type=Name.ExtGState, TR=curve, ca=0.5),
        B=Dictionary(TR2=curve, HTP=[0, 0]),
        C=Dictionary(TR2=Name.Default),
    )
    content = (
        f"0 0 1 rg {rect(0, 0, 40, 30)} f /A gs /In Do /B gs /S cs 1 scn {rect(15, 5, 9, 9)} f "
        f"0.2 0.4 0 0 k {rect(26, 5, 9, 9)} f q 30 0 0 30 10 60 cm /P Do Q"
    )
    resources = Dictionary(
        XObject=Dictionary(P=shown, In=inner), ExtGState=states, ColorSpace=Dictionary(S=spot(pdf, "Rose"))
    )
    add_page(pdf, (40, 30), content, resources)
    return saved(pdf)


def frame(page: bytes) -> FrameContent:
    pixels = np.full((30, 30, 4), 90, dtype=np.uint8)
    pixels[10:20, 10:20, 3] = 0
    arts = {
        "a": PageArt(page, 40.0, 30.0, box(0, 0, 40, 30)),
        "b": PictureArt(Picture(pixels, 300.0), 20.0, 20.0, box(0, 0, 20, 20)),
    }
    recipe = MarkRecipe()
    plan = plan_frame((0, 0, 70, 30), 200, recipe, Reach(1600, 3000), "AAAAAA", "AAAAAA-1")
    dx, dy = plan.shift
    placed = [Placement("a", 1, 0, dx, dy, 0.0), Placement("b", 1, 0, dx + 45, dy, 0.0)]
    white = {"b": SpotArt((box(0, 0, 20, 20),), box(0, 0, 20, 20))}
    return FrameContent(arts, {"White": white}, placed, plan, recipe, "Kites")


def plates(page: bytes) -> list[bytes]:
    wish = PlateWish(patches=True, profile=INKS, profile_name="Invented inks", intent="perceptual", black_point=True)
    white = spot_plate(frame(page), "White", wish)
    assert white is not None
    return [colour_plate(frame(page), wish), white]


def test_every_rule_that_applies_holds_whatever_the_art_brings_along(tmp_path: Path) -> None:
    for number, plate in enumerate(plates(customers_page())):
        made = as_pdfx4(plate, "Kites", MADE)
        assert faults(made) == []
        assert made == as_pdfx4(plate, "Kites", MADE)
        (tmp_path / f"{number}.pdf").write_bytes(made)
        subprocess.run(["qpdf", "--check", f"{number}.pdf"], cwd=tmp_path, check=True, capture_output=True)


def test_the_walk_finds_what_a_plain_plate_lacks() -> None:
    """It can fail: the same plates before they are made PDF/X-4."""
    plain = faults(plates(customers_page())[0])
    told = ("6.1 ", "6.2.4 groups", "6.2.4 RGB", "6.7 ", "6.8 ", "6.10.1", "6.11 no transfer", "6.11 TR2")
    for clause in told:
        assert any(one.startswith(clause) for one in plain), clause


def test_it_prints_the_same_inks(tmp_path: Path) -> None:
    """Ghostscript, by the output intent: what was taken out changed nothing but what a transfer function had done."""
    page = label_pdf()
    plain = colour_plate(frame(page), PlateWish(profile=INKS, intent="relative", black_point=True))
    drawn = []
    for name, content in (("plain", plain), ("x4", as_pdfx4(plain, "Kites", MADE))):
        (tmp_path / f"{name}.pdf").write_bytes(content)
        command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiff32nc", "-r40", "-dUsePDFX3Profile"]
        subprocess.run([*command, "-o", f"{name}.tif", f"{name}.pdf"], cwd=tmp_path, check=True)
        with Image.open(tmp_path / f"{name}.tif") as image:
            drawn.append(np.asarray(image).astype(int))
    assert drawn[0].shape == drawn[1].shape and drawn[0].max() == 255
    assert np.percentile(np.abs(drawn[0] - drawn[1]), 99) <= 3  # sRGB said by its profile, or taken as the reader's own


def test_what_cannot_be_mended_is_said() -> None:
    with pytest.raises(JobError, match="has no CMYK profile"):
        as_pdfx4(colour_plate(frame(label_pdf())), "Kites", MADE)
    pdf = pikepdf.new()
    bare = Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)
    add_page(pdf, (40, 30), "BT /F 12 Tf (a) Tj ET", Dictionary(Font=Dictionary(F=bare)))
    with pytest.raises(JobError, match="Helvetica is not in the art"):
        as_pdfx4(plates(saved(pdf))[0], "Kites", MADE)
    long = pikepdf.open(BytesIO(plates(label_pdf())[0]))
    long.pages[0].UserUnit = 2
    with pytest.raises(JobError, match="longer than a page of PDF/X-4"):
        as_pdfx4(saved(long), "Kites", MADE)


def test_the_command_makes_it_from_a_run_file_with_colours_changed_and_converted(tmp_path: Path) -> None:
    (tmp_path / "inks.icc").write_bytes(INKS)
    (tmp_path / "page.pdf").write_bytes(customers_page())
    (tmp_path / "page.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 30" width="40mm" height="30mm" data-art="40,30">'
        '<path data-kind="kiss" d="M 1 1 L 39 1 L 39 29 L 1 29 Z"/></svg>'
    )
    layout = {
        "length_mm": 40, "utilisation": 0.5, "seconds": 0, "stopped": "steps", "unplaced": [],
        "placements": [{"id": "page", "copy": 1, "sheet": 0, "x_mm": 0, "y_mm": 0, "rotation_deg": 0}],
    }  # fmt: skip
    design = {"id": "page", "art": "page.pdf", "lines": "page.svg", "saturation": -20, "replaced": [
        {"colour": "#0000ff", "to": [100, 0, 0, 0]}, {"colour": "#ff0000", "to": None, "within": 2}]}  # fmt: skip
    run = {
        "stock": {"width_mm": 200}, "designs": [design], "layout": layout, "codes": ["K7Q2R9"], "standard": "pdf/x-4",
        "output_profile": "inks.icc", "intent": "perceptual", "converts": True, "lightness": 10,
    }  # fmt: skip
    told = make_run(RunFile.model_validate(run), tmp_path, tmp_path / "out")
    made = (tmp_path / "out" / told["frames"][0]["files"]["pdf"]).read_bytes()
    assert faults(made) == []
    with pikepdf.open(BytesIO(made)) as pdf:
        page = pdf.pages[0].Resources.XObject.D1.Resources.XObject.Page
        set_to = [one for one in pikepdf.parse_content_stream(page) if str(one.operator) in ("rg", "k")]
        assert {str(one.operator) for one in set_to} == {"k"}
        first = [float(one) for one in set_to[0].operands]  # the blue ground is cyan now, less strong and lighter
        assert first[0] > 0.5 and first[0] > first[1] and first[3] == pytest.approx(0, abs=0.02)
    refused = RunFile.model_validate({**run, "output_profile": None})
    with pytest.raises(JobError, match="has no CMYK profile"):
        make_run(refused, tmp_path, tmp_path / "other")
