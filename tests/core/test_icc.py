"""ICC profiles: what is taken for one, what it says, and colours through it, against formulas."""

import struct

import numpy as np
import pytest
from PIL import Image, ImageCms

from etiquette.core.artwork.colour import ciede2000, lab_of
from etiquette.core.errors import JobError
from etiquette.core.printing.icc import opened, read_profile
from etiquette.core.printing.icc_files import icc_file, matrix_profile, wide_profile, words
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.printing.soft_proof import TINT, SoftProof, lab_of_image, tinted
from etiquette.demo import ink_profile

INKS = ink_profile.profile("Invented inks")


def put(content: bytes, at: int, what: bytes) -> bytes:
    return content[:at] + what + content[at + len(what) :]


def one_row(colours: np.ndarray, mode: str = "RGB") -> Image.Image:
    return Image.fromarray(np.ascontiguousarray(colours[None].astype(np.uint8)), mode=mode)


def test_a_profile_says_its_stock_and_its_inks() -> None:
    facts = read_profile(INKS, "inks.icc")
    assert (facts.description, facts.space, facts.version) == ("Invented inks", "CMYK", "2.4")
    # the stock's light in three bands, worked to Y by hand: 0.88·0.2225 + 0.87·0.7169 + 0.83·0.0606 = 0.8698
    assert facts.white[0] == pytest.approx(116 * 0.8698 ** (1 / 3) - 16, abs=0.02)
    assert facts.ink_limit == pytest.approx(100 * ink_profile.MOST_INK, rel=0.01)
    screen = read_profile(wide_profile(), "wide.icc")
    assert (screen.space, screen.white, screen.ink_limit) == ("RGB", (100, 0, 0), None)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"GIF89a" + bytes(400), "no ICC profile"),
        (INKS[:90], "no ICC profile"),
        (INKS[:5000], "cut short: 5000 of"),
        (put(INKS, 12, b"link"), "one way from one machine to another"),
        (put(INKS, 12, b"nmcl"), "named colours"),
        (put(INKS, 16, b"6CLR"), "colours in 6CLR"),
        (put(INKS, 140, b"\xff" * 60), "damaged|one way only"),
        (icc_file(b"prtr", b"CMYK", b"Lab ", words("Empty", "none"), {}), "one way only"),
    ],
)
def test_what_is_no_profile_of_a_stock_is_refused_in_words(content: bytes, words: str) -> None:
    with pytest.raises(JobError, match=words):
        read_profile(content, "a.icc")


def test_a_profile_whose_bytes_are_changed_is_refused_or_read() -> None:
    """A byte here and there in the head and the table of tags, turned over: never anything but a sentence."""
    for at in range(1, 128 + 4 + 12 * 8, 14):
        try:
            read_profile(put(INKS, at, bytes([INKS[at] ^ 0xFF])), "a.icc")
        except JobError as error:
            assert error.do


def test_colours_of_inks_follow_the_formula_they_were_made_by() -> None:
    inks = np.random.default_rng(1).integers(0, 256, (500, 4))
    lab = ImageCms.createProfile("LAB")
    through = ImageCms.buildTransform(opened(INKS, "a"), lab, "CMYK", "LAB", ImageCms.Intent.RELATIVE_COLORIMETRIC)
    seen = ImageCms.applyTransform(one_row(inks, "CMYK"), through)
    assert seen is not None
    distance = ciede2000(lab_of_image(seen)[0], ink_profile.lab_of_inks(inks / 255))
    # a table of eleven steps and eight bits of L*a*b* between the formula and what comes out
    assert np.mean(distance) < 0.5 and distance.max() < 2


def test_a_proof_shows_reachable_colours_as_they_are_under_the_stock_s_white() -> None:
    inks = np.random.default_rng(2).uniform(0, 0.6, (300, 3))
    lab = ink_profile.lab_of_inks(np.column_stack([inks, np.zeros(300)]))
    colours = srgb_of(lab)
    within = ((colours > 2) & (colours < 253)).all(axis=1)
    seen, missed = SoftProof(ProofWish(INKS, "CMYK", own_white=False)).of_art(one_row(np.round(colours[within])))
    distance = ciede2000(lab_of(np.asarray(seen)[0]), lab_of(np.round(colours[within]).astype(np.uint8)))
    assert np.percentile(distance, 95) < 2 and (missed < 5 * 4).mean() > 0.97
    white, _ = SoftProof(ProofWish(INKS, "CMYK")).of_art(one_row(np.full((1, 3), 255)))
    assert ciede2000(lab_of(np.asarray(white)[0]), np.array([read_profile(INKS, "a").white])).max() < 1


def srgb_of(lab: np.ndarray) -> np.ndarray:
    """0 to 255, of L*a*b* under D50 (IEC 61966-2-1, adapted by the Bradford transform)."""
    y = (lab[:, 0] + 16) / 116
    f = np.stack([y + lab[:, 1] / 500, y, y - lab[:, 2] / 200], axis=1)
    xyz = np.where(f > 6 / 29, f**3, (f - 16 / 116) / 7.787) * [0.9642, 1, 0.8249]
    linear = xyz @ np.linalg.inv(ink_profile.TO_XYZ).T
    return 255 * np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055)


def test_what_inks_cannot_reach_is_striped_and_nothing_else() -> None:
    proof = SoftProof(ProofWish(INKS, "CMYK"))
    art = Image.new("RGB", (60, 30), (200, 180, 150))
    art.paste((0, 255, 0), (30, 0, 60, 30))  # a screen's green: no print has it
    seen, missed = proof.of_art(art)
    striped = (np.asarray(tinted(seen, missed)) == TINT).all(axis=-1)
    assert not striped[:, :29].any() and 0.3 < striped[:, 31:].mean() < 0.6
    assert np.asarray(seen)[15, 45, 1] < 220  # it comes out duller


def test_a_table_of_answers_is_as_good_as_asking_for_every_pixel() -> None:
    art = Image.fromarray(np.random.default_rng(3).integers(0, 256, (80, 80, 3), dtype=np.uint8))
    proof = SoftProof(ProofWish(INKS, "CMYK", "perceptual"))
    quick, exact = np.asarray(proof.of_art(art)[0]), np.asarray(proof.of_inks(proof.inks_of(art)))
    assert np.percentile(ciede2000(lab_of(quick), lab_of(exact)), 99) < 1.5


def test_a_written_profile_keeps_its_numbers() -> None:
    content = matrix_profile("Two point two", ink_profile.TO_XYZ, 2.2)
    assert struct.unpack(">I", content[:4]) == (len(content),)
    red = opened(content, "a").profile.red_colorant
    assert red is not None and np.allclose(red[0], ink_profile.TO_XYZ[:, 0], atol=1e-4)
