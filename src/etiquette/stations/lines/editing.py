"""Edits of a design, its versions, and what a customer's words mean."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import MEANINGS, Word
from etiquette.core.errors import JobError, NotThere
from etiquette.files.documents.designs import DesignDocument
from etiquette.stations import edits, recipes
from etiquette.stations.designs import _LEAVES_LINES_IN_ORDER, _SHAPES_THE_LINE, customer_key
from etiquette.store import differences
from etiquette.store.models import Art, Customer, Design, Edit, SpecialInk


@dataclass(frozen=True)
class Version:
    """A state a design had: after the edit `id` (0: as it was taken in), in words."""

    id: int
    words: str
    at: datetime


def keep_meaning(session: Session, design_id: int, word: Word, means: Kind) -> None:
    """Remember what the customer of this design means by `word`. Raises NotThere, JobError."""
    if means not in MEANINGS[word]:
        raise JobError(f"“{word.capitalize()}” never means a {means}.", word, f"Choose {' or '.join(MEANINGS[word])}.")
    design = edits.locked(session, "design", design_id)
    assert isinstance(design, Design)
    name = customer_key(design.job)
    held = session.get(Customer, name, with_for_update=True)
    if held is None:
        held = Customer(name=name)
        session.add(held)
    setattr(held, f"{word}_means", means)


def use(session: Session, design_id: int, revision: int | None, recipe_id: int) -> None:
    """What a recipe chose for lines, as one edit. Raises NotThere, JobError, Stale."""
    recipe = recipes.recipe_there(session, recipe_id)
    change(session, design_id, revision, f"as in {recipe.name}"[:200], recipe.document.lines)
    recipes.note_use(session, [session.get_one(Design, design_id).job_id], recipe)


def change(session: Session, design_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit. A change of the line takes "ready" back: somebody has to look again. Raises JobError, Stale."""
    design = edits.locked(session, "design", design_id)
    now = design.document.written()
    if "arranged" not in changes and changes.get("second_surface", now["second_surface"]) != now["second_surface"]:
        what = "What is seen through the stock is mirrored, too."
        raise JobError(what, design.document.name, "Arrange its art: seen through the stock.")
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
    _refuse_unknown(session, design, document, changes)
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


def _refuse_unknown(session: Session, design: Design, document: DesignDocument, changes: Mapping[str, Any]) -> None:
    """What is chosen now has to be there; what was chosen and is gone stands in the way of no other change. Raises
    JobError for an ink that is not on the Shelf, and for another side that is none of its job."""
    if changes.keys() & {"specials", "marked", "spot_inks"}:
        for number in document.special_inks():
            if session.get(SpecialInk, number) is None:
                raise JobError("There is no such special ink.", document.name, "Choose one that is on the Shelf.")
    other = document.both_sides.other if document.both_sides else None
    if other is None or "both_sides" not in changes:
        return
    shown = session.get(Design, other)
    if other == design.id or shown is None or shown.job_id != design.job_id:
        what = "What is seen from the other side is another design of the same job."
        raise JobError(what, document.name, "Take its art into this job first, or choose the same art.")


def versions_of(session: Session, design_id: int) -> list[Version]:
    """Every state of the design that is kept, newest first; undone ones are not among them."""
    design = edits.locked(session, "design", design_id)
    found = session.scalars(_done_edits(design_id).order_by(Edit.id.desc())).all()
    of_all = select(func.count()).where(Edit.subject == "design", Edit.subject_id == design_id)
    whole = (session.scalar(of_all) or 0) < edits.MOST_EDITS  # else older ones may have gone
    first = Version(0, "as taken in" if whole else "before all that is kept", design.created_at)
    return [*(Version(edit.id, edit.words, edit.at) for edit in found), first]


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
        document.update(differences.values_of(edit.backward, document))
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        f"back to: {version.words}"[:200],
        {name: value for name, value in document.items() if value != now.get(name)},
    )
