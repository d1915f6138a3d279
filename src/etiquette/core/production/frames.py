"""The files of one frame: marks and codes round the work, the plates, the finish lines as they lie on the print."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np
from shapely import Polygon

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.frame_plans import FramePlan, Reach, Side, Where
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.proofs import proof
from etiquette.core.marking.slug_words import slug_of
from etiquette.core.planning.problem import Piece, Placement, placed_outline
from etiquette.core.planning.weeding import Stroke, WeedWish, cross_lines, weed_box
from etiquette.core.printing.art_forms import Art, OtherSide, SpotArt, clipped_to
from etiquette.core.printing.companion import with_lines
from etiquette.core.printing.pdfx4 import as_pdfx4
from etiquette.core.printing.placed_lines import placed_lines
from etiquette.core.printing.plates import (
    SPOT_LOOKS,
    Fills,
    FrameContent,
    PlateWish,
    SpotInk,
    colour_plate,
    form_names,
    one_file,
    other_side_plate,
    spot_plate,
)
from etiquette.core.printing.recolouring import Change, recoloured_plate
from etiquette.core.printing.stack import AGAIN, PlateName, SpecialInk, usual_stack
from etiquette.core.production.designs import Areas

Box = tuple[float, float, float, float]
SPOTS: tuple[SpotInk, ...] = ("Primer", "White", "Blocker", "Clear", "Height", "Braille")


@dataclass(frozen=True)
class FrameDesign:
    """A design as it is printed and cut, in its own millimetres; what lies outside the clip of its art is not
    printed."""

    art: Art
    lines: Sequence[FinishLine]
    outline: Polygon
    spots: Mapping[SpotInk, SpotArt]
    changes: tuple[Change, ...] = ()
    """What becomes of its colours, one after the other."""
    other: OtherSide | None = None
    other_changes: tuple[Change, ...] = ()
    """What is seen from its other side, and what becomes of those colours."""
    second_surface: bool = False
    """Printed on the back of its stock and seen through it."""


@dataclass(frozen=True)
class RunEquipment:
    """What every frame of a run is planned for. `fields` and `slug`: see slug_of; `strip`: whether colour patches are
    printed."""

    fields: Mapping[str, str]
    stock_width_mm: float
    recipe: MarkRecipe
    reach: Reach
    strip: bool = False
    slug: str | None = None
    arrow_side: Side = "left"


@dataclass(frozen=True)
class FrameFiles:
    """What is made of one frame. `spots`: the plates beside the colour, None where nothing is on them, or where all is
    in one file; `lines`: in the millimetres of the print; `other`: the colours seen from the other side."""

    colour: bytes
    spots: Mapping[SpotInk, bytes | None]
    lines: list[FinishLine]
    companion: bytes | None = None
    kept: Mapping[str, list[str]] = field(default_factory=dict)
    """What of a design kept its colours although they were to be changed, by design, in words."""
    other: bytes | None = None


def frame_design(
    art: Art, lines: Sequence[FinishLine], outline: Polygon, areas: Mapping[SpotInk, Sequence[Polygon]], past_mm: float
) -> FrameDesign:
    """A design that is printed no further than `past_mm` from its outline, so that it does not reach its neighbours."""
    clip = offset(outline, past_mm)
    inks = dict.fromkeys([*SPOTS, *areas])
    return FrameDesign(
        clipped_to(art, clip), lines, outline, {ink: SpotArt(tuple(areas.get(ink, ())), clip) for ink in inks}
    )


def spots_of(
    areas: Areas, raised: bool, dots: Sequence[Polygon] = (), called: Mapping[str, SpotInk] = {}
) -> Mapping[SpotInk, Sequence[Polygon]]:
    """The areas of a design by the ink that fills them; clear that is `raised` is built up in passes; `dots` of
    braille; special inks by what they are `called`."""
    clear: SpotInk = "Height" if raised else "Clear"
    more = {called[plate]: found for plate, found in areas.items() if plate in called}
    return {"White": areas.get("white", ()), clear: areas.get("clear", ()), "Braille": dots, **more}


def work_of(bounds: Sequence[Box]) -> Box:
    """The bounds of all that lies on a frame, from those of each piece."""
    every = np.array(bounds)
    (left, low), (right, high) = every[:, :2].min(axis=0), every[:, 2:].max(axis=0)
    return float(left), float(low), float(right), float(high)


def frame_plan(equipment: RunEquipment, number: int, code: str, work: Box, where: Where) -> FramePlan:
    """Marks and codes round the `work` of frame `number` (from 1). Raises JobError when they have no room, or the
    cutter cannot read that far."""
    slug = slug_of(code, number, equipment.fields, equipment.slug)
    wide, recipe, reach = equipment.stock_width_mm, equipment.recipe, equipment.reach
    return plan_frame(work, wide, recipe, reach, code, slug, where, equipment.strip, equipment.arrow_side)


def frame_title(name: str, number: int, count: int) -> str:
    """What a file of frame `number` (from 1) is called."""
    return name if count == 1 else f"{name}, frame {number}"


def placed_on(plan: FramePlan, placements: Sequence[Placement]) -> list[Placement]:
    """`placements` as nested, moved between the marks of their frame."""
    dx, dy = plan.shift
    return [Placement(p.id, p.copy, 0, p.x_mm + dx, p.y_mm + dy, p.rotation_deg) for p in placements]


def weed_strokes(outlines: Sequence[Polygon], wish: WeedWish, clear_mm: float) -> list[Stroke]:
    """The box and the cross lines that help weeding; a closed stroke ends where it began. A box may reach into the
    clear zones of the side marks, `clear_mm` wide, never onto the marks."""
    if not wish.box and wish.lines == "none":
        return []
    wish = replace(wish, margin_mm=min(wish.margin_mm, clear_mm))
    box = [np.asarray(weed_box(outlines, wish).exterior.coords)] if wish.box else []
    return [*box, *cross_lines(outlines, wish)]


def frame_lines(
    designs: Mapping[str, FrameDesign], placements: Sequence[Placement], weed: Sequence[Stroke] = ()
) -> list[FinishLine]:
    """All finish lines of a frame; those that help weeding are kiss lines, cut last."""
    placed = placed_lines({name: one.lines for name, one in designs.items()}, placements)
    return [
        *placed,
        *(
            FinishLine("kiss", Path.from_points(stroke, closed=bool((stroke[0] == stroke[-1]).all())))
            for stroke in weed
        ),
    ]


def frame_files(
    designs: Mapping[str, FrameDesign],
    placements: Sequence[Placement],
    plan: FramePlan,
    recipe: MarkRecipe,
    title: str,
    wish: PlateWish,
    weed: Sequence[Stroke] = (),
    together: bool = False,
    companion: bool = False,
    names: Mapping[Kind, str] = {},
    fills: Fills | None = None,
    specials: Sequence[SpecialInk] = (),
) -> FrameFiles:
    """Everything of one frame. `placements` on its print; `together`: the other inks as spots of the colour file;
    `companion`: also a PDF with the finish lines as layers, called by `names`; `fills`: what differs from copy to
    copy; `specials`: the shop's inks among their spots. Raises JobError."""
    arts = {name: one.art for name, one in designs.items()}
    others = {name: one.other for name, one in designs.items() if one.other}
    if together and others:
        raise JobError(
            "What is seen from the other side is a second layer of colours: it has no room in the file of the first.",
            title,
            "Let white and clear have files of their own in Print.",
        )
    inks = [*SPOTS, *(special.name for special in specials)]
    spots = {ink: {name: one.spots[ink] for name, one in designs.items() if ink in one.spots} for ink in inks}
    if wish.primer:  # wherever any ink may fall
        spots["Primer"] = {name: SpotArt((art.clip,), art.clip) for name, art in arts.items()}
    looks = {special.name: special.look for special in specials}
    content = FrameContent(arts, spots, placements, plan, recipe, title, fills, looks, others)
    changes = {name: one.changes for name, one in designs.items()}
    colour, kept = _recoloured(one_file(content, wish) if together else colour_plate(content, wish), changes, content)
    plates: dict[SpotInk, bytes | None] = {ink: None if together else spot_plate(content, ink, wish) for ink in inks}
    # where colours are on the back and seen through the stock, braille is on its front all the same
    plates["Braille"] = spot_plate(content, "Braille", replace(wish, mirrored=seen_through(designs)))
    other = other_side_plate(content, wish)
    if other:
        other, _ = _recoloured(other, {name: one.other_changes for name, one in designs.items()}, content)
    lines = frame_lines(designs, placements, weed)
    whole = None
    if companion:
        alone = _recoloured(colour_plate(content, wish), changes, content)[0] if together else colour
        whole = with_lines(alone, lines, wish.half_turn, names)
    return FrameFiles(colour, plates, lines, whole, kept, other)


