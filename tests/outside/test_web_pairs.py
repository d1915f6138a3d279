"""The pair of files of a label web, read back by programs nobody here wrote: PDFium (pages, paths, pixels) and ezdxf
(drawing). Numbers of the trade: common practice, no published source."""

import ctypes
import json
from collections.abc import Callable, Sequence
from dataclasses import replace
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pypdfium2 as pdfium
import pypdfium2.raw as raw
import pytest
import shapely
from ezdxf.path import make_path
from PIL import Image, ImageDraw
from shapely import Polygon
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.artwork.raster import Picture
from etiquette.core.cutting.web_pairs import WebFiles, disagreements, label_design, web_files
from etiquette.core.errors import JobError
from etiquette.core.planning.web_marks import StationMark, WebMark, station_boxes
from etiquette.core.planning.webs import UNWINDING, Box, CutLook, Cylinder, Label, Web, cuts
from etiquette.core.printing.art_forms import PictureArt
from etiquette.core.printing.plates import PlateWish

MM = 25.4 / 72
WITHIN_MM = 0.01
WEB = Web(
    Label(40, 24, 2), 110.0, columns=2, rows=3, gap_across_mm=6, gap_along_mm=5, bleed_mm=1.5, from_left_mm=16.0
)  # fmt: skip
MARK = WebMark(7.0, 0.0, 4.0, 3.0)
LOOK = CutLook(stroke_mm=0.1, inset_mm=1.0, corner_mm=3.0, top_at_art=True)


def picture(width: int = 430, height: int = 270) -> Picture:
    """Blue, with a red bar at its head: ten pixels to a millimetre of a label with its bleed."""
    image = Image.new("RGBA", (width, height), (40, 70, 160, 255))
    ImageDraw.Draw(image).rectangle((0, 0, width, 60), fill=(220, 30, 30, 255))
    return Picture(np.array(image), 254.0)


def pair(
    web: Web = WEB,
    mark: WebMark | None = MARK,
    look: CutLook = LOOK,
    cylinder: Cylinder | None = None,
    station: Sequence[Box] = (),
) -> WebFiles:
    size = (web.label.width_mm + 2 * web.bleed_mm, web.label.height_mm + 2 * web.bleed_mm)
    design = label_design(PictureArt(picture(), *size, Polygon()), (size[0] / 2, size[1] / 2), web, {})
    return web_files(web, {"one": design}, ["one"], mark, "Labels", look, PlateWish(), cylinder, station)


def paths(content: bytes) -> list[tuple[bool, bool, float, np.ndarray]]:
    """Of every path of the page, in the order it is painted: filled, stroked, width of its stroke and box, in mm."""
    found = []
    for one in pdfium.PdfDocument(content)[0].get_objects(filter=[raw.FPDF_PAGEOBJ_PATH], max_depth=1):
        fill, stroke, width = ctypes.c_int(), ctypes.c_int(), ctypes.c_float()
        raw.FPDFPath_GetDrawMode(one, fill, stroke)
        raw.FPDFPageObj_GetStrokeWidth(one, width)
        points = []
        for number in range(raw.FPDFPath_CountSegments(one)):
            x, y = ctypes.c_float(), ctypes.c_float()
            raw.FPDFPathSegment_GetPoint(raw.FPDFPath_GetPathSegment(one, number), x, y)
            points.append((x.value, y.value))
        box = np.array([*np.min(points, axis=0), *np.max(points, axis=0)]) * MM
        found.append((bool(fill.value), bool(stroke.value), width.value * MM, box))
    return found


def drawn(content: bytes) -> dict[str, list[np.ndarray]]:
    """Boxes of what a drawing holds, by layer, mm."""
    drawing = ezdxf.read(StringIO(content.decode()))
    assert drawing.units == ezdxf.units.MM
    found: dict[str, list[np.ndarray]] = {}
    for one in drawing.modelspace():
        points = np.array([(place.x, place.y) for place in make_path(one).flattening(0.001)])
        found.setdefault(one.dxf.layer, []).append(np.array([*points.min(axis=0), *points.max(axis=0)]))
    return found


