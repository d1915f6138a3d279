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
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import offset, polygons_of
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.web_marks import WebMark
from etiquette.core.planning.web_shapes import Place, cut_of
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
    shaped: bool = False
    """Labels have a shape of their own, which their art goes round at every place."""


def label_design(art: Art, middle_mm: Place, web: Web, areas: Mapping[SpotInk, Sequence[Polygon]]) -> FrameDesign:
    """Art of which `middle_mm` lies in the middle of its label, printed as far as the bleed and no further."""
    die = cut_of(web.label, _round(web.label, middle_mm))
    return frame_design(art, [die_line(web.label, middle_mm)], die, areas, web.bleed_mm)


def die_line(label: Label, middle_mm: Place) -> FinishLine:
    """The cut of a label round `middle_mm`, in the art's own millimetres."""
    die = cut_of(label, _round(label, middle_mm))
    return FinishLine("kiss", Path.from_points(np.asarray(die.exterior.coords)[:-1]))


def _round(label: Label, middle_mm: Place) -> Box:
    left, low = middle_mm[0] - label.width_mm / 2, middle_mm[1] - label.height_mm / 2
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
    profile = replace(profile, style=style, arcs=True, tolerance_mm=min(profile.tolerance_mm, AGREE_MM))
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
        bool(web.label.shape),
    )


def _motion(rings: Sequence[np.ndarray]) -> Motion:
    return Motion(tuple(Stroke("kiss", ring, number) for number, ring in enumerate(rings)), 0.0, 0.0, 0.0)


def outlines(web: Web, look: CutLook) -> list[np.ndarray]:
    """Closed rings (n, 2) of what is cut, page millimetres."""
    by = (web.bleed_mm if look.inset_mm is None else look.inset_mm) - web.bleed_mm
    if web.label.shape:
        return [_inside(cut_of(web.label, box, web.turn_deg), by) for box in cuts(web)]
    rings = []
    for x0, y0, x1, y1 in cuts(web):
        end = y1 + web.bleed_mm if look.top_at_art else y1 - by
        inside = cut_of(web.label, (x0 + by, y0 + by, x1 - by, end), corner_mm=look.corner_mm)
        rings.append(np.asarray(inside.exterior.coords))
    return rings


def _inside(cut: Polygon, by_mm: float) -> np.ndarray:
    """The ring that lies `by_mm` inside a cut. Raises JobError where the label is too narrow for it."""
    parts = polygons_of(offset(cut, -by_mm, AGREE_MM / 4))
    if len(parts) != 1:
        what = f"An outline {by_mm:.2f} mm inside the cut leaves {len(parts) or 'no'} parts of the label."
        raise JobError(what, "cut file", "Set the outline less far inside the art.")
    return np.asarray(parts[0].exterior.coords)


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
    outlined, cut_marks = _rings(cut, filled=False), _rings(cut, filled=True)
    if not _same(marks, _boxes(cut_marks), within_mm):
        found.append("The mark does not lie at one place in the print file and in the cut file.")
    # a drawing has no page: its lines are laid on by what it holds, mark and outlines together
    if not _alike(_from_corner([*outlined, *cut_marks]), _from_corner(_rings(drawing, filled=False)), within_mm):
        found.append("The lines of the two cut files are not the same.")
    if len(outlined) != len(arts):
        found.append(f"{len(arts)} labels are printed, and {len(outlined)} are cut.")
    elif (over := _over(arts, outlined, files.shaped)) > within_mm:
        found.append(f"An outline leaves the art of its label by {over:.2f} mm.")
    return found


def _over(arts: Sequence[Polygon], outlines: Sequence[Polygon], shaped: bool) -> float:
    """How far an outline leaves its art at most: of rectangles by their boxes, since corners may be rounder than the
    art's; of shapes anywhere."""
    if shaped:
        return max(_outside(outline, art) for outline, art in zip(outlines, arts, strict=True))
    inner, outer = _boxes(outlines), _boxes(arts)
    return float(np.maximum(outer[:, :2] - inner[:, :2], inner[:, 2:] - outer[:, 2:]).max())


