"""EPS and PostScript that other programs wrote (sources: librsvg 2 and poppler, as Debian packages them), and what of
them is refused."""

import io
import struct
import subprocess
from pathlib import Path

import pikepdf
import pytest
import shapely
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.artwork.forms import form_of, postscript_of
from etiquette.core.artwork.line_rules import sort_paths
from etiquette.core.errors import JobError
from etiquette.files.lines_svg import read_lines
from etiquette.files.vectors import read_areas, read_vectors
from etiquette.sandbox.art import ArtRead, read_art, separate
from tests.pages import by_librsvg
from tests.vector_art import label_pdf

SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">'
    b'<circle cx="20" cy="20" r="10" fill="#c03"/><rect x="40" y="10" width="15" height="8" fill="#08f"/></svg>'
)
PROGRAM = b"""%%BoundingBox: 100 200 242 314
%%HiResBoundingBox: 100.0 200.0 241.732 313.386
%%EndComments
1 0 0 setrgbcolor 120 220 60 40 rectfill
[/Separation (Kiss cut) /DeviceCMYK {0 exch 0 0}] setcolorspace 1 setcolor 0.5 setlinewidth
110 210 120 90 rectstroke
"""


@pytest.fixture
def by_hand(tmp_path: Path) -> bytes:
    """An EPS whose commands can be checked by hand, under the heading that librsvg gives its own."""
    heading = by_librsvg(SVG, "eps", tmp_path, ground="none").splitlines(keepends=True)[0]
    assert b"EPSF" in heading
    return heading + PROGRAM


def painted(art: ArtRead) -> shapely.geometry.base.BaseGeometry:
    return shapely.union_all(read_areas(separate(art.content, "art.eps", {}).areas))


def test_an_eps_of_librsvg_stays_vector_and_keeps_its_size(tmp_path: Path) -> None:
    (art,) = read_art(by_librsvg(SVG, "eps", tmp_path, ground="none"), "art.eps")
    # librsvg gives the box of what is painted, in whole points: 10 to 55 mm across
    assert art.natural_mm is not None and art.natural_mm[0] == pytest.approx(45, abs=0.8)
    area = painted(art)
    assert area.area == pytest.approx(314.159 + 15 * 8, rel=0.002)
    left, _, right, _ = area.bounds
    assert right - left == pytest.approx(45, abs=0.02)
    assert len(read_vectors(art.vectors or b"").paths) == 2


def test_named_colours_come_through_poppler_and_are_lines(tmp_path: Path) -> None:
    (tmp_path / "label.pdf").write_bytes(label_pdf())
    command = ["pdftops", "-eps", "-level3sep", tmp_path / "label.pdf", tmp_path / "label.eps"]
    subprocess.run(command, check=True, capture_output=True)
    (art,) = read_art((tmp_path / "label.eps").read_bytes(), "label.eps")
    kiss = [one for one in sort_paths(read_vectors(art.vectors or b"").paths).caught if "Kiss cut" in one.path.spots]
    (ring,) = [path.flatten(0.01) for one in kiss for path in one.path.paths]
    assert kiss[0].kind == "kiss" and shapely.Polygon(ring).area == pytest.approx(3.14159 * 17**2, rel=0.002)


# what stands here for a stranger's own face: a square, drawn by a font that the program brings along
BROUGHT = b"""8 dict begin /FontType 3 def /FontMatrix [1 0 0 1 0 0] def /FontBBox [0 0 1 1] def
/Encoding 256 array dup 0 1 255 {/square put dup} for pop def
/BuildChar {pop pop 1 0 0 0 1 1 setcachedevice 0 0 1 1 rectfill} def currentdict end /Quillfeather exch definefont pop
"""