def test_the_files_of_a_pair_lie_on_each_other() -> None:
    files = pair()
    sizes = [pdfium.PdfDocument(one)[0].get_size() for one in (files.printed.colour, files.cut_pdf)]
    assert np.array(sizes) * MM == pytest.approx(np.array([[WEB.width_mm, WEB.length_mm]] * 2), abs=WITHIN_MM)
    cut = paths(files.cut_pdf)
    marks = [box for fill, _, _, box in cut if fill]
    (printed,) = [box for fill, _, _, box in paths(files.printed.colour) if fill]
    assert len(marks) == 1 and printed == pytest.approx(marks[0], abs=WITHIN_MM)
    assert printed == pytest.approx(np.array(MARK.box), abs=WITHIN_MM)
    held = drawn(files.cut_dxf)
    assert set(held) == {"kiss", "marks"} and held["marks"][0] == pytest.approx(printed, abs=WITHIN_MM)
    # 1 mm inside the art of each label, its end at the end of the art
    asked = np.array([(x0 - 0.5, y0 - 0.5, x1 + 0.5, y1 + 1.5) for x0, y0, x1, y1 in cuts(WEB)])
    assert np.array(held["kiss"]) == pytest.approx(asked, abs=WITHIN_MM)
    outlines = np.array([box for fill, _, _, box in cut if not fill])
    # all outlines are one path of the page: its box is round all of them
    assert outlines[0] == pytest.approx([*asked[:, :2].min(axis=0), *asked[:, 2:].max(axis=0)], abs=WITHIN_MM)
    assert disagreements(files) == []


def test_a_page_of_several_repeats_has_one_mark_and_a_stations_mark_beside_each() -> None:
    web = replace(WEB, repeats=3)
    station = station_boxes(web, StationMark("right", 3.0, 6.0, 2.0, first_mm=20.0))
    files = pair(web, station=station, cylinder=Cylinder(60, 4.0, plate_mm=0.5))
    printed = [box for fill, _, _, box in paths(files.printed.colour) if fill]
    held = drawn(files.cut_dxf)
    assert len(held["marks"]) == 1 and len(held["kiss"]) == 18 and len(drawn(files.plate_dxf or b"")["kiss"]) == 6
    step = WEB.length_mm
    assert [list(one) for one in station] == [[101, 20 + n * step, 107, 22 + n * step] for n in range(3)]
    # all that the page itself fills is one path or several: its box is round mark and station's marks
    whole = np.array(printed)
    assert [*whole[:, :2].min(axis=0), *whole[:, 2:].max(axis=0)] == pytest.approx([7, 0, 107, 22 + 2 * step], abs=0.01)
    assert disagreements(files) == []
    moved = replace(files, station=tuple((x0, y0 + 0.05, x1, y1 + 0.05) for x0, y0, x1, y1 in station))
    assert "A mark of the rotary station is not where it should be printed." in disagreements(moved)


def test_the_cut_file_is_the_outlines_and_the_mark_above_them_and_nothing_else() -> None:
    (first, last) = paths(pair().cut_pdf)
    assert first[:2] == (False, True) and first[2] == pytest.approx(0.1, abs=1e-3)
    assert last[:2] == (True, False)
    under = paths(pair(look=replace(LOOK, mark_last=False)).cut_pdf)
    assert [fill for fill, *_ in under] == [True, False]
    assert [fill for fill, *_ in paths(pair(mark=None).cut_pdf)] == [False]


def test_the_print_holds_the_mark_in_full_black_and_no_outline() -> None:
    page = pdfium.PdfDocument(pair().printed.colour)[0]
    assert [stroke for _, stroke, *_ in paths(pair().printed.colour)] == [False]
    shown = np.asarray(page.render(scale=200 / 72).to_pil().convert("L")).astype(int)
    x0, y0, x1, y1 = (round(value / 25.4 * 200) for value in MARK.box)
    high = shown.shape[0]
    assert shown[high - y1 + 2 : high - y0 - 2, x0 + 2 : x1 - 2].max() < 60  # what PDFium shows of black ink alone
    assert shown[: high - 5, : x0 - 4].min() == 255 and shown[high - y1 + 2, x1 + 3] == 255


@pytest.mark.parametrize("number", sorted(UNWINDING))
def test_the_side_that_leads_off_the_roll_is_printed_last(number: int) -> None:
    """The head of the art is red: where it lies on the page tells which side lies at the end."""
    web = replace(WEB, unwinding=number, columns=1, rows=1, from_left_mm=None, repeat_mm=60.0)
    page = pdfium.PdfDocument(pair(web, None).printed.colour)[0]
    shown = np.asarray(page.render(scale=100 / 72).to_pil().convert("RGB")).astype(int)
    red = (shown[..., 0] > 150) & (shown[..., 2] < 100)
    blue = (shown[..., 2] > 120) & (shown[..., 0] < 100)
    across, along = (red.nonzero()[axis].mean() - blue.nonzero()[axis].mean() for axis in (1, 0))
    head = "end" if along < -20 / 2 else "start" if along > 20 / 2 else "right" if across > 0 else "left"
    assert head == {"head": "end", "foot": "start", "right": "left", "left": "right"}[UNWINDING[number][1]]


