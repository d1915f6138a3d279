"""Changing what has a history: one edit, and undo and redo, in the same way for designs and runs."""

from collections.abc import Callable
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path
from sqlalchemy.orm import Session

from etiquette.stations import edits
from etiquette.stations.shop import Shop
from etiquette.web.dependencies import ShopHere, within
from etiquette.web.schemas import EditAsked, StepAsked

Change = Callable[[Session, int, int | None, str, dict[str, Any]], None]


def add_edit_routes(
    router: APIRouter, subject: edits.Subject, change: Change, show: Callable[[Shop, int], object], shown: type
) -> None:
    """POST …/edits, …/undo and …/redo of a `subject`; each answers with the current state as `show` makes it."""

    path = f"/{{{subject}_id}}"
    number = Path(alias=f"{subject}_id")

    @router.post(f"{path}/edits", response_model=shown, name=f"change {subject}")
    def change_one(shop: ShopHere, subject_id: Annotated[int, number], asked: EditAsked) -> object:
        within(shop, lambda session: change(session, subject_id, asked.revision, asked.words, asked.changes))
        return show(shop, subject_id)

    @router.post(path + "/{way}", response_model=shown, name=f"step {subject}")
    def step_one(
        shop: ShopHere, subject_id: Annotated[int, number], way: Literal["undo", "redo"], asked: StepAsked
    ) -> object:
        within(shop, lambda session: edits.step(session, subject, subject_id, asked.revision, way))
        return show(shop, subject_id)
