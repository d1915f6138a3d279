"""`etiquette plates` checked by programs that share no code with it: qpdf, poppler, pdfium, Ghostscript, zxing."""

import json
import re
import subprocess
import sys
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pikepdf
import pypdfium2
import pytest
import zxingcpp
from PIL import Image

from etiquette.core.aligning.windows import Window, find_code
from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.marking.codes import CodeKind, module_mm
from etiquette.core.marking.frame_plans import Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import CANNOT_SHOW, MarkRecipe
from etiquette.core.printing.coverage import coverage
from etiquette.core.printing.plates import FrameContent, colour_plate
from etiquette.files.lines_svg import read_lines
from tests.vector_art import label_pdf

POINT = 72 / 25.4
DISC_SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40" width="40mm" height="40mm" data-art="40,40"><path '
    'data-kind="kiss" d="M 20 -2 C 32.15 -2 42 7.85 42 20 C 42 32.15 32.15 42 20 42 C 7.85 42 -2 32.15 -2 20 C -2 '
    '7.85 7.85 -2 20 -2 Z"/></svg>'
)


SQUARE_SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 30" width="30mm" height="30mm" data-art="30,30"><path '
    'data-kind="through" d="M 0 0 L 30 0 L 30 30 L 0 30 Z"/></svg>'
)


def photo(size: int, seed: int = 1) -> np.ndarray:
    """Smooth noise with a grain: neither flat nor hopeless to compress."""
    random = np.random.default_rng(seed)
    coarse = random.normal(0, 1, (size // 50 + 2, size // 50 + 2, 3))
    big = np.asarray(
        Image.fromarray(((coarse + 3) / 6 * 255).clip(0, 255).astype(np.uint8)).resize(
            (size, size), Image.Resampling.BICUBIC
        )
    )
    return (big.astype(int) + random.integers(-2, 3, big.shape)).clip(0, 255).astype(np.uint8)


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, Any]]:
    """A picture with transparency, a JPEG and a customer's page; clear stock, white under one, clear over another."""
    folder = tmp_path_factory.mktemp("run")
    y, x = np.mgrid[:400, :400] - 199.5
    disc = np.dstack(
        [np.full((400, 400, 3), (30, 90, 200), np.uint8), np.where(np.hypot(x, y) < 199, 255, 0).astype(np.uint8)]
    )
    Image.fromarray(disc).save(folder / "disc.png", dpi=(254, 254))
    Image.fromarray(photo(300)).save(folder / "photo.jpg", quality=90, dpi=(254, 254))
    (folder / "label.pdf").write_bytes(label_pdf())
    (folder / "disc.svg").write_text(DISC_SVG)
    (folder / "square.svg").write_text(SQUARE_SVG)
    places = [
        ("disc", 0, 30, 30, 0),
        ("disc", 0, 120, 30, 90),
        ("photo", 0, 130, 20, 0),
        ("label", 0, 180, 20, 0),
        ("disc", 1, 30, 30, 0),
        ("label", 1, 130, 25, 90),
    ]
    run = {
        "name": "Proof",
        "customer": "Bell foundry",
        "stock": {"width_mm": 420, "ground": "clear", "primer": True},
        "designs": [
            {
                "id": "disc",
                "art": "disc.png",
                "lines": "disc.svg",
                "white": "art",
                "white_choke_mm": 0.3,
                "clear": "art",
            },
            {"id": "photo", "art": "photo.jpg", "clear": "line", "clear_raised": True, "lines": "square.svg"},
            {"id": "label", "art": "label.pdf"},
        ],
        "layout": {
            "length_mm": 100,
            "utilisation": 0.5,
            "seconds": 0,
            "stopped": "steps",
            "placements": [
                {"id": name, "copy": number + 1, "sheet": sheet, "x_mm": x, "y_mm": y, "rotation_deg": turn}
                for number, (name, sheet, x, y, turn) in enumerate(places)
            ],
            "unplaced": [],
        },
        "codes": ["K7Q2R9", "M4X8TC"],
        "companion": True,
        "line_names": {"through": "Durchschnitt"},
    }
    (folder / "RUN.json").write_text(json.dumps(run))
    command = [sys.executable, "-m", "etiquette.cli", "plates", str(folder / "RUN.json"), "-o", str(folder / "out")]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    return folder, json.loads(done.stdout)


