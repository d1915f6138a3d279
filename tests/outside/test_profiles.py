"""Colours through ICC profiles that nobody here wrote, against the formulas of ISO 15076-1, and Ghostscript's reading
of the output intent (ISO 32000-1, 14.11.5). The profiles are those that come with Ghostscript."""

import struct
import subprocess
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from PIL import Image
from shapely import box

from etiquette.core.artwork.colour import ciede2000
from etiquette.core.artwork.raster import Picture
from etiquette.core.marking.frames import Reach, plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.icc import read_profile
from etiquette.core.printing.plates import FrameContent, PictureArt, PlateWish, colour_plate
from etiquette.core.printing.proof_wish import ProofWish
from etiquette.core.printing.soft_proof import SoftProof

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
    """Its makers say SWOP, whose limit is 300 % (from memory), on a paper that is no pure white."""
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