def _outside(outline: Polygon, art: Polygon) -> float:
    return float(shapely.distance(shapely.points(outline.exterior.coords), art).max())


def _without(marks: Sequence[Polygon], station: Sequence[Box], within_mm: float) -> tuple[np.ndarray, bool]:
    """The boxes of `marks` but for those of the rotary station; whether one of these is not among them."""
    kept = list(marks)
    for box in station:
        there = [number for number, one in enumerate(kept) if np.allclose(one.bounds, box, atol=within_mm)]
        if not there:
            return _boxes(marks), True
        del kept[there[0]]
    return _boxes(kept), False


def _rings(page: VectorPage, filled: bool) -> list[Polygon]:
    """What is filled in pure black, or stroked, in order across and along."""
    paths = [path for one in page.paths if _counts(one, filled) for path in one.paths]
    return _sorted([Polygon(points) for path in paths if len(points := path.flatten(0.001)) > 3])


def _boxes(rings: Sequence[Polygon]) -> np.ndarray:
    """(n, 4)"""
    return np.array([ring.bounds for ring in rings]).reshape(-1, 4)


def _counts(one: PaintedPath, filled: bool) -> bool:
    if not filled:
        return one.stroke is not None
    return one.fill is not None and one.fill.colour == "#000000"


def _sorted(rings: Sequence[Polygon]) -> list[Polygon]:
    """By the middle, along first; what lies within a tenth of a millimetre stands in one row."""

    def place(ring: Polygon) -> tuple[float, float]:
        x0, y0, x1, y1 = ring.bounds
        return round((y0 + y1) / 2, 1), round((x0 + x1) / 2, 1)

    return sorted(rings, key=place)


def _from_corner(rings: Sequence[Polygon]) -> list[Polygon]:
    """All moved together, so that the lower left of what they span is at 0."""
    low = _boxes(rings)[:, :2].min(axis=0) if rings else (0.0, 0.0)
    return _sorted([affinity.translate(ring, -low[0], -low[1]) for ring in rings])


def _alike(one: Sequence[Polygon], two: Sequence[Polygon], within_mm: float) -> bool:
    """Whether rings lie on each other, each all the way."""
    pairs = zip(one, two, strict=False)
    return len(one) == len(two) and all(a.exterior.hausdorff_distance(b.exterior) <= within_mm for a, b in pairs)


def _same(one: np.ndarray, two: np.ndarray, within_mm: float) -> bool:
    return len(one) == len(two) and bool(np.allclose(one, two, atol=within_mm))


def _printed(plate: bytes) -> tuple[list[Polygon], list[Polygon], tuple[float, float]]:
    """Of a plate: what each of its placed forms is kept to, what the page itself fills in full black, and the size of
    the page, mm."""
    matrix, labels, marks = np.eye(3), [], []
    held: list[np.ndarray] = []
    points: list[tuple[float, float]] = []
    kept: dict[str, list[tuple[float, float]]] = {}
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
                form = str(operands[0])
                if form not in kept:
                    kept[form] = _clip(page.Resources.XObject[form])
                labels.append(_carried(kept[form], matrix))
        left, low, right, top = (float(value) * MM_PER_POINT for value in page.mediabox)
    return _sorted(labels), _sorted(marks), (right - left, top - low)


def _clip(form: pikepdf.Object) -> list[tuple[float, float]]:
    """The ring that a form keeps its art to: the first of its paths, all straight."""
    ring: list[tuple[float, float]] = []
    for operands, operator in pikepdf.parse_content_stream(form):
        if str(operator) in ("m", "l"):
            ring.append((float(operands[0]), float(operands[1])))
        elif str(operator) in ("W", "W*"):
            break
    return ring


def _carried(points: Sequence[tuple[float, float]], matrix: np.ndarray) -> Polygon:
    """The ring of `points` (PDF points) where `matrix` puts them, mm."""
    return Polygon((np.column_stack([points, np.ones(len(points))]) @ matrix)[:, :2] * MM_PER_POINT)
