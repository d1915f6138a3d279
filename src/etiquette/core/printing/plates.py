"""The plates of a run, each one PDF page. Colour: art placed, marks, codes, arrow and slug in; finish lines not. White
and the other inks: areas of one spot, in register with it. What is seen from the other side is a plate of colours too.

Every distinct design is one form XObject, placed as often as it is needed; its picture is embedded once, losslessly
(ISO 32000-1: 8.10 form XObjects, 8.9 images, 7.4.4 Flate with PNG predictors). The page has the leading edge at the
bottom and is as large as the run."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from io import BytesIO

import numpy as np
import pikepdf
import shapely
from pikepdf import Array, Dictionary, Name
from PIL import ImageCms
from shapely import Polygon, affinity

from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import figure
from etiquette.core.marking.codes import code_modules
from etiquette.core.marking.frame_plans import CodePlace, FramePlan, Note
from etiquette.core.marking.marks import MARK_INKS, MarkRecipe, mark_paths
from etiquette.core.marking.proofs import clear_zones
from etiquette.core.marking.slugs import slug_outlines
from etiquette.core.marking.strips import PATCH_MM, STOCK
from etiquette.core.planning.problem import Placement
from etiquette.core.printing.art_forms import (
    Art,
    OtherSide,
    SpotArt,
    art_form,
    drawn,
    matrix_of,
    other_side_form,
    points,
    ring,
    separation,
    spot_form,
)
from etiquette.core.printing.filled import FilledInk, PictureOf
from etiquette.core.printing.intents import Intent
from etiquette.core.units import MM_PER_POINT
from etiquette.core.variable.filling import FilledCopy

LONGEST_PAGE_POINTS = 14_400.0
"""ISO 32000-1, annex C: a longer page needs a larger user unit."""
PDF_INTENTS: dict[Intent, str] = {
    "perceptual": "Perceptual",
    "relative": "RelativeColorimetric",
    "saturation": "Saturation",
    "absolute": "AbsoluteColorimetric",
}
"""ISO 32000-1, table 70."""
PATCH_ROUND_MM = 1.0
"""White beyond the feed arrow and the slug."""


SpotInk = str
"""One of SPOT_LOOKS, or the name of a special ink."""
Look = tuple[float, float, float, float]
SPOT_LOOKS: dict[SpotInk, Look] = {
    "Primer": (0.0, 0.05, 0.05, 0.06),
    "White": (0.12, 0.04, 0.0, 0.0),
    "Blocker": (0.0, 0.0, 0.0, 0.75),
    "Clear": (0.0, 0.12, 0.25, 0.0),
    "Height": (0.0, 0.25, 0.12, 0.0),
    "Braille": (0.6, 0.3, 0.0, 0.6),
}
"""How a screen shows the ink where it stands for itself, CMYK; a press uses the name. Those that Etiquette knows."""


@dataclass(frozen=True)
class PlateWish:
    """How plates are written. `half_turn`: the whole sheet turned by 180°; `patches`: white under marks and codes, for
    clear or dark stock; `primer`: primer under all that is printed; `profile`: the ICC profile of the output intent,
    None for sRGB; `intent`: what becomes of colours that its inks cannot reach, and with `black_point` the art's black
    becomes their darkest; `mirrored`: seen from the other side of the stock, which is turned over its long edge."""

    half_turn: bool = False
    patches: bool = False
    primer: bool = False
    profile: bytes | None = None
    profile_name: str = "sRGB"
    intent: Intent | None = None
    black_point: bool = False
    mirrored: bool = False


@dataclass(frozen=True)
class FrameContent:
    """What is printed on one frame: the designs by name, their areas of each spot, where they lie in run millimetres.
    `looks`: how a screen shows special inks; `others`: what is seen of designs from the other side."""

    arts: Mapping[str, Art]
    spots: Mapping[SpotInk, Mapping[str, SpotArt]]
    placements: Sequence[Placement]
    plan: FramePlan
    recipe: MarkRecipe
    title: str
    fills: "Fills | None" = None
    looks: Mapping[SpotInk, Look] = field(default_factory=dict)
    others: Mapping[str, OtherSide] = field(default_factory=dict)

    def look(self, ink: SpotInk) -> Look:
        return SPOT_LOOKS.get(ink) or self.looks[ink]


@dataclass(frozen=True)
class Fills:
    """What is filled into copies, by design and copy; `picture_of` reads a picture that a row names. `loose`: designs
    whose fields may reach past where they print, and are cut off there."""

    copies: Mapping[tuple[str, int], FilledCopy]
    picture_of: PictureOf | None = None
    loose: frozenset[str] = frozenset()


def colour_plate(content: FrameContent, wish: PlateWish = PlateWish()) -> bytes:
    """The PDF of the colours with marks and codes."""
    with pikepdf.new() as pdf:
        page = _Page(pdf, content, wish)
        page.place(_colour_forms(pdf, content), form_names(content), content.fills)
        page.draw(marks_and_codes(content.plan, content.recipe))
        return page.written(content.title)


def spot_plate(content: FrameContent, ink: SpotInk, wish: PlateWish = PlateWish()) -> bytes | None:
    """The plate of one spot, in register with the colour plate: the areas of designs filled with the full ink, and
    white patches, or primer, under marks and codes; a design without areas leaves its places empty. None when nothing
    is on it."""
    with pikepdf.new() as pdf:
        page = _Page(pdf, content, wish)
        return page.written(f"{content.title}, {ink.lower()}") if page.place_spot(ink, over=False) else None


def other_side_plate(content: FrameContent, wish: PlateWish = PlateWish()) -> bytes | None:
    """The colours that are seen from the other side, in register with the colour plate, without marks or codes: these
    are read where the colour is. None when no design has any."""
    names = {name: number for name, number in form_names(content).items() if name in content.others}
    if not names:
        return None
    with pikepdf.new() as pdf:
        page = _Page(pdf, content, wish)
        forms = {name: other_side_form(pdf, content.others[name], content.arts[name].clip) for name in names}
        page.place(forms, names)
        return page.written(f"{content.title}, other side")


def one_file(content: FrameContent, wish: PlateWish = PlateWish()) -> bytes:
    """Colour and spots on one page, all but braille, whose plate is its own. Spots are drawn last and multiplied: they
    take no colour away, and a screen that does not know them shows the colours."""
    with pikepdf.new() as pdf:
        page = _Page(pdf, content, wish)
        page.place(_colour_forms(pdf, content), form_names(content), content.fills)
        page.draw(marks_and_codes(content.plan, content.recipe))
        for ink in (*SPOT_LOOKS, *content.looks):
            if ink != "Braille":
                page.place_spot(ink, over=True)
        return page.written(content.title)


def form_names(content: FrameContent) -> dict[str, str]:
    """What the plates call the forms of the designs that are on them."""
    used = {placement.id for placement in content.placements}
    return {name: f"D{number}" for number, name in enumerate((one for one in content.arts if one in used), 1)}


def _colour_forms(pdf: pikepdf.Pdf, content: FrameContent) -> dict[str, pikepdf.Object]:
    return {name: art_form(pdf, content.arts[name]) for name in form_names(content)}


def patches(plan: FramePlan, recipe: MarkRecipe) -> list[Polygon]:
    """White under everything a machine or an eye has to read: marks, codes, arrow and slug with their clear zones."""
    if plan.own_marks and not plan.codes:
        return []
    *zones, arrow, slug = clear_zones(plan, recipe)
    return [*zones, *(shape.buffer(PATCH_ROUND_MM, join_style="mitre").envelope for shape in (arrow, slug))]


class _Page:
    """One page as large as the run, the leading edge at the bottom, that is drawn on step by step."""

    def __init__(self, pdf: pikepdf.Pdf, content: FrameContent, wish: PlateWish) -> None:
        self._pdf, self._content, self._wish = pdf, content, wish
        plan = content.plan
        self._unit = max(1.0, plan.length_mm / MM_PER_POINT / LONGEST_PAGE_POINTS)
        self._forms, self._states = Dictionary(), Dictionary()
        self._spaces = Dictionary()
        self._ink: FilledInk | None = None
        size = [points(plan.width_mm), points(plan.length_mm)]
        scale = figure(1 / self._unit, 8)
        self._drawn = [f"{scale} 0 0 {scale} 0 0 cm"] if self._unit > 1 else []
        if wish.intent:
            # a reader before PDF 2.0 knows no UseBlackPtComp and passes it over (ISO 32000-2, table 57)
            how = Name.ON if wish.black_point else Name.OFF
            self._states.Colour = Dictionary(Type=Name.ExtGState, UseBlackPtComp=how)
            self._drawn.append(f"/{PDF_INTENTS[wish.intent]} ri /Colour gs")
        if wish.mirrored:
            self._drawn.append(f"-1 0 0 1 {figure(size[0])} 0 cm")
        if wish.half_turn:
            self._drawn.append(f"-1 0 0 -1 {figure(size[0])} {figure(size[1])} cm")

    def draw(self, operators: str) -> None:
        self._drawn.append(operators)

    def place(self, forms: Mapping[str, pikepdf.Object], called: Mapping[str, str], fills: Fills | None = None) -> None:
        """Every placement of a design in `forms` draws it, by the name it is `called`, and what is filled into its
        copy."""
        names = {name: f"/{called[name]}" for name in forms}
        for name, form in forms.items():
            self._forms[names[name]] = form
        here = [one for one in self._content.placements if one.id in names]
        self._drawn += [f"q {matrix_of(one)} cm {names[one.id]} Do{self._filled(one, fills)} Q" for one in here]

    def _filled(self, placement: Placement, fills: Fills | None) -> str:
        copy = fills.copies.get((placement.id, placement.copy)) if fills else None
        if fills is None or copy is None:
            return ""
        if self._ink is None:
            self._ink = FilledInk(self._pdf, fills.picture_of)
        clip = drawn([ring(self._content.arts[placement.id].clip)], "W n") if placement.id in fills.loose else ""
        return f"\n{clip}\n{self._ink.operators(copy)}\n"

    def place_spot(self, ink: SpotInk, over: bool) -> bool:
        """Whether anything of the spot is on the page; `over`: on top of the colours."""
        content = self._content
        used = {placement.id for placement in content.placements}
        areas = {name: art for name, art in content.spots.get(ink, {}).items() if art.areas and name in used}
        asked = {"White": self._wish.patches, "Primer": self._wish.primer}
        under = patches(content.plan, content.recipe) if asked.get(ink) else []
        if not areas and not under:
            return False
        look = (0, 0, 0, 0) if over else content.look(ink)
        space = separation(self._pdf, ink, look)
        if over:
            # not overprinted as well: the colours below would then be multiplied by themselves
            self._states.Over = Dictionary(Type=Name.ExtGState, BM=Name.Multiply)
            self.draw("q /Over gs")
        key = ink if ink in SPOT_LOOKS else f"Special{list(content.looks).index(ink)}n"  # any letters are in a name
        forms = {name: spot_form(self._pdf, art, space) for name, art in areas.items()}
        self.place(forms, {name: f"{key}{number}" for number, name in enumerate(forms, 1)})
        if under:
            self._spaces[f"/{key}"] = space
            self.draw(f"q /{key} cs 1 scn {drawn([ring(one) for one in under], 'f')} Q")
        if over:
            self.draw("Q")
        return True

    def written(self, title: str) -> bytes:
        plan, unit = self._content.plan, self._unit

        def box(left: float, low: float, right: float, top: float) -> Array:
            if self._wish.half_turn:
                left, low, right, top = (
                    plan.width_mm - right,
                    plan.length_mm - top,
                    plan.width_mm - left,
                    plan.length_mm - low,
                )
            if self._wish.mirrored:
                left, right = plan.width_mm - right, plan.width_mm - left
            return Array([points(value / unit) for value in (left, low, right, top)])

        page = Dictionary(
            Type=Name.Page,
            MediaBox=box(0, 0, plan.width_mm, plan.length_mm),
            TrimBox=box(*plan.work),
            BleedBox=box(*self._bleed_box()),
            Resources=Dictionary(XObject=self._forms, ExtGState=self._states, ColorSpace=self._spaces),
            Contents=self._pdf.make_stream("\n".join(self._drawn).encode()),
        )
        if self._ink:
            self._ink.fill(page.Resources)
        if unit > 1:
            page.UserUnit = unit
        self._pdf.pages.append(pikepdf.Page(self._pdf.make_indirect(page)))
        self._pdf.docinfo["/Title"] = title
        set_intent(self._pdf, self._wish.profile, self._wish.profile_name)
        out = BytesIO()
        self._pdf.save(out, min_version="1.7", deterministic_id=True)
        return out.getvalue()

    def _bleed_box(self) -> tuple[float, float, float, float]:
        """Round what is printed of the pieces, inside the page."""
        plan, bounds = self._content.plan, [plan_box(self._content)]
        x0, y0, x1, y1 = bounds[0]
        return max(0.0, x0), max(0.0, y0), min(plan.width_mm, x1), min(plan.length_mm, y1)


def set_intent(pdf: pikepdf.Pdf, profile: bytes | None = None, name: str = "sRGB") -> None:
    """What the colours of a file are meant for: an ICC profile, without one sRGB."""
    profile = profile or srgb_profile()
    channels = {b"GRAY": 1, b"RGB ": 3, b"CMYK": 4}.get(profile[16:20], 3)
    held = pdf.make_stream(profile, N=channels)
    intent = Dictionary(
        Type=Name.OutputIntent, S=Name.GTS_PDFX, OutputConditionIdentifier=name, Info=name, DestOutputProfile=held
    )
    pdf.Root.OutputIntents = Array([intent])


def plan_box(content: FrameContent) -> tuple[float, float, float, float]:
    """Round the work and the bleed beyond it."""
    clips = {name: art.clip for name, art in content.arts.items()}
    boxes = [
        shapely.bounds(
            affinity.translate(affinity.rotate(clips[one.id], one.rotation_deg, origin=(0, 0)), one.x_mm, one.y_mm)
        )
        for one in content.placements
    ]
    if not boxes:
        return content.plan.work
    every = np.array([*boxes, content.plan.work])
    return (*every[:, :2].min(axis=0).tolist(), *every[:, 2:].max(axis=0).tolist())  # type: ignore[return-value]


@cache
def srgb_profile() -> bytes:
    """An ICC profile of sRGB; its date (ICC.1:2010, 7.2.8) is taken out, so that the same run gives the same file."""
    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    made[24:36] = bytes(12)
    return bytes(made)


def marks_and_codes(plan: FramePlan, recipe: MarkRecipe) -> str:
    """PDF operators for marks in their ink, codes, arrow and slug in full black (CMYK 0 0 0 1), and the strip of colour
    patches; the marks of a web. Marks that the art brings along are not printed a second time."""
    boxes = " ".join(drawn([ring(shapely.box(*box))], "f") for box in plan.black)
    words = " ".join(drawn(note_outlines(note), "f") for note in plan.notes)
    black = f"q 0 0 0 1 k {boxes} {words} Q" if boxes or words else ""
    if plan.own_marks and not plan.codes:
        return black
    parts = [black, f"q {' '.join(figure(one) for one in MARK_INKS[recipe.ink])} k"]
    marks = [] if plan.own_marks else plan.marks
    parts += [drawn(mark_paths(recipe, mark.x, mark.y, plan.inward(mark)), "f*") for mark in marks]
    parts.append("0 0 0 1 k")
    parts += [drawn(code_squares(code), "f") for code in plan.codes]
    parts.append(drawn([ring(plan.arrow)], "f"))
    parts.append(drawn(slug_outlines(plan.slug, *plan.slug_at), "f"))
    for name, inks, x, y in plan.strip.places() if plan.strip else ():
        if name != STOCK:
            place = " ".join(figure(points(value)) for value in (x, y, PATCH_MM, PATCH_MM))
            parts.append(f"{' '.join(figure(one) for one in inks)} k {place} re f")
    return "\n".join([*parts, "Q"])


def note_outlines(note: Note) -> list[Path]:
    turn = np.exp(1j * np.radians(note.turn_deg))

    def placed(points: Points) -> Points:
        turned = (points[:, 0] + 1j * points[:, 1]) * turn
        return np.column_stack([turned.real + note.x, turned.imag + note.y])

    return [path.mapped(placed) for path in slug_outlines(note.words, 0.0, 0.0, note.height_mm)]


def code_squares(place: CodePlace) -> list[Path]:
    """The dark modules of a code, neighbours in a row joined, so that no hairline shows between them; bars are as high
    as the code."""
    modules = code_modules(place.kind, place.code.payload)
    rows = len(modules)
    height = place.size[1] / rows
    bars = []
    for row in range(rows):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], modules[row].view(np.int8), [0]])))
        y = place.y + (rows - 1 - row) * height
        for first, last in zip(edges[::2], edges[1::2], strict=True):
            x0, x1 = place.x + first * place.module_mm, place.x + last * place.module_mm
            bars.append(Path.from_points([(x0, y), (x1, y), (x1, y + height), (x0, y + height)]))
    return bars
