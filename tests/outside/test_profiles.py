"""Colours through ICC profiles that nobody here wrote, against the formulas of ISO 15076-1, and Ghostscript's reading
of the output intent (ISO 32000-1, 14.11.5). The profiles are those that come with Ghostscript."""

import struct
import subprocess
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from pikepdf import Array, Dictionary, Name
from PIL import Image
from shapely import box

from etiquette.core.artwork.colour import ciede2000
from etiquette.core.artwork.raster import Picture
from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import PictureArt
from etiquette.core.printing.converted import Converted
from etiquette.core.printing.icc import read_profile
from etiquette.core.printing.plates import FrameContent, PlateWish, colour_plate
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.printing.recolouring import recoloured_plate
from etiquette.core.printing.soft_proof import SoftProof
from tests.vector_art import add_page, picture, rect, saved, spot

PROFILES = Path("/usr/share/color/icc/ghostscript")
SRGB_XYZ = np.array(
    [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]]
)
"""IEC 61966-2-1, adapted to D50 by the Bradford transform."""
D50 = np.array([0.9642, 1.0, 0.8249])


def tag(profile: bytes, name: bytes) -> bytes:
    """The data of a tag (ISO 15076-1, 7.3)."""
    (count,) = struct.unpack(">I", profile[128:132])
    for entry in range(count):
        found, at, size = struct.unpack(">4sII", profile[132 + 12 * entry : 144 + 12 * entry])
        if found == name:
            return profile[at : at + size]
    raise KeyError(name)


def xyz(profile: bytes, name: bytes) -> np.ndarray:
    return np.array(struct.unpack(">3i", tag(profile, name)[8:20])) / 65536


def lab_of_linear(linear: np.ndarray, primaries: np.ndarray) -> np.ndarray:
    relative = linear @ primaries.T / D50
    f = np.where(relative > 0.008856, np.cbrt(relative), 7.787 * relative + 16 / 116)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=-1)


def test_conversion_through_a_matrix_profile_follows_its_formula_on_1000_colours() -> None:
    """ISO 15076-1, annex F.3: XYZ are the three columns times what the curves make of the numbers."""
    profile = (PROFILES / "a98.icc").read_bytes()
    colours = np.random.default_rng(7).integers(0, 256, (1000, 3))
    given = Image.fromarray(colours[None].astype(np.uint8))
    wish = ProofWish(profile, "RGB", "relative", black_point=False)
    made = np.asarray(SoftProof(wish).inks_of(given))[0].astype(int)
    kind, count, gamma = struct.unpack(">4s4xIH", tag(profile, b"rTRC")[:14])
    assert (kind, count) == (b"curv", 1)  # one number: a power, in 256ths
    columns = np.stack([xyz(profile, name) for name in (b"rXYZ", b"gXYZ", b"bXYZ")], axis=1)
    levels = colours / 255
    linear = np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4)
    exact = np.clip(linear @ SRGB_XYZ.T @ np.linalg.inv(columns).T, 0, 1) ** (256 / gamma)
    assert np.abs(made - 255 * exact).max() <= 1  # eight bits: the nearest level, or the one beside it
    assert (made == np.round(255 * exact)).mean() > 0.9
    distance = ciede2000(lab_of_linear(linear, SRGB_XYZ), lab_of_linear((made / 255) ** (gamma / 256), columns))
    # the nearest level itself is up to 0.92 away among these colours: nothing that comes out in eight bits is nearer
    assert np.percentile(distance, 95) <= 0.5 and distance.max() <= 1


def test_a_stranger_s_press_profile_is_read() -> None:
    """Made for a press whose inks add up to 300 % (from memory), on a paper that is no pure white."""
    facts = read_profile((PROFILES / "default_cmyk.icc").read_bytes(), "default_cmyk.icc")
    assert facts.space == "CMYK" and facts.ink_limit == pytest.approx(300, abs=3)
    assert 85 < facts.white[0] < 95 and facts.white[2] > 1


def plate(profile: bytes) -> bytes:
    """A sheet with one square of a soft red."""
    pixels = np.empty((60, 60, 4), dtype=np.uint8)
    pixels[:] = (190, 90, 70, 255)
    art = PictureArt(Picture(pixels, 300.0), 40.0, 40.0, box(0, 0, 40, 40))
    recipe = MarkRecipe()
    plan = plan_frame((0, 0, 40, 40), 200, recipe, Reach(1600, 3000), "AAAAAA", "AAAAAA-1")
    placed = Placement("a", 1, 0, *plan.shift, 0.0)
    content = FrameContent({"a": art}, {}, [placed], plan, recipe, "one square")
    return colour_plate(
        content, PlateWish(profile=profile, profile_name="A press", intent="relative", black_point=True)
    )


