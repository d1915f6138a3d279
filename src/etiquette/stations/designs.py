"""Designs: their settings, their history and versions; the shop's line rules."""

import hashlib
import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import shapely
from shapely import Point, Polygon
from sqlalchemy import or_, select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import LineRule, Word
from etiquette.core.artwork.spot_inks import PLATES, Plate, ShopInk
from etiquette.core.errors import JobError, NotThere
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.printing.corrections import Replaced, levels_of
from etiquette.core.printing.stack import SpecialInk
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.line_rules import RulesFile
from etiquette.files.lines_svg import LinesFile, read_lines
from etiquette.files.vectors import read_areas, read_plates
from etiquette.stations import edits
from etiquette.stations.line_rules import rules_of
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Customer, Design, InkColour, Job, LineResult
from etiquette.store.models import SpecialInk as SpecialInkRow
from etiquette.store.rows import all_in, loaded, newest_named

WALK_IN = "Walk-in"
LINE_RECIPE = 18
"""Goes into the key of computed lines: raise it when the computation changes, and old results are made anew."""
_LATER_PLATES = ("clear_area", "specials")
_PLATES = ("white", "white_choke_mm", "clear", "clear_choke_mm", "white_art_id", "clear_art_id", "spot_inks", "marked",
           *_LATER_PLATES)  # fmt: skip
_SHAPES_THE_LINE = (
    "art_id",
    "width_mm",
    "kind",
    "ground",
    "distance",
    "offset_mm",
    "min_area_mm2",
    "holes",
    "merge_mm",
    "corner_mm",
    "tolerance_mm",
    "follow",
    "join",
    "smooth_mm",
    "area",
    "more",
    "bleed_mm",
    "line_edits",
    "join_mm",
    "picked",
    "merge_own",
    *_PLATES,
)
_LEAVES_LINES_IN_ORDER = ("bleed_mm", "line_edits", "width_mm", "tolerance_mm", *_PLATES)


LEAST_OWN_MARKS = 2
"""Fewer marks than that show no turn."""


@dataclass(frozen=True)
class DesignState:
    """A design as a screen shows it."""

    design: Design
    document: DesignDocument
    art: Art
    rules: tuple[LineRule, ...]
    meanings: dict[Word, Kind]
    """What the customer means by words that could be two kinds of line; without those nobody has asked about yet."""
    inks: dict[str, Any]
    """What named colours mean, those of the library as ShopInk."""
    replaced: tuple[Replaced, ...]
    """Colours that are printed as others."""
    specials: tuple[SpecialInk, ...]
    """The shop's inks that it names, by their numbers, as `called` has them."""
    called: dict[Plate, str]
    """What special inks (“special N”) are called."""
    held_by: dict[str, int | None]
    """The printer that holds each of them, by its name; None: any may."""
    lines_key: str | None
    lines: LineResult | None
    other: "DesignState | None"
    """The design that is seen from its other side, where that is another one."""
    undo: str | None
    redo: str | None

    @property
    def height_mm(self) -> float | None:
        return height_mm(self.art, self.document.width_mm) if self.document.width_mm else None


def state_of(session: Session, design_id: int) -> DesignState:
    """Raises NotThere."""
    undo, redo = edits.history(session, "design", design_id)
    return replace(states_of(session, [design_id])[design_id], undo=undo, redo=redo)


def states_of(session: Session, design_ids: Sequence[int], with_others: bool = True) -> dict[int, DesignState]:
    """Designs in the order asked for, however many in the same number of statements, without what undo and redo would
    do. `with_others`: with what is on their other sides. Raises NotThere."""
    wanted = select(Design).options(joinedload(Design.job)).where(Design.id.in_(set(design_ids)))
    rows = {row.id: row for row in session.scalars(wanted)}
    for design_id in design_ids:
        if design_id not in rows:
            raise NotThere(
                "There is no such design.", f"design {design_id}", "Go back to the Floor and choose one that is there."
            )
    documents = {design_id: rows[design_id].document for design_id in design_ids}
    arts = loaded(session, Art, (document.art_id for document in documents.values()))
    customers = loaded(session, Customer, (customer_key(row.job) for row in rows.values()))
    named = (
        meant for one in documents.values() for meant in (*one.spot_inks.values(), *(to.to for to in one.replaced))
    )
    colours = loaded(session, InkColour, (_colour_id(meant) for meant in named))
    held = loaded(session, SpecialInkRow, (ink for one in documents.values() for ink in one.special_inks()))
    sides = {one.both_sides.other for one in documents.values() if one.both_sides and one.both_sides.other}
    others = _others(session, sides) if with_others else {}
    rules = rules_of(session)
    made = {}
    for design_id, document in documents.items():
        art = arts[document.art_id]
        meanings = _meanings(customers.get(customer_key(rows[design_id].job)))
        inks = _inks(colours, document)
        key = lines_key(art, document, rules, meanings, inks)
        replaced = _replaced(colours, document)
        own = {number: held[number] for number in document.special_inks() if number in held}
        specials, called = tuple(map(_special, own.values())), {f"special {key}": one.name for key, one in own.items()}
        held_by = {one.name: one.printer_id for one in own.values()}
        other = others.get(document.both_sides.other or 0) if document.both_sides else None
        made[design_id] = DesignState(
            rows[design_id], document, art, rules, meanings, inks, replaced, specials, called, held_by, key, None,
            other, None, None,
        )  # fmt: skip
    lines = loaded(session, LineResult, (state.lines_key for state in made.values()))
    return {design_id: replace(state, lines=lines.get(state.lines_key)) for design_id, state in made.items()}


