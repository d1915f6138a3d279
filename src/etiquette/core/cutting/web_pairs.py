"""The print file and the cut files of a label web as a matched pair, and the proof that they match: both are read back
and laid over each other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from io import BytesIO

import numpy as np
import pikepdf
import shapely
from shapely import Polygon, affinity

from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.artwork.vectors import PaintedPath, VectorPage
from etiquette.core.cutting import writers
from etiquette.core.cutting.motion import Motion, Stroke
from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import rounded
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.web_marks import WebMark
from etiquette.core.planning.webs import Box, CutLook, Cylinder, Label, Web, art_box, cuts
from etiquette.core.printing.art_forms import Art
from etiquette.core.printing.plates import PlateWish, SpotInk
from etiquette.core.printing.stack import SpecialInk
from etiquette.core.production.frames import FrameDesign, FrameFiles, frame_design, frame_files
from etiquette.core.units import MM_PER_POINT

AGREE_MM = 0.01
"""So near the files of a pair lie to each other, read back."""


@dataclass(frozen=True)
class WebFiles:
    """One page: what is printed, plates of further inks beside it, and how it is cut."""

    printed: FrameFiles
    cut_pdf: bytes
    cut_dxf: bytes
    plate_dxf: bytes | None = None
    """The drawing of a flexible plate, shorter along by what bending it adds."""
    station: tuple[Box, ...] = ()
    """Where the print file has marks that are not for the cut file."""


def label_design(
    art: Art, size_mm: tuple[float, float], web: Web, areas: Mapping[SpotInk, Sequence[Polygon]]
) -> FrameDesign:
    """Art whose middle lies in the middle of its label, printed as far as the bleed and no further."""
    die = rounded(_middled(web.label, size_mm), web.label.corner_mm)
    return frame_design(art, [die_line(web.label, size_mm)], die, areas, web.bleed_mm)


def die_line(label: Label, size_mm: tuple[float, float]) -> FinishLine:
    """The cut of a label in the middle of art of this size, in the art's own millimetres."""
    die = rounded(_middled(label, size_mm), label.corner_mm)
    return FinishLine("kiss", Path.from_points(np.asarray(die.exterior.coords)[:-1]))


def _middled(label: Label, size_mm: tuple[float, float]) -> Box:
    left, low = (size_mm[0] - label.width_mm) / 2, (size_mm[1] - label.height_mm) / 2
    return (left, low, left + label.width_mm, low + label.height_mm)


def placements(web: Web, designs: Mapping[str, FrameDesign], across: Sequence[str]) -> list[Placement]:
    """Every label of a page; column by column the designs of `across`, again and again."""
    made = []
    for number, (x0, y0, x1, y1) in enumerate(cuts(web)):
        name = across[number % web.columns % len(across)]
        turned = affinity.rotate(designs[name].outline, web.turn_deg, origin=(0, 0))
        a0, b0, a1, b1 = turned.bounds
        made.append(Placement(name, number, 0, (x0 + x1 - a0 - a1) / 2, (y0 + y1 - b0 - b1) / 2, web.turn_deg))
    return made


def web_files(
    web: Web,
    designs: Mapping[str, FrameDesign],
    across: Sequence[str],
    mark: WebMark | None,
    title: str,
    look: CutLook,
    wish: PlateWish,
    cylinder: Cylinder | None = None,
    station: Sequence[Box] = (),
    specials: Sequence[SpecialInk] = (),
) -> WebFiles:
    """The pair for a page, and for a flexible plate the drawing of one repeat. `station`: marks of a rotary station,
    which are printed and not cut by; `specials`: the shop's inks among the areas of the designs."""
    black = (*([mark.box] if mark else []), *station)
    plan = FramePlan(
        marks=(), codes=(), arrow=Polygon(), slug="", slug_at=(0.0, 0.0), shift=(0.0, 0.0), width_mm=web.width_mm,
        length_mm=web.length_mm, work=art_box(cuts(web), 0.0), own_marks=True, black=black,
    )  # fmt: skip
    printed = frame_files(designs, placements(web, designs, across), plan, MarkRecipe(), title, wish, specials=specials)
    profile = PROFILES["web-cutter"]
    style = replace(profile.style, stroke_mm=look.stroke_mm, marks="over" if look.mark_last else "under")
    profile = replace(profile, style=style, arcs=True)
    rings = outlines(web, look)
    marks = [Path.from_points(np.asarray(shapely.box(*mark.box).exterior.coords)[:-1])] if mark else []
    page = (web.width_mm, web.length_mm)
    motion = _motion(rings)
    around = outlines(replace(web, repeats=1), look)
    bent = _motion([ring * (1.0, cylinder.shrink) for ring in around]) if cylinder and cylinder.plate_mm else None
    return WebFiles(
        printed,
        writers.pdf(motion, profile, {}, marks, page),
        writers.dxf(motion, profile, {}, marks),
        writers.dxf(bent, profile, {}) if bent else None,
        tuple(station),
    )


def _motion(rings: Sequence[np.ndarray]) -> Motion:
    return Motion(tuple(Stroke("kiss", ring, number) for number, ring in enumerate(rings)), 0.0, 0.0, 0.0)


def outlines(web: Web, look: CutLook) -> list[np.ndarray]:
    """Closed rings (n, 2) of what is cut, page millimetres."""
    corner = web.label.corner_mm if look.corner_mm is None else look.corner_mm
    inset = web.bleed_mm if look.inset_mm is None else look.inset_mm
    rings = []
    for x0, y0, x1, y1 in cuts(web):
        by = inset - web.bleed_mm
        end = y1 + web.bleed_mm if look.top_at_art else y1 - by
        rings.append(np.asarray(rounded((x0 + by, y0 + by, x1 - by, end), corner).exterior.coords))
    return rings


