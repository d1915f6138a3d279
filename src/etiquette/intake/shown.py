"""What is shown of folders and orders."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.intake.folders import all_folders
from etiquette.intake.gathering import length_mm, waiting
from etiquette.store.models import Order, Recipe

LATEST = 12


@dataclass(frozen=True)
class FolderSeen:
    id: int
    name: str
    path: str
    recipe_id: int | None
    recipe: str
    pattern: str
    gather: str
    gather_metres: float
    gather_hour: int
    problem: str
    version: int
    waiting: int
    waiting_mm: float
    states: dict[str, int]
    """How many of all its orders are in each state."""
    latest: Sequence[Order]


def folders_seen(session: Session) -> list[FolderSeen]:
    """Every folder, with what waits in it and its newest orders."""
    found = []
    for row in all_folders(session):
        there = waiting(session, row.id)
        recipe = session.get(Recipe, row.recipe_id or 0)
        of_folder = select(Order).where(Order.folder_id == row.id).order_by(Order.id.desc()).limit(LATEST)
        states = select(Order.state, func.count()).where(Order.folder_id == row.id).group_by(Order.state)
        counts = {str(state): count for state, count in session.execute(states).tuples()}
        found.append(FolderSeen(
            row.id, row.name, row.path, row.recipe_id, recipe.name if recipe else "", row.pattern, row.gather,
            row.gather_metres, row.gather_hour, row.problem, row.version, len(there),
            length_mm(session, there) if there else 0.0, counts, session.scalars(of_folder).all(),
        ))  # fmt: skip
    return found


def order_there(session: Session, order_id: int) -> Order:
    """Raises NotThere."""
    row = session.get(Order, order_id)
    if row is None:
        raise NotThere("There is no such order.", f"order {order_id}", "Look at the folder again.")
    return row


def recipe_named(session: Session, name: str) -> int:
    """Raises JobError."""
    found = session.scalar(select(Recipe.id).where(Recipe.name == name.strip(), ~Recipe.away))
    if found is None:
        raise JobError(f"There is no recipe {name.strip()}.", "recipe", "Name one that stands on the Shelf.")
    return found