def _others(session: Session, numbers: Collection[int]) -> dict[int, DesignState]:
    """Designs that others show on their other side, those that are there; what is on theirs is not looked at."""
    if not numbers:
        return {}
    there = session.scalars(select(Design.id).where(Design.id.in_(numbers))).all()
    return states_of(session, there, with_others=False)


def _special(row: SpecialInkRow) -> SpecialInk:
    look = (row.cyan / 100, row.magenta / 100, row.yellow / 100, row.black / 100)
    return SpecialInk(row.name, look, row.goes)  # type: ignore[arg-type]


def customer_key(job: Job) -> str:
    """Customers are remembered by name; what walks in is remembered by its job."""
    return job.customer if job.customer != WALK_IN else f"{WALK_IN}, job {job.id}"


def _colour_id(meant: str) -> int | None:
    """Which colour of the library “ink N” is."""
    return int(meant[4:]) if meant.startswith("ink ") else None


def _inks(colours: Mapping[int, InkColour], document: DesignDocument) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for spot, meant in document.spot_inks.items():
        colour = colours.get(_colour_id(meant) or 0)
        if colour:
            parts = (colour.cyan, colour.magenta, colour.yellow, colour.black)
            found[spot] = ShopInk(colour.name, tuple(part / 100 for part in parts))  # type: ignore[arg-type]
        elif not meant.startswith("ink "):
            found[spot] = meant
    return found


def _replaced(colours: Mapping[int, InkColour], document: DesignDocument) -> tuple[Replaced, ...]:
    """A colour of the library that is not there any more changes nothing."""
    found = []
    for one in document.replaced:
        to: tuple[str, tuple[float, ...]] | None = None
        if one.to.startswith("#"):
            to = "rgb", tuple(level / 255 for level in levels_of(one.to))
        elif one.to != "white":
            ink = colours.get(_colour_id(one.to) or 0)
            if ink is None:
                continue
            to = "cmyk", (ink.cyan / 100, ink.magenta / 100, ink.yellow / 100, ink.black / 100)
        found.append(Replaced(levels_of(one.colour), to, one.within))
    return tuple(found)


def meanings_of(session: Session, design: Design) -> dict[Word, Kind]:
    """What the customer of a design means by words that could be two kinds of line."""
    return _meanings(session.get(Customer, customer_key(design.job)))


def _meanings(customer: Customer | None) -> dict[Word, Kind]:
    held: dict[Word, str | None] = (
        {} if customer is None else {"score": customer.score_means, "contour": customer.contour_means}
    )
    return {word: meant for word, meant in held.items() if meant}  # type: ignore[misc]


def lines_key(
    art: Art, document: DesignDocument, rules: tuple[LineRule, ...], meanings: dict[Word, Kind], inks: dict[str, Any]
) -> str | None:
    """Names the lines that this art, these settings and, for vector art, these rules and inks give; None while the size
    is not known."""
    if document.width_mm is None:
        return None
    values = document.model_dump(include=set(_SHAPES_THE_LINE) - {"art_id", "picked", "merge_own", *_LATER_PLATES})
    ruled = [RulesFile.of(rules).model_dump()["rules"], meanings] if art.vectors_sha else []
    meant = {spot: ink if isinstance(ink, str) else asdict(ink) for spot, ink in inks.items()}
    by_hand = [chosen] if (chosen := document.by_hand()) else []
    parts = [LINE_RECIPE, art.content_sha, values, ruled, meant, *by_hand, *(["merged"] if document.merge_own else [])]
    if document.tile:
        parts.append(["tile", document.tile.model_dump(exclude={"of", "key"})])
    later = {name: held for name, held in document.model_dump(include=set(_LATER_PLATES)).items() if held}
    parts += [later] if later else []
    if document.marked and not art.vectors_sha:
        parts.append(document.marked_within)
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def lines_key_anywhere(session: Session, state: DesignState) -> str | None:
    """Names the lines as `lines_key`, and the same for the same design in another shop, where art has other numbers."""
    document, plates = state.document, []
    for number in (document.white_art_id, document.clear_art_id):
        plates.append(session.get_one(Art, number).content_sha if number else None)
    bare = document.with_(white_art_id=None, clear_art_id=None)
    key = lines_key(state.art, bare, state.rules, state.meanings, state.inks)
    return key and hashlib.sha256(json.dumps([key, plates]).encode()).hexdigest()