# --- read back


def disagreements(files: WebFiles, within_mm: float = AGREE_MM) -> list[str]:
    """Where the files of a pair do not match, in sentences; empty: they do. All of it is read from the files alone."""
    arts, printed_marks, size = _printed(files.printed.colour)
    marks, missing = _without(printed_marks, files.station, within_mm)
    cut = read_page(open_pdf(files.cut_pdf, "cut.pdf"), 0, "cut.pdf")
    drawing = read_dxf(files.cut_dxf, "cut.dxf")
    found = []
    if not np.allclose(size, (cut.width_mm, cut.height_mm), atol=within_mm):
        found.append("The pages of the print file and of the cut file are not of one size.")
    if missing:
        found.append("A mark of the rotary station is not where it should be printed.")
    outlined, cut_marks = _boxes(cut, filled=False), _boxes(cut, filled=True)
    if not _same(marks, cut_marks, within_mm):
        found.append("The mark does not lie at one place in the print file and in the cut file.")
    # a drawing has no page: its lines are laid on by what it holds, mark and outlines together
    lines = np.vstack([outlined, cut_marks])
    every = _boxes(drawing, filled=False)
    if not _same(lines - _low(lines), every - _low(every), within_mm):
        found.append("The lines of the two cut files are not the same.")
    if len(outlined) != len(arts):
        found.append(f"{len(arts)} labels are printed, and {len(outlined)} are cut.")
    else:
        over = np.maximum(arts[:, :2] - outlined[:, :2], outlined[:, 2:] - arts[:, 2:]).max()
        if over > within_mm:
            found.append(f"An outline leaves the art of its label by {over:.2f} mm.")
    return found


def _without(marks: np.ndarray, station: Sequence[Box], within_mm: float) -> tuple[np.ndarray, bool]:
    """`marks` but for those of the rotary station; whether one of these is not among them."""
    kept = list(marks)
    for box in station:
        there = [number for number, one in enumerate(kept) if np.allclose(one, box, atol=within_mm)]
        if not there:
            return marks, True
        del kept[there[0]]
    return _rows(kept), False


def _boxes(page: VectorPage, filled: bool) -> np.ndarray:
    """(n, 4) boxes of what is filled in pure black, or stroked, in order across and along."""
    return _rows([_bounds(path) for one in page.paths if _counts(one, filled) for path in one.paths])


def _counts(one: PaintedPath, filled: bool) -> bool:
    if not filled:
        return one.stroke is not None
    return one.fill is not None and one.fill.colour == "#000000"


def _bounds(path: Path) -> list[float]:
    points = path.flatten(0.001)
    return [*points.min(axis=0), *points.max(axis=0)]


def _sorted(boxes: np.ndarray) -> np.ndarray:
    """By the middle, along first; what lies within a tenth of a millimetre stands in one row."""
    middle = np.round((boxes[:, :2] + boxes[:, 2:]) / 2, 1)
    return np.asarray(boxes[np.lexsort((middle[:, 0], middle[:, 1]))])


def _low(boxes: np.ndarray) -> np.ndarray:
    corner = boxes[:, :2].min(axis=0) if len(boxes) else np.zeros(2)
    return np.concatenate([corner, corner])


def _same(one: np.ndarray, two: np.ndarray, within_mm: float) -> bool:
    return len(one) == len(two) and bool(np.allclose(_sorted(one), _sorted(two), atol=within_mm))


def _printed(plate: bytes) -> tuple[np.ndarray, np.ndarray, tuple[float, float]]:
    """Of a plate: the (n, 4) boxes of its placed forms, those of what the page itself fills in full black, and the size
    of the page, mm."""
    matrix, labels, marks = np.eye(3), [], []
    held: list[np.ndarray] = []
    points: list[tuple[float, float]] = []
    with pikepdf.open(BytesIO(plate)) as pdf:
        page = pdf.pages[0]
        for operands, operator in pikepdf.parse_content_stream(page):
            name = str(operator)
            if name == "q":
                held.append(matrix)
            elif name == "Q":
                matrix = held.pop()
            elif name == "cm":
                a, b, c, d, e, f = (float(value) for value in operands)
                matrix = np.array([[a, b, 0], [c, d, 0], [e, f, 1]]) @ matrix
            elif name in ("m", "l"):
                points.append((float(operands[0]), float(operands[1])))
            elif name == "f":
                marks.append(_carried(points, matrix))
                points = []
            elif name == "Do":
                x0, y0, x1, y1 = (float(value) for value in page.Resources.XObject[str(operands[0])].BBox)
                labels.append(_carried([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], matrix))
        left, low, right, top = (float(value) * MM_PER_POINT for value in page.mediabox)
    return _rows(labels), _rows(marks), (right - left, top - low)


def _carried(points: Sequence[tuple[float, float]], matrix: np.ndarray) -> list[float]:
    """The box of `points` (PDF points) where `matrix` puts them, mm."""
    there = (np.column_stack([points, np.ones(len(points))]) @ matrix)[:, :2] * MM_PER_POINT
    return [*there.min(axis=0), *there.max(axis=0)]


def _rows(boxes: Sequence[Sequence[float]]) -> np.ndarray:
    return _sorted(np.array(boxes)) if boxes else np.zeros((0, 4))