def inked(file: Path) -> np.ndarray:
    """Where Ghostscript paints anything of a page, at 50 dots an inch."""
    command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pnggray", "-r50", "-sOutputFile=-", str(file)]
    page = Image.open(BytesIO(subprocess.run(command, capture_output=True, check=True).stdout))
    return np.asarray(page) < 255


def test_primer_lies_under_everything_that_is_printed_and_not_everywhere(made: tuple[Path, dict[str, Any]]) -> None:
    """Looked at by Ghostscript: no ink of any plate lies beside the primer."""
    folder, said = made
    for frame in said["frames"]:
        files = {name: folder / "out" / file for name, file in frame["files"].items()}
        primer = inked(files["primer.pdf"])
        for name in {"pdf", "white.pdf", "clear.pdf", "height.pdf"} & set(files):
            ink = inked(files[name])
            assert ink.any() and not (ink & ~primer).any(), name
        assert 0.05 < primer.mean() < 0.6


def test_every_file_passes_qpdf(made: tuple[Path, dict[str, Any]]) -> None:
    """Source: ISO 32000, checked by qpdf."""
    folder, said = made
    assert [sorted(frame["files"]) for frame in said["frames"]] == [
        ["clear.pdf", "companion.pdf", "height.pdf", "lines.svg", "pdf", "primer.pdf", "white.pdf"],
        ["clear.pdf", "companion.pdf", "lines.svg", "pdf", "primer.pdf", "white.pdf"],
    ]
    for file in (folder / "out").glob("*.pdf"):
        checked = subprocess.run(["qpdf", "--check", file], capture_output=True, text=True, check=True)
        assert "No syntax or stream encoding errors" in checked.stdout and "WARNING" not in checked.stderr
        with pikepdf.open(file) as pdf:
            assert pdf.pdf_version >= "1.7" and len(pdf.Root.OutputIntents) == 1
            page = pdf.pages[0]
            media, bleed, trim = ([float(one) for one in page[name]] for name in ("/MediaBox", "/BleedBox", "/TrimBox"))
            assert (
                media[0] <= bleed[0] <= trim[0] and trim[2] <= bleed[2] <= media[2] and media[1] <= bleed[1] <= trim[1]
            )


def rendered(file: Path, how: str, folder: Path, dpi: int = 127) -> np.ndarray:
    if how == "pdfium":
        image = pypdfium2.PdfDocument(file)[0].render(scale=dpi / 72).to_pil()
    elif how == "poppler":
        subprocess.run(["pdftoppm", "-r", str(dpi), "-png", "-singlefile", file, folder / "poppler"], check=True)
        image = Image.open(folder / "poppler.png")
    else:
        subprocess.run(
            [
                "gs",
                "-q",
                "-dSAFER",
                "-dBATCH",
                "-dNOPAUSE",
                "-sDEVICE=png16m",
                "-dTextAlphaBits=4",
                "-dGraphicsAlphaBits=4",
                f"-r{dpi}",
                f"-sOutputFile={folder / 'gs.png'}",
                file,
            ],
            check=True,
        )
        image = Image.open(folder / "gs.png")
    return np.asarray(image.convert("RGB")).astype(int)


