"""Settings of one design for the others of its job that nobody has looked at yet: sixty pictures that came together are
made one width once, not sixty times."""

from collections.abc import Collection, Mapping
from functools import partial
from typing import Any

from sqlalchemy import Row, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.designs import DesignDocument
from etiquette.stations import edits
from etiquette.stations.designs import state_of
from etiquette.stations.lines.editing import change
from etiquette.stations.lines.schemas import AlikeMade, AlikeSetting, AlikeShown
from etiquette.stations.recipe_words import LABELS, in_words
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Edit

LABELLED = {"due_count": "Pieces due", **LABELS["lines"]}
MIRRORS = "second_surface"
"""Said of one design at a time: its very art is mirrored with it."""
AT_ONCE = 100
"""Designs of one transaction: nobody who edits one of them waits for long."""
_AT_FIRST = DesignDocument(name="any", art_id=0).written()


def alike_shown(session: Session, design_id: int) -> AlikeShown:
    """What of a design others of its job do not have. Raises NotThere."""
    own = state_of(session, design_id).document.written()
    others = _others(session, design_id)
    by_hand = _set_by_hand(session, design_id)
    found = []
    for key, label in LABELLED.items():
        if not _can_be_given(own, key):
            continue
        differing = sum(_value(other, key) != own[key] for _, other in others)
        if differing:
            value = own[key]
            words = str(value) if key == "due_count" else in_words("lines", key, value)
            mm = value if key.endswith("_mm") else None
            chosen = key in by_hand
            found.append(AlikeSetting(key=key, label=label, words=words, mm=mm, others=differing, chosen=chosen))
    return AlikeShown(waiting=len(others), settings=found)


def give(shop: Shop, design_id: int, keys: Collection[str]) -> AlikeMade:
    """The chosen settings for all others of its job that nobody has looked at, each as an edit of its own that can be
    undone there. Raises NotThere, JobError."""

    def asked(session: Session) -> tuple[str, dict[str, Any], list[int]]:
        document = state_of(session, design_id).document
        own = document.written()
        if odd := [key for key in keys if key not in LABELLED or not _can_be_given(own, key)]:
            what = f"“{odd[0]}” is nothing that others can be given."
            raise JobError(what, document.name, "Choose among what is shown.")
        values = {key: own[key] for key in keys}
        differ = [number for number, other in _others(session, design_id) if _lacks(other, values)]
        return document.name, values, differ

    name, values, numbers = shop.database.within(asked)

    def put(session: Session, some: list[int]) -> int:
        # somebody may have looked at one of them since they were listed
        waiting = [number for number in some if not edits.locked(session, "design", number).document.ready]
        for number in waiting:
            change(session, number, None, f"as {name}"[:200], values)
        return len(waiting)

    parts = [numbers[first : first + AT_ONCE] for first in range(0, len(numbers), AT_ONCE)]
    return AlikeMade(changed=sum(shop.database.within(partial(put, some=part)) for part in parts))


def _others(session: Session, design_id: int) -> list[Row[int, dict[str, Any]]]:
    """The documents of designs of its job that are not ready, tiles left out: they are parts of another one."""
    job = select(Design.job_id).where(Design.id == design_id).scalar_subquery()
    wanted = select(Design.id, Design.document_json).where(
        Design.job_id == job, Design.id != design_id, Design.is_ready.is_not(True), ~Design.away
    )
    return [row for row in session.execute(wanted.order_by(Design.id)) if not row[1].get("tile")]


def _can_be_given(own: Mapping[str, Any], key: str) -> bool:
    lies_in_a_place = key == "clear" and own[key] == "area"
    return key != MIRRORS and not lies_in_a_place and not (key == "width_mm" and own[key] is None)


def _value(document: Mapping[str, Any], key: str) -> Any:
    return document.get(key, _AT_FIRST[key])


def _lacks(document: Mapping[str, Any], values: Mapping[str, Any]) -> bool:
    return any(_value(document, key) != value for key, value in values.items())


def _set_by_hand(session: Session, design_id: int) -> set[str]:
    """What somebody has set of it since it came in."""
    of_it = select(Edit.forward).where(Edit.subject == "design", Edit.subject_id == design_id, ~Edit.undone)
    return {key for forward in session.scalars(of_it) for key in forward}
