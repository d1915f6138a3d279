"""Designs: their settings, their history and versions; the shop's line rules."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import DEFAULT_RULES, MEANINGS, LineRule, Word
from etiquette.core.artwork.spot_inks import ShopInk
from etiquette.core.errors import JobError, NotThere
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.line_rules import RulesFile
from etiquette.stations import edits
from etiquette.stations.edits import Stale
from etiquette.store.models import Art, Customer, Design, Edit, InkColour, Job, LineResult, LineRules
from etiquette.store.rows import loaded

WALK_IN = "Walk-in"
LINE_RECIPE = 13
"""Goes into the key of computed lines: raise it when the computation changes, and old results are made anew."""
_PLATES = ("white", "white_choke_mm", "clear", "clear_choke_mm", "white_art_id", "clear_art_id", "spot_inks")
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
    *_PLATES,
)
_LEAVES_LINES_IN_ORDER = ("bleed_mm", "line_edits", "width_mm", "tolerance_mm", *_PLATES)


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
    lines_key: str | None
    lines: LineResult | None
    undo: str | None
    redo: str | None

    @property
    def height_mm(self) -> float | None:
        return height_mm(self.art, self.document.width_mm) if self.document.width_mm else None


@dataclass(frozen=True)
class Version:
    """A state a design had: after the edit `id` (0: as it was taken in), in words."""

    id: int
    words: str
    at: datetime


def state_of(session: Session, design_id: int) -> DesignState:
    """Raises NotThere."""
    undo, redo = edits.history(session, "design", design_id)
    return replace(states_of(session, [design_id])[design_id], undo=undo, redo=redo)


def states_of(session: Session, design_ids: Sequence[int]) -> dict[int, DesignState]:
    """Designs in the order asked for, however many in the same number of statements, without what undo and redo would do.
    Raises NotThere."""
    rows = loaded(session, Design, design_ids)
    for design_id in design_ids:
        if design_id not in rows:
            raise NotThere(
                "There is no such design.", f"design {design_id}", "Go back to the Floor and choose one that is there."
            )
    documents = {design_id: rows[design_id].document for design_id in design_ids}
    jobs = loaded(session, Job, (row.job_id for row in rows.values()))
    arts = loaded(session, Art, (document.art_id for document in documents.values()))
    customers = loaded(session, Customer, map(_customer_key, jobs.values()))
    colours = loaded(session, InkColour, (_colour_id(meant) for one in documents.values() for meant in one.spot_inks.values()))  # fmt: skip
    rules = rules_of(session)
    made = {}
    for design_id, document in documents.items():
        art = arts[document.art_id]
        meanings = _meanings(customers.get(_customer_key(rows[design_id].job)))
        inks = _inks(colours, document)
        key = lines_key(art, document, rules, meanings, inks)
        made[design_id] = DesignState(rows[design_id], document, art, rules, meanings, inks, key, None, None, None)
    lines = loaded(session, LineResult, (state.lines_key for state in made.values()))
    return {design_id: replace(state, lines=lines.get(state.lines_key)) for design_id, state in made.items()}


def _customer_key(job: Job) -> str:
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


def _meanings(customer: Customer | None) -> dict[Word, Kind]:
    held: dict[Word, str | None] = {} if customer is None else {"score": customer.score_means, "contour": customer.contour_means}  # fmt: skip
    return {word: meant for word, meant in held.items() if meant}  # type: ignore[misc]


def keep_meaning(session: Session, design_id: int, word: Word, means: Kind) -> None:
    """Remember what the customer of this design means by `word`. Raises NotThere, JobError."""
    if means not in MEANINGS[word]:
        raise JobError(f"“{word.capitalize()}” never means a {means}.", word, f"Choose {' or '.join(MEANINGS[word])}.")
    design = edits.locked(session, "design", design_id)
    assert isinstance(design, Design)
    name = _customer_key(design.job)
    held = session.get(Customer, name, with_for_update=True)
    if held is None:
        held = Customer(name=name)
        session.add(held)
    setattr(held, f"{word}_means", means)


def lines_key(
    art: Art, document: DesignDocument, rules: tuple[LineRule, ...], meanings: dict[Word, Kind], inks: dict[str, Any]
) -> str | None:
    """Names the lines that this art, these settings and, for vector art, these rules and inks give; None while the size
    is not known."""
    if document.width_mm is None:
        return None
    values = document.model_dump(include=set(_SHAPES_THE_LINE) - {"art_id"})
    ruled = [RulesFile.of(rules).model_dump()["rules"], meanings] if art.vectors_sha else []
    meant = {spot: ink if isinstance(ink, str) else asdict(ink) for spot, ink in inks.items()}
    parts = [LINE_RECIPE, art.content_sha, values, ruled, meant]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def change(session: Session, design_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit. A change of the line takes "ready" back: somebody has to look again. Raises JobError, Stale."""
    design = edits.locked(session, "design", design_id)
    now = design.document.written()
    merged = dict(changes)
    if "ready" not in changes and any(name in changes and changes[name] != now.get(name) for name in _SHAPES_THE_LINE):
        merged["ready"] = False
    if (
        now["line_edits"]
        and "line_edits" not in changes
        and any(
            name in changes and changes[name] != now.get(name)
            for name in _SHAPES_THE_LINE
            if name not in _LEAVES_LINES_IN_ORDER
        )
    ):
        merged["line_edits"] = []  # the lines are found anew: what was the third may be the fifth now
    document = design.document.changed(merged)
    if session.get(Art, document.art_id) is None:
        raise JobError("There is no such art.", document.name, "Take the file in again.")
    if document.ready and document.width_mm is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    checked = document.written()
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        words,
        {name: value for name, value in checked.items() if value != now.get(name)},
    )