def test_three_renderers_agree(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    """pdfium, poppler and Ghostscript: mean difference at most 1 % of full scale."""
    folder, _ = made
    for name in ("frame-1.pdf", "frame-2.pdf"):
        images = [rendered(folder / "out" / name, how, tmp_path) for how in ("pdfium", "poppler", "gs")]
        height, width = (min(one.shape[axis] for one in images) for axis in (0, 1))
        cut = [one[:height, :width] for one in images]
        for other in cut[1:]:
            assert np.abs(cut[0] - other).mean() / 255 <= 0.01


def separations(file: Path, folder: Path) -> dict[str, np.ndarray]:
    """Ghostscript's tiffsep: one grey file a separation, made into the share of ink."""
    for old in folder.glob("sep*"):
        old.unlink()
    target = folder / "sep.tif"
    subprocess.run(
        ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiffsep", "-r100", f"-sOutputFile={target}", file],
        check=True,
    )
    found = {}
    for one in folder.glob("sep*(*)*"):
        name = re.search(r"\((.*)\)", one.name)
        assert name
        found[name.group(1)] = 1 - np.asarray(Image.open(one).convert("L")) / 255
    return found


def test_separations_are_exactly_those_expected(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    """White under the discs, choked by 0.3 mm, and in patches under marks and codes; clear over them, raised
    over the photograph."""
    folder, said = made
    white = separations(folder / "out" / "frame-1.white.pdf", tmp_path)
    assert set(white) - {"Cyan", "Magenta", "Yellow", "Black"} == {"White"}
    assert all(white[ink].max() < 0.02 for ink in ("Cyan", "Magenta", "Yellow", "Black"))
    frame = said["frames"][0]
    page = white["White"]
    per_mm = 100 / 25.4

    def at(x: float, y: float) -> float:
        return float(page[page.shape[0] - 1 - int(y * per_mm), int(x * per_mm)])

    assert all(at(mark["x"] + 4, mark["y"] + 4) > 0.98 for mark in frame["marks"])
    assert all(at(code["x"], code["y"]) > 0.98 for code in frame["codes"])
    disc_x, disc_y = frame["shift"][0] + 30 + 20, frame["shift"][1] + 30 + 20
    assert at(disc_x + 19, disc_y) > 0.98 and at(disc_x + 20.3, disc_y) < 0.02
    clear = separations(folder / "out" / "frame-1.clear.pdf", tmp_path)
    assert set(clear) - {"Cyan", "Magenta", "Yellow", "Black"} == {"Clear"}
    # Ghostscript paints every pixel that a shape touches, so up to one more on each side
    disc = 2 * np.pi * 19.9**2
    assert disc <= clear["Clear"].sum() / per_mm**2 <= disc * (1 + 1 / (19.9 * per_mm)) ** 2
    raised = separations(folder / "out" / "frame-1.height.pdf", tmp_path)
    assert set(raised) - {"Cyan", "Magenta", "Yellow", "Black"} == {"Height"}
    assert 30 * 30 <= raised["Height"].sum() / per_mm**2 <= (30 + 2 / per_mm) ** 2  # all inside the line


def test_one_file_has_the_same_colours_and_spots(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    """Spots are multiplied: the process inks are those of the colour plate by itself, pixel for pixel but for edges."""
    folder, _ = made
    run = json.loads((folder / "RUN.json").read_text()) | {"files": "one", "companion": False}
    (folder / "ONE.json").write_text(json.dumps(run))
    subprocess.run(
        [sys.executable, "-m", "etiquette.cli", "plates", str(folder / "ONE.json"), "-o", str(tmp_path)],
        check=True,
        capture_output=True,
    )
    together = separations(tmp_path / "frame-1.pdf", tmp_path)
    alone = separations(folder / "out" / "frame-1.pdf", tmp_path)
    assert set(together) - set(alone) == {"Primer", "White", "Clear", "Height"}
    for ink in ("Cyan", "Magenta", "Yellow", "Black"):
        assert np.abs(together[ink] - alone[ink]).mean() < 0.003
    shown = rendered(tmp_path / "frame-1.pdf", "pdfium", tmp_path)
    assert np.abs(shown - rendered(folder / "out" / "frame-1.pdf", "pdfium", tmp_path)).mean() / 255 < 0.01


def test_codes_are_read_from_the_page(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    folder, said = made
    for frame in said["frames"]:
        image = rendered(folder / "out" / frame["files"]["pdf"], "poppler", tmp_path, 254).astype(np.uint8)
        assert {one.text for one in zxingcpp.read_barcodes(image)} == {code["payload"] for code in frame["codes"]}


@pytest.mark.parametrize("kind", ["data matrix", "qr", "code 128"])
@pytest.mark.parametrize("dpi", [150.0, 600.0])
def test_codes_of_the_page_survive_film_and_hands(kind: CodeKind, dpi: float) -> None:
    """The rendered page after 0.3 % stretch, 2° turn, blur and noise, decoded by zxing-cpp; pdfium at what a head sees,
    0.1 mm a pixel. Modules are whole dots of a printer of 150 or 600 dots an inch."""
    recipe = MarkRecipe(code=kind, code_module_mm=module_mm(kind, dpi))
    random = np.random.default_rng(3)
    for frame in ("K7Q2R9", "M4X8TC", "ABCDEF"):
        plan = plan_frame((0, 0, 200, 60), 300, recipe, Reach(1616, 3200), frame, f"{frame}-1")
        pdf = colour_plate(FrameContent({}, {}, [], plan, recipe, "Codes"))
        page = np.asarray(pypdfium2.PdfDocument(pdf)[0].render(scale=254 / 72).to_pil().convert("L"))
        for place in plan.codes:
            x, y = place.centre[0] * 10, page.shape[0] - place.centre[1] * 10
            part = page[max(0, int(y) - 250) : int(y) + 250, int(x) - 300 : int(x) + 300]
            middle = (part.shape[1] / 2, part.shape[0] / 2)
            matrix = cv2.getRotationMatrix2D(middle, 2, 1.0)
            matrix[:, 0] *= 1.003
            bent = cv2.warpAffine(part, matrix, part.shape[::-1], borderValue=255)
            hazy = 40 + 0.8 * cv2.GaussianBlur(bent, (0, 0), 1.0).astype(float)
            seen = find_code(
                Window(np.clip(hazy + random.normal(0, 6, hazy.shape), 0, 255).astype(np.uint8), 0, 0, 0.1)
            )
            assert seen is not None and seen.code == place.code


def test_two_marks_say_what_they_cannot_show_and_colour_and_count_are_printed() -> None:
    """Magenta marks take magenta and codes black, by Ghostscript's separations: areas by hand."""
    recipe = MarkRecipe(shape="square", size_mm=6, count="2", ink="magenta")
    plan = plan_frame((0, 0, 200, 60), 300, recipe, Reach(1616, 3200), "K7Q2R9", "K7Q2R9-1")
    (near, far) = plan.marks
    assert near.x > far.x and near.y < far.y and "bow" in CANNOT_SHOW[recipe.count]
    shares = coverage(colour_plate(FrameContent({}, {}, [], plan, recipe, "Two")), "two").shares
    page = 300 * plan.length_mm
    assert shares["Magenta"] * page == pytest.approx(2 * 36, rel=0.2) and shares["Cyan"] == shares["Yellow"] == 0
    assert shares["Black"] * page > 50


def test_placements_are_exact_in_the_file(made: tuple[Path, dict[str, Any]]) -> None:
    """Read back with pikepdf: the matrix of every placement, to 0.01 mm."""
    folder, said = made
    run = json.loads((folder / "RUN.json").read_text())
    for number, frame in enumerate(said["frames"]):
        wanted = [one for one in run["layout"]["placements"] if one["sheet"] == number]
        with pikepdf.open(folder / "out" / frame["files"]["pdf"]) as pdf:
            matrices = [
                [float(v) for v in operands]
                for operands, operator in pikepdf.parse_content_stream(pdf.pages[0])
                if str(operator) == "cm"
            ]
        assert len(matrices) == len(wanted)
        for one, (a, b, c, d, e, f) in zip(wanted, matrices, strict=True):
            turn = np.radians(one["rotation_deg"])
            assert (a, b, c, d) == pytest.approx((np.cos(turn), np.sin(turn), -np.sin(turn), np.cos(turn)), abs=1e-6)
            at = (one["x_mm"] + frame["shift"][0], one["y_mm"] + frame["shift"][1])
            assert (e / POINT, f / POINT) == pytest.approx(at, abs=0.01)


def test_lines_lie_on_the_print(made: tuple[Path, dict[str, Any]]) -> None:
    """The kiss line of the disc, 22 mm round its middle, in the millimetres of the page."""
    folder, said = made
    frame = said["frames"][0]
    file = read_lines((folder / "out" / frame["files"]["lines.svg"]).read_bytes(), "lines")
    middle = np.array(frame["shift"]) + 50
    first = file.lines[0].path.flatten(0.005)
    assert np.hypot(*(first - middle).T) == pytest.approx(np.full(len(first), 22), abs=0.02)


def test_a_jpeg_goes_in_as_it_came_and_vectors_stay_vectors(made: tuple[Path, dict[str, Any]]) -> None:
    folder, _ = made
    with pikepdf.open(folder / "out" / "frame-1.pdf") as pdf:
        images = [one for one in pdf.objects if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"]
        raw = [one.read_raw_bytes() for one in images if one.get("/Filter") == "/DCTDecode"]
        assert raw == [(folder / "photo.jpg").read_bytes()]
    with pikepdf.open(folder / "out" / "frame-2.pdf") as pdf:
        sizes = {
            (int(one.Width), int(one.Height))
            for one in pdf.objects
            if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"
        }
    assert sizes == {(400, 400), (2, 2)}  # the disc with its mask, and the picture that the customer's page holds


def test_the_companion_says_what_each_line_is(made: tuple[Path, dict[str, Any]]) -> None:
    """Source: ISO 19593-1:2018, from memory; read again by pikepdf, and by the reader of art, which trusts steps
    only."""
    folder, said = made
    content = (folder / "out" / said["frames"][0]["files"]["companion.pdf"]).read_bytes()
    with pikepdf.open(BytesIO(content)) as pdf:
        steps = {
            (str(g.Name), str(g.GTS_Metadata.GTS_ProcStepsGroup), str(g.GTS_Metadata.GTS_ProcStepsType))
            for g in pdf.Root.OCProperties.OCGs
        }
    assert ("Finish kiss", "/Structural", "/PartialCutting") in steps
    assert ("Durchschnitt", "/Structural", "/Cutting") in steps  # the shop's own name
    page = read_page(open_pdf(content, "companion"), 0, "companion")
    found = sort_paths(page.paths, DEFAULT_RULES)
    lines = read_lines((folder / "out" / said["frames"][0]["files"]["lines.svg"]).read_bytes(), "lines").lines
    assert {one.kind for one in found.caught} == {line.kind for line in lines}


def test_a_half_turn_turns_everything(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    folder, _ = made
    run = json.loads((folder / "RUN.json").read_text()) | {"half_turn": True, "companion": False}
    (folder / "TURN.json").write_text(json.dumps(run))
    subprocess.run(
        [sys.executable, "-m", "etiquette.cli", "plates", str(folder / "TURN.json"), "-o", str(tmp_path)],
        check=True,
        capture_output=True,
    )
    upright = rendered(folder / "out" / "frame-1.pdf", "pdfium", tmp_path)
    turned = rendered(tmp_path / "frame-1.pdf", "pdfium", tmp_path)
    assert np.abs(turned[::-1, ::-1] - upright).mean() / 255 < 0.01


@pytest.mark.parametrize(
    ("change", "what"),
    [
        ({"layout": "nothing.json"}, "cannot be read"),
        ({"codes": ["k7q2r9"]}, "codes"),
        ({"stock": {"width_mm": 200}}, "leaves 190 mm"),
        ({"marks": {"place": "stock", "inset_mm": 4}}, "would leave the stock"),
        ({"cutter": {"reach_across_mm": 100}}, "this cutter reads 100 mm"),
        ({"cutter": {"edge_mm": 120}}, "from 120 mm inside the edge"),
        ({"designs": [{"id": "disc", "art": "disc.png"}]}, "a design that the run does not have: label, photo"),
    ],
)
def test_what_cannot_be_made_is_said(
    made: tuple[Path, dict[str, Any]], change: dict[str, Any], what: str, tmp_path: Path
) -> None:
    folder, _ = made
    run = json.loads((folder / "RUN.json").read_text()) | change
    (folder / "BAD.json").write_text(json.dumps(run))
    done = subprocess.run(
        [sys.executable, "-m", "etiquette.cli", "plates", str(folder / "BAD.json"), "-o", str(tmp_path)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1 and what in json.dumps(json.loads(done.stdout)["error"])