@pytest.mark.parametrize(
    ("font", "missing"),
    [
        (b"/Quillfeather", True),
        (b"/Quillfeather-Bold.Two", True),
        (b"/Palatino-Roman", False),
        (BROUGHT + b"/Quillfeather", False),
    ],
)
def test_a_font_that_another_one_stands_in_for_is_told(by_hand: bytes, font: bytes, missing: bool) -> None:
    """Every interpreter has the standard fonts of the PostScript Language Reference; of others Ghostscript puts one of
    its own under the name that was asked for."""
    words = font + b" findfont 20 scalefont setfont 0 setgray 120 270 moveto (ab) show\n"
    (art,) = read_art(by_hand + words + b"showpage\n", "words.eps")
    apart = separate(art.content, "words.eps", {})
    assert bool(apart.fonts_lacking) is missing
    again = separate(apart.pdf, "words.pdf", {})  # what is printed says it too
    assert again.fonts_lacking == apart.fonts_lacking


def test_what_other_programs_note_at_that_place_is_left_alone(by_hand: bytes) -> None:
    (art,) = read_art(by_hand, "art.eps")
    for noted in ("[ (a) ]", "<< /Etiquette [ ] >>", "<< /Etiquette << /Private << /Replaced (a) >> >> >>"):
        with pikepdf.open(io.BytesIO(art.content)) as pdf:
            pdf.pages[0].obj.PieceInfo = pikepdf.Object.parse(noted.encode())
            pdf.save(out := io.BytesIO())
        assert not separate(out.getvalue(), "art.pdf", {}).fonts_lacking


def test_an_eps_that_shows_no_page_or_carries_a_preview_is_read_all_the_same(by_hand: bytes) -> None:
    """Its box is 50 × 40 mm; the patch has 60 × 40 points of 1/72 inch."""
    preview = struct.pack("<4s6IH", b"\xc5\xd0\xd3\xc6", 30, len(by_hand), 0, 0, 30 + len(by_hand), 9, 0xFFFF)
    for content in (by_hand, by_hand + b"showpage\n", preview + by_hand + b"II*\0 a tiff"):
        assert form_of(content) == "postscript" and postscript_of(content).startswith(b"%!PS")
        (art,) = read_art(content, "art.eps")
        assert art.natural_mm == pytest.approx((50, 40), abs=0.01)
        fill, line = read_vectors(art.vectors or b"").paths
        assert line.spots == ("Kiss cut",) and fill.paths[0].flatten(0.01).min(axis=0) == pytest.approx(
            (20 * 25.4 / 72, 20 * 25.4 / 72), abs=0.01
        )


def test_every_page_of_postscript_is_a_design() -> None:
    two = b"%!PS\n0 0 1 setrgbcolor 10 10 50 50 rectfill showpage 1 0 0 setrgbcolor 10 10 30 30 rectfill showpage\n"
    assert [len(read_vectors(art.vectors or b"").paths) for art in read_art(two, "two.ps")] == [1, 1]


@pytest.mark.parametrize(
    "program", [b"/x { x x } def x", b"(/etc/hostname) (r) file 99 string readline", b"1 0 div", b"("]
)
def test_a_program_that_reads_files_or_fails_ends_in_a_sentence(program: bytes) -> None:
    with pytest.raises(JobError, match="PostScript cannot be drawn"):
        read_art(b"%!PS\n" + program + b"\nshowpage\n", "odd.ps")


def test_the_lines_command_reads_an_eps(by_hand: bytes, tmp_path: Path) -> None:
    (tmp_path / "art.eps").write_bytes(by_hand)
    done = CliRunner().invoke(app, ["lines", str(tmp_path / "art.eps"), "--out", str(tmp_path / "lines.svg")])
    assert done.exit_code == 0, done.output
    (line,) = read_lines((tmp_path / "lines.svg").read_text(), "lines.svg").lines
    assert line.kind == "kiss" and shapely.Polygon(line.path.flatten(0.01)).area == pytest.approx(
        120 * 90 * (25.4 / 72) ** 2, rel=0.001
    )
