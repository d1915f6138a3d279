"""Layouts side by side: set aside to compare, taken back, let go; and the better one that the background offers."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.documents.runs import LAYOUT_SETTINGS, MOST_KEPT, KeptLayout
from etiquette.stations import edits, runs
from etiquette.stations.runs import Figures, RunState
from etiquette.stations.shop import Shop
from etiquette.store.models import Run


class LayoutStep(BaseModel):
    """Keep the layout of the run as it is; take or let go the kept one numbered `which`, None for the one offered."""

    model_config = ConfigDict(extra="forbid")
    do: Literal["keep", "take", "let go"]
    which: int | None = Field(default=None, ge=0)


def compare(shop: Shop, session: Session, run_id: int, revision: int, step: LayoutStep) -> None:
    """One edit. Raises JobError, Stale, NotThere."""
    row = edits.locked(session, "run", run_id)
    assert isinstance(row, Run)
    state = runs.state_of(shop, session, run_id)
    if step.do == "keep":
        _keep(session, state, revision)
    elif step.which is None:
        offer = row.offer
        if offer is None:
            raise JobError("Nothing better is offered any more.", state.document.name, "Nest again to look for it.")
        row.offer = None
        if step.do == "take":
            if offer["layout_key"] != state.key:
                raise JobError(
                    "The run was changed after this was found.", state.document.name, "Press N to nest it as it is now."
                )
            edits.apply(session, "run", run_id, revision, "took the better layout", offer)
    else:
        _take_or_leave(session, state, revision, step.do, step.which)


def _keep(session: Session, state: RunState, revision: int) -> None:
    document, figures = state.document, state.figures
    if document.layout is None or figures is None or figures.stock_cost is None:
        raise JobError("There is no layout of the run as it is now.", document.name, "Press N to nest it first.")
    if len(document.kept) >= MOST_KEPT:
        raise JobError(f"{MOST_KEPT} layouts are kept already.", document.name, "Let one go first.")
    names = {one.name for one in document.kept}
    name = next(letter for letter in "ABCDE" if f"Layout {letter}" not in names)
    whole = document.model_dump(mode="json", by_alias=True)
    kept = KeptLayout(
        name=f"Layout {name}",
        settings={key: whole[key] for key in LAYOUT_SETTINGS},
        length_mm=figures.length_mm,
        used_share=figures.used_share,
        pieces=figures.pieces,
        cost=figures.stock_cost,
    )
    changes = {"kept": [*whole["kept"], kept.model_dump(mode="json")]}
    edits.apply(session, "run", state.run.id, revision, f"kept {kept.name} to compare", changes)


def _take_or_leave(session: Session, state: RunState, revision: int, do: str, which: int) -> None:
    held = state.document.model_dump(mode="json", by_alias=True)["kept"]
    if which >= len(held):
        raise JobError("This layout is not kept any more.", state.document.name, "Choose one that is shown.")
    if do == "take":
        edits.apply(session, "run", state.run.id, revision, f"took {held[which]['name']}", held[which]["settings"])
    else:
        rest = [one for number, one in enumerate(held) if number != which]
        edits.apply(session, "run", state.run.id, revision, f"let go {held[which]['name']}", {"kept": rest})


def kept_state(shop: Shop, session: Session, run_id: int, which: int) -> RunState:
    """The run as it would be with a kept layout. Raises JobError, NotThere."""
    document = runs.run_there(session, run_id).document
    if which >= len(document.kept):
        raise JobError("This layout is not kept any more.", document.name, "Choose one that is shown.")
    return runs.state_with(shop, session, run_id, document.kept[which].settings)


def offered(shop: Shop, session: Session, state: RunState) -> Figures | None:
    """What the offered layout would use, or None while there is none for the run as it is."""
    offer: dict[str, Any] | None = state.run.offer
    if offer is None or offer["layout_key"] != state.key or state.figures is None:
        return None
    figures = runs.state_with(shop, session, state.run.id, offer).figures
    if figures is None or (figures.pieces <= state.figures.pieces and figures.length_mm >= state.figures.length_mm):
        return None
    return figures