ANGLES = np.linspace(0, 2 * np.pi, 121)[:-1]
OVAL = tuple((float(x), float(y)) for x, y in np.column_stack([np.cos(ANGLES), np.sin(ANGLES)]) / 2 + 0.5)
FIN = ((0.0, 0.0), (1.0, 0.0), (1.0, 0.35), (0.6, 1.0), (0.0, 0.7))


def shaped(shape: tuple[tuple[float, ...], ...], unwinding: int) -> Web:
    return replace(WEB, label=Label(40, 24, shape=shape), unwinding=unwinding, from_left_mm=None)


@pytest.mark.parametrize("unwinding", [1, 2, 3, 4])
@pytest.mark.parametrize("shape", [OVAL, FIN], ids=["oval", "fin"])
def test_labels_of_any_shape_are_printed_round_their_cut_as_far_as_the_bleed(
    shape: tuple[tuple[float, ...], ...], unwinding: int
) -> None:
    """What PDFium shows of the print lies within 1.5 mm of the lines that ezdxf reads from the drawing, and fills
    it."""
    web = shaped(shape, unwinding)
    files = pair(web, None, CutLook())
    assert disagreements(files) == []
    drawing = ezdxf.read(StringIO(files.cut_dxf.decode()))
    rings = [Polygon([(at.x, at.y) for at in make_path(one).flattening(0.001)]) for one in drawing.modelspace()]
    low = np.array(cuts(web))[:, :2].min(axis=0)  # a drawing has no page: its corner is that of all cuts
    whole = shapely.union_all(rings)
    cut = shapely.transform(whole, lambda points: points - np.array(whole.bounds[:2]) + low)
    assert len(rings) == web.labels and cut.area == pytest.approx(web.labels * web.label.area_mm2, rel=1e-3)
    shown = np.asarray(pdfium.PdfDocument(files.printed.colour)[0].render(scale=200 / 72).to_pil().convert("L"))
    # PDFium stretches a page to whole dots
    x = (np.arange(shown.shape[1]) + 0.5) * web.width_mm / shown.shape[1]
    y = web.length_mm - (np.arange(shown.shape[0]) + 0.5) * web.length_mm / shown.shape[0]
    places, dot = shapely.points(*np.meshgrid(x, y)), 25.4 / 200
    inner, outer = cut.buffer(web.bleed_mm - dot), cut.buffer(web.bleed_mm + dot)
    for area in (inner, outer):
        shapely.prepare(area)
    assert shown[shapely.contains(inner, places)].max() < 200
    assert shown[~shapely.contains(outer, places)].min() == 255


def test_outlines_that_are_turned_otherwise_than_their_art_are_found_out() -> None:
    """Half a turn leaves every box where it was."""
    files, turned = (pair(shaped(FIN, unwinding), None, CutLook()) for unwinding in (1, 2))
    swapped = replace(files, cut_pdf=turned.cut_pdf, cut_dxf=turned.cut_dxf)
    assert any("leaves the art of its label" in one for one in disagreements(swapped))
    assert any("two cut files" in one for one in disagreements(replace(files, cut_dxf=turned.cut_dxf)))


def moved(files: WebFiles) -> WebFiles:
    return replace(files, cut_pdf=pair(mark=replace(MARK, x=7.2)).cut_pdf)


def other_drawing(files: WebFiles) -> WebFiles:
    return replace(files, cut_dxf=pair(look=replace(LOOK, inset_mm=1.2)).cut_dxf)


def fewer(files: WebFiles) -> WebFiles:
    few = pair(replace(WEB, rows=2, repeat_mm=WEB.length_mm))
    return replace(files, cut_pdf=few.cut_pdf, cut_dxf=few.cut_dxf)


def longer(files: WebFiles) -> WebFiles:
    return replace(files, cut_pdf=pair(replace(WEB, repeat_mm=WEB.length_mm + 0.5)).cut_pdf)


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (moved, "mark does not lie at one place"),
        (other_drawing, "lines of the two cut files"),
        (fewer, "6 labels are printed, and 4 are cut"),
        (longer, "not of one size"),
        (lambda files: replace(files, cut_pdf=pair(look=CutLook(inset_mm=-1.0)).cut_pdf), "leaves the art"),
    ],
)
def test_a_pair_that_does_not_match_is_found_out(spoil: Callable[[WebFiles], WebFiles], said: str) -> None:
    assert any(said in one for one in disagreements(spoil(pair())))