def height_mm(art: Art, width_mm: float) -> float:
    """How high art is when it is `width_mm` wide, mm."""
    if art.natural_width_mm and art.natural_height_mm:
        return width_mm * art.natural_height_mm / art.natural_width_mm
    return width_mm * art.height_px / art.width_px


DESIGNS_SHOWN = 240


def designs_named(session: Session, text: str) -> list[Design]:
    """Designs with their jobs, oldest first: the newest DESIGNS_SHOWN of open jobs, or those that have all words of
    `text` in their names, or in the name and customer of their jobs, wherever they are."""
    words = text.split()
    of_jobs = select(Design.id).join(Job).order_by(Design.id.desc()).limit(DESIGNS_SHOWN)
    if not words:
        numbers = list(session.scalars(of_jobs.where(Job.closed_at.is_(None), ~Job.away, ~Design.away)))
    else:
        each = [or_(*all_in(Job.name, [word]), *all_in(Job.customer, [word])) for word in words]
        named = newest_named(session, Design, words, DESIGNS_SHOWN)
        numbers = sorted({*named, *session.scalars(of_jobs.where(*each))})[-DESIGNS_SHOWN:]
    wanted = select(Design).where(Design.id.in_(numbers)).options(joinedload(Design.job))
    return list(session.scalars(wanted.order_by(Design.id)))


def lines_of(shop: Shop, state: DesignState) -> LinesFile | None:
    """The computed lines, or None while there are none."""
    if state.lines is None:
        return None
    return read_lines(shop.blobs.read(state.lines.lines_sha), state.art.file_name)


def outline_of_design(shop: Shop, state: DesignState) -> Polygon | None:
    """What a design takes on the stock, in its own millimetres, or None while it has no line. Read from beside the
    lines; from the lines themselves where a former version kept none."""
    if state.lines is not None and state.lines.outline is not None:
        outline: Polygon = shapely.from_wkb(state.lines.outline)
        return outline
    file = lines_of(shop, state)
    return outline_of(file.lines) if file else None


def rectangle_of(state: DesignState) -> Polygon:
    """The art itself, in its own millimetres. Raises JobError when its size is not known."""
    width, height, name = state.document.width_mm, state.height_mm, state.document.name
    if width is None or height is None:
        raise JobError(f"The size of {name} is not known.", name, "Open it in Lines and type its width.")
    return shapely.box(0, 0, width, height)


def own_marks_of(state: DesignState) -> tuple[MarkRecipe, list[tuple[float, float]]] | None:
    """The marks that a page brings along, at the size it has now: what a reader has to know, and where they are in
    design millimetres. None where there are too few, or the art is another one since."""
    held, width = state.document.own_marks, state.document.width_mm
    if held is None or width is None or held.art_id != state.document.art_id or len(held.places) < LEAST_OWN_MARKS:
        return None
    scale = width / held.width_mm
    recipe = MarkRecipe(
        size_mm=held.size_mm * scale,
        clear_mm=held.clear_mm * scale,
        shape=held.shape,
        stroke_mm=held.stroke_mm * scale,
        head_margin_mm=0.0,
        tail_margin_mm=0.0,
        count=("2", "3", "4", "more")[min(len(held.places), 5) - 2],  # type: ignore[arg-type]
    )
    return recipe, [(x * scale, y * scale) for x, y in held.places]


def dots_of(state: DesignState) -> list[Polygon]:
    """The dots of a design's braille, in design millimetres. Art that is printed on the back of its stock is mirrored,
    and its dots with it: their plate is turned over as a whole, so that they are read on the front."""
    held, width = state.document.braille, state.document.width_mm
    if held is None or width is None:
        return []
    across = [x + held.x_mm for x, _ in held.dots]
    if state.document.second_surface:
        across = [width - x for x in across]
    return [Point(x, y + held.y_mm).buffer(held.dot_mm / 2) for x, (_, y) in zip(across, held.dots, strict=True)]


def plate_areas_of(shop: Shop, state: DesignState, plate: Plate) -> list[Polygon]:
    """The computed areas of white, clear or a special ink, in design millimetres."""
    if plate not in PLATES:
        sha = state.lines.specials_sha if state.lines else None
        return read_plates(shop.blobs.read(sha)).get(plate, []) if sha else []
    sha = (state.lines.white_sha if plate == "white" else state.lines.clear_sha) if state.lines else None
    return read_areas(shop.blobs.read(sha)) if sha else []


def areas_of(shop: Shop, state: DesignState) -> dict[Plate, list[Polygon]]:
    """The computed areas of every plate that the design names."""
    return {plate: plate_areas_of(shop, state, plate) for plate in (*PLATES, *state.called)}


def specials_of(states: Iterable[DesignState]) -> tuple[SpecialInk, ...]:
    """The shop's inks that designs name, each once."""
    return tuple({ink.name: ink for design in states for ink in design.specials}.values())
