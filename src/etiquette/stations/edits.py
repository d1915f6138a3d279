"""Edits in Lines and Run: commands stored with their inverse under a revision number.

A document is a flat set of named values. A command sets some of them; its inverse sets them back. Undo and redo are
new revisions too, so a screen that missed one is told so (Stale) and given the current state.
"""

from typing import Any, Literal, overload

from sqlalchemy import Select, bindparam, delete, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.store import differences
from etiquette.store.models import Design, Edit, LabelWeb, Run

Subject = Literal["design", "run", "web"]
Model = Design | Run | LabelWeb
MOST_EDITS = 500
"""Of one subject so many are kept; older ones are collected (stations/collecting.py)."""
MODELS: dict[Subject, type[Model]] = {"design": Design, "run": Run, "web": LabelWeb}


class Stale(JobError):
    """The screen's revision is not the current one."""

    def __init__(self, subject: str, subject_id: int, revision: int) -> None:
        super().__init__(
            "This was changed elsewhere in the meantime.",
            f"{subject} {subject_id}",
            "The current state is shown now; make your change again.",
        )
        self.revision = revision


@overload
def locked(session: Session, subject: Literal["design"], subject_id: int) -> Design: ...
@overload
def locked(session: Session, subject: Literal["run"], subject_id: int) -> Run: ...
@overload
def locked(session: Session, subject: Subject, subject_id: int) -> Model: ...
def locked(session: Session, subject: Subject, subject_id: int) -> Model:
    """The row, locked for this transaction. Raises NotThere."""
    row: Any = session.get(MODELS[subject], subject_id, with_for_update=True)
    if row is None:
        raise NotThere(
            f"There is no such {subject}.",
            f"{subject} {subject_id}",
            "Go back to the Floor and choose one that is there.",
        )
    held: Model = row
    return held


def apply(
    session: Session, subject: Subject, subject_id: int, revision: int | None, words: str, changes: dict[str, Any]
) -> Model:
    """Set `changes` in the document and keep the inverse. `revision` None: whatever is current. Raises Stale,
    NotThere."""
    row = locked(session, subject, subject_id)
    if revision is not None and row.revision != revision:
        raise Stale(subject, subject_id, row.revision)
    now = row.document.written()
    backward = {name: now.get(name) for name in changes}
    if backward == changes:
        return row
    session.execute(delete(Edit).where(Edit.subject == subject, Edit.subject_id == subject_id, Edit.undone))
    _set(row, changes)
    written = row.document.written()
    then = {name: written[name] for name in changes}
    forward, backward = differences.kept(now, then), differences.kept(then, backward)
    session.add(Edit(subject=subject, subject_id=subject_id, words=words, forward=forward, backward=backward))
    return row


def step(
    session: Session, subject: Subject, subject_id: int, revision: int, way: Literal["undo", "redo"]
) -> tuple[Model, str | None]:
    """Undo the last edit, or redo the last undone one. Returns the row and the words of the edit, None when there was
    nothing to do. Raises Stale, NotThere."""
    row = locked(session, subject, subject_id)
    if row.revision != revision:
        raise Stale(subject, subject_id, row.revision)
    own = select(Edit).where(Edit.subject == subject, Edit.subject_id == subject_id)
    wanted = own.where(Edit.undone.is_(way == "redo")).order_by(Edit.id.desc() if way == "undo" else Edit.id).limit(1)
    edit = session.scalar(wanted)
    if edit is None:
        return row, None
    edit.undone = way == "undo"
    held = edit.backward if way == "undo" else edit.forward
    _set(row, differences.values_of(held, row.document.written()))
    return row, edit.words


def _words() -> Select[str | None, str | None]:
    own = select(Edit.words).where(Edit.subject == bindparam("subject"), Edit.subject_id == bindparam("subject_id"))
    undo = own.where(Edit.undone.is_(False)).order_by(Edit.id.desc()).limit(1).scalar_subquery()
    redo = own.where(Edit.undone.is_(True)).order_by(Edit.id).limit(1).scalar_subquery()
    return select(undo, redo)


_WORDS = _words()  # put together once: every page asks for them


def history(session: Session, subject: Subject, subject_id: int) -> tuple[str | None, str | None]:
    """Words of what undo and redo would do."""
    words = session.execute(_WORDS, {"subject": subject, "subject_id": subject_id}).one()
    return words[0], words[1]


def _set(row: Any, changes: dict[str, Any]) -> None:
    row.document = row.document.changed(changes)
    row.revision += 1