def seen_through(designs: Mapping[str, FrameDesign]) -> bool:
    """Whether the colours of a frame are on the back of its stock."""
    return any(one.second_surface for one in designs.values())


def laid_down(
    designs: Mapping[str, FrameDesign], files: FrameFiles, specials: Sequence[SpecialInk], name: str
) -> tuple[PlateName, ...]:
    """The plates of a frame in the order in which they are usually printed; `name` of its run. Raises JobError when
    white would have to lie under and over the colour, or one piece needs layers that another one must not have."""
    made = {"colour", *(plate_of(ink) for ink, content in files.spots.items() if content)}
    if files.other:
        made |= {"other side", AGAIN} if "white" in made else {"other side"}
    second = {one.second_surface for one in designs.values()}
    if len({one.other is not None for one in designs.values()}) > 1:
        raise JobError(
            "Designs that are seen from both sides share this run with others, whose white is laid down once only.",
            name,
            "Put them in two runs.",
        )
    if made & {"white", *(ink.name for ink in specials)} and len(second) > 1:
        raise JobError(
            "Designs for the second surface and others share this run: white would have to lie under and over the "
            "colour.",
            name,
            "Put them in two runs.",
        )
    return usual_stack(made, second == {True}, {ink.name: ink.goes for ink in specials})