def test_ghostscript_prints_by_the_output_intent(tmp_path: Path) -> None:
    """-dUsePDFX3Profile: the inks are those of the profile in the file. Every profile gives other ones."""
    profile = (PROFILES / "default_cmyk.icc").read_bytes()
    (tmp_path / "plate.pdf").write_bytes(plate(profile))
    with pikepdf.open(tmp_path / "plate.pdf") as pdf:
        (intent,) = pdf.Root.OutputIntents
        assert intent.DestOutputProfile.read_bytes() == profile and intent.DestOutputProfile.N == 4
    command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiff32nc", "-r40", "-dUsePDFX3Profile"]
    subprocess.run([*command, "-o", "inks.tif", "plate.pdf"], cwd=tmp_path, check=True)
    with Image.open(tmp_path / "inks.tif") as drawn:
        inks = np.asarray(drawn).reshape(-1, 4)
    red = Image.fromarray(np.array([[[190, 90, 70]]], dtype=np.uint8))
    asked = np.asarray(SoftProof(ProofWish(profile, "CMYK", "relative", black_point=True)).inks_of(red))[0, 0]
    near = np.abs(inks.astype(int) - asked).max(axis=1) <= 3
    with pikepdf.open(BytesIO(plate(profile))) as pdf:
        page = [float(value) / 72 * 25.4 for value in pdf.pages[0].MediaBox]
    assert near.mean() == pytest.approx(40 * 40 / (page[2] * page[3]), rel=0.05)


def strangers_page() -> bytes:
    """40 × 30 mm: areas in RGB, CMYK and grey, a spot, black type, a picture with a profile of its own, a gradient."""
    pdf = pikepdf.new()
    own = Array([Name.ICCBased, pdf.make_stream((PROFILES / "a98.icc").read_bytes(), N=3)])
    shown = picture(pdf)
    shown.ColorSpace = own
    ends = Dictionary(FunctionType=2, Domain=[0, 1], C0=[0.9, 0.3, 0.2], C1=[0.2, 0.5, 0.8], N=1)
    fade = Dictionary(ShadingType=2, ColorSpace=Name.DeviceRGB, Coords=[57, 0, 113, 0], Function=ends)
    content = (
        f"0.8 0.45 0.3 rg {rect(1, 1, 8, 8)} f 0 0 0 rg {rect(11, 1, 8, 8)} f 0.1 0.7 0 0.2 k {rect(21, 1, 8, 8)} f "
        f"0.5 g {rect(31, 1, 8, 8)} f /S cs 1 scn {rect(1, 11, 8, 8)} f q 22 0 0 22 31 31 cm /P Do Q "
        f"q {rect(21, 11, 18, 8)} W n /F sh Q"
    )
    resources = Dictionary(
        XObject=Dictionary(P=shown), ColorSpace=Dictionary(S=spot(pdf, "Rose")), Shading=Dictionary(F=fade)
    )
    add_page(pdf, (40, 30), content, resources)
    return saved(pdf)


def test_what_is_converted_here_prints_as_a_printer_would_have_converted_it(tmp_path: Path) -> None:
    """Ghostscript separates both by the same profile and intent: the same inks, but for pure black, which stays one;
    spots, CMYK, grey and what has a profile of its own are not touched."""
    profile = (PROFILES / "default_cmyk.icc").read_bytes()
    (tmp_path / "press.icc").write_bytes(profile)
    pdf = pikepdf.open(BytesIO(strangers_page()))
    page = pdf.pages[0]
    held = pdf.make_stream(page.Contents.read_bytes())
    box_of = [float(one) for one in page.MediaBox]
    held.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=box_of, Resources=page.Resources))
    page.Resources, page.Contents = Dictionary(XObject=Dictionary(D1=held)), pdf.make_stream(b"/D1 Do")
    plain = saved(pdf)
    change = Converted(ProofWish(profile, "CMYK", "relative", black_point=True))
    made, kept = recoloured_plate(plain, {"D1": (change,)})
    assert kept == {"D1": ["colours with a profile of their own"]}
    drawn = []
    for name, content in (("plain", plain), ("made", made)):
        (tmp_path / f"{name}.pdf").write_bytes(content)
        inks = ["-sOutputICCProfile=press.icc", "-sDefaultCMYKProfile=press.icc", "-dRenderIntent=1", "-dBlackPtComp=1"]
        command = ["gs", "-q", "-dSAFER", "--permit-file-read=press.icc", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiff32nc"]
        subprocess.run([*command, *inks, "-r60", "-o", f"{name}.tif", f"{name}.pdf"], cwd=tmp_path, check=True)
        with Image.open(tmp_path / f"{name}.tif") as image:
            drawn.append(np.asarray(image).astype(int))

    def at(number: int, x: float, y: float) -> np.ndarray:
        scale = 60 / 25.4
        return np.asarray(drawn[number][round((30 - y) * scale), round(x * scale)])

    assert np.abs(at(0, 5, 5) - at(1, 5, 5)).max() <= 3 and at(1, 5, 5).sum() > 100
    assert at(1, 15, 5).tolist() == [0, 0, 0, 255] and at(0, 15, 5).tolist()[:3] != [0, 0, 0]
    for x, y in ((25, 5), (35, 5), (5, 15), (13, 15)):
        assert at(0, x, y).tolist() == at(1, x, y).tolist()
    assert at(1, 25, 5).tolist() == pytest.approx([25, 178, 0, 51], abs=1)
    for x in (22, 38):  # the ends of the gradient are converted, between them it runs in inks
        assert np.abs(at(0, x, 15) - at(1, x, 15)).max() <= 20
    with pikepdf.open(BytesIO(made)) as after:
        form = after.pages[0].Resources.XObject.D1
        words = {str(one.operator) for one in pikepdf.parse_content_stream(form)}
        assert "rg" not in words and form.Resources.Shading.F.ColorSpace == Name.DeviceCMYK
        assert form.Resources.XObject.P.ColorSpace[0] == Name.ICCBased