def versions_of(session: Session, design_id: int) -> list[Version]:
    """Every state the design had, newest first; undone ones are not among them."""
    design = edits.locked(session, "design", design_id)
    found = session.scalars(_done_edits(design_id).order_by(Edit.id.desc()))
    return [*(Version(edit.id, edit.words, edit.at) for edit in found), Version(0, "as taken in", design.created_at)]


def _done_edits(design_id: int) -> Any:
    return select(Edit).where(Edit.subject == "design", Edit.subject_id == design_id, Edit.undone.is_(False))


def return_to(session: Session, design_id: int, revision: int, version_id: int) -> None:
    """Set the design back to a version; that is an edit too, so it can be undone. Raises NotThere, Stale."""
    design = edits.locked(session, "design", design_id)
    version = next((one for one in versions_of(session, design_id) if one.id == version_id), None)
    if version is None:
        raise NotThere("There is no such version.", design.document.name, "Choose one from the list.")
    now = design.document.written()
    document = dict(now)
    for edit in session.scalars(_done_edits(design_id).where(Edit.id > version_id).order_by(Edit.id.desc())):
        document.update(edit.backward)
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        f"back to: {version.words}"[:200],
        {name: value for name, value in document.items() if value != now.get(name)},
    )


def rules_of(session: Session) -> tuple[LineRule, ...]:
    """The shop's line rules; the default ones until somebody changed them."""
    held = session.get(LineRules, 1)
    if held is None:
        return DEFAULT_RULES
    return RulesFile(**held.rules).to_rules()


def rules_version(session: Session) -> int:
    """Rises with every change of the line rules; 0 while they are the default ones."""
    held = session.get(LineRules, 1)
    return held.version if held else 0


def keep_rules(session: Session, version: int, rules: RulesFile) -> None:
    """Raises Stale when somebody else changed them since `version`."""
    held = session.get(LineRules, 1, with_for_update=True)
    if version != (held.version if held else 0):
        raise Stale("line rules", 0, held.version if held else 0)
    if held is None:
        session.add(LineRules(id=1, rules=rules.model_dump()))
    else:
        held.rules = rules.model_dump()


def height_mm(art: Art, width_mm: float) -> float:
    if art.natural_width_mm and art.natural_height_mm:
        return width_mm * art.natural_height_mm / art.natural_width_mm
    return width_mm * art.height_px / art.width_px


def all_designs(session: Session) -> list[Design]:
    return list(session.scalars(select(Design).options(joinedload(Design.job)).order_by(Design.id)))