def plate_of(ink: SpotInk) -> PlateName:
    """What the plate of an ink is called."""
    return ink.lower() if ink in SPOT_LOOKS else ink


def to_pdfx4(files: FrameFiles, title: str, made: datetime) -> FrameFiles:
    """The plates of a frame as PDF/X-4. Raises JobError."""
    spots = {ink: as_pdfx4(pdf, f"{title}, {ink.lower()}", made) if pdf else None for ink, pdf in files.spots.items()}
    other = as_pdfx4(files.other, f"{title}, other side", made) if files.other else None
    return replace(files, colour=as_pdfx4(files.colour, title, made), spots=spots, other=other)


def _recoloured(
    plate: bytes, changes: Mapping[str, tuple[Change, ...]], content: FrameContent
) -> tuple[bytes, dict[str, list[str]]]:
    """A plate with the colours of its designs changed, by their names; what kept them, by design."""
    forms = form_names(content)
    of_forms = {forms[name]: one for name, one in changes.items() if one and name in forms}
    if not of_forms:
        return plate, {}
    made, kept = recoloured_plate(plate, of_forms)
    return made, {name: kept[form] for name, form in forms.items() if kept.get(form)}


def refuse_faults(
    designs: Mapping[str, FrameDesign], placements: Sequence[Placement], plan: FramePlan, recipe: MarkRecipe, title: str
) -> None:
    """Raises JobError when what is printed reaches marks or codes, or these leave the stock."""
    clips = {name: Piece(name, one.art.clip, 1, (0.0,)) for name, one in designs.items()}
    faults = proof(plan, recipe, [placed_outline(clips[one.id], one) for one in placements])
    if faults:
        raise JobError(faults[0], title, "Make the clear zone or the margins larger, or the gap smaller.")