def test_the_drawing_of_a_flexible_plate_is_shorter_along_and_no_narrower() -> None:
    files = pair()
    assert files.plate_dxf is None
    cylinder = Cylinder(100, WEB.length_mm / 100, plate_mm=0.5)
    size = (WEB.label.width_mm + 2 * WEB.bleed_mm, WEB.label.height_mm + 2 * WEB.bleed_mm)
    design = label_design(PictureArt(picture(), *size, Polygon()), (size[0] / 2, size[1] / 2), WEB, {})
    plate = web_files(WEB, {"one": design}, ["one"], MARK, "Labels", LOOK, PlateWish(), cylinder).plate_dxf
    assert plate is not None and set(drawn(plate)) == {"kiss"}
    shrink = 1 - np.pi / WEB.length_mm  # 2 π × 0.5 mm less on a way round as long as the repeat
    bent, flat = np.array(drawn(plate)["kiss"]), np.array(drawn(files.cut_dxf)["kiss"])
    assert bent == pytest.approx(flat * [1, shrink, 1, shrink], abs=WITHIN_MM)


# --- the command


def described(folder: Path, **changes: Any) -> Path:
    (folder / "label.png").write_bytes(as_png())
    art = [{"id": "one", "art": "label.png", "width_mm": 43}]
    rules = {"width_mm": [3, 6], "height_mm": [3], "left_mm": [5, 10], "bottom_mm": [0, 0], "right_of_mark_mm": 2}
    web = {
        "label": {"width_mm": 40, "height_mm": 24, "corner_mm": 2}, "art": art, "width_mm": 110, "columns": 2,
        "rows": 3, "gap_across_mm": 6, "gap_along_mm": 5, "bleed_mm": 1.5, "from_left_mm": 16,
        "mark": {"rules": rules}, "rolls": {"count": 1000},
    }  # fmt: skip
    file = folder / "WEB.json"
    file.write_text(json.dumps(web | changes))
    return file


def as_png() -> bytes:
    out = BytesIO()
    Image.fromarray(picture().pixels).save(out, "PNG")
    return out.getvalue()


def run(file: Path) -> dict[str, Any]:
    said = CliRunner().invoke(app, ["web", str(file), "-o", str(file.parent / "out")])
    if said.exception is not None and not isinstance(said.exception, SystemExit):
        raise said.exception
    return dict(json.loads(said.stdout))


def test_the_command_writes_the_pair_and_the_arithmetic(tmp_path: Path) -> None:
    said = run(described(tmp_path))
    assert said["files"] == ["print.pdf", "cut.pdf", "cut.dxf"]
    assert said["sums"]["art_width_mm"] == 43 and said["sums"]["gap_along_set_mm"] == 2
    assert said["making"]["repeats"] == 167  # 1,000 labels, 500 of each lane, three of a lane on a repeat
    (mark,) = [box for fill, _, _, box in paths((tmp_path / "out" / "cut.pdf").read_bytes()) if fill]
    assert mark == pytest.approx([7.5, 0.0, 10.5, 3.0], abs=WITHIN_MM)


def test_the_command_cuts_a_shape_stretched_to_its_label(tmp_path: Path) -> None:
    label = {"width_mm": 40, "height_mm": 24, "shape": [list(one) for one in FIN]}
    run(described(tmp_path, label=label))
    rings = drawn((tmp_path / "out" / "cut.dxf").read_bytes())["kiss"]
    assert len(rings) == 6 and np.ptp(rings[0].reshape(2, 2), axis=0) == pytest.approx([40, 24], abs=WITHIN_MM)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"gap_along_mm": 2}, "bleeds of labels behind each other overlap by 1.00 mm"),
        ({"from_left_mm": 8}, "The mark lies on art"),
        ({"across": ["two"]}, "across names art that is not there"),
        ({"art": [{"id": "one", "art": "none.png"}]}, "cannot be read"),
        ({"applicator": {"unwinding": 3}}, "unwinds as 1"),
        ({"rows": 0}, "rows"),
        ({"label": {"width_mm": 40, "height_mm": 24, "shape": [[0, 0], [1, 1], [1, 0], [0, 1]]}}, "crosses itself"),
    ],
)
def test_what_cannot_be_made_is_a_sentence_and_writes_nothing(
    tmp_path: Path, changes: dict[str, Any], said: str
) -> None:
    with pytest.raises(JobError) as refused:
        run(described(tmp_path, **changes))
    assert said in f"{refused.value.what} {refused.value.where} {refused.value.do}"
    assert not (tmp_path / "out").exists()
