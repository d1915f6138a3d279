"""What is shown of folders and orders."""

from datetime import UTC

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.intake.folders import all_folders
from etiquette.intake.gathering import length_mm, waiting
from etiquette.intake.schemas import FolderShown, OrderShown
from etiquette.store.models import Order, Recipe

LATEST = 12
KEPT = ("id", "name", "path", "recipe_id", "pattern", "gather", "gather_metres", "gather_hour", "problem", "version")
"""What of a folder is shown as it is kept."""


def folders_shown(session: Session) -> list[FolderShown]:
    """Every folder, with what waits in it and its newest orders."""
    found = []
    for row in all_folders(session):
        there = waiting(session, row.id)
        recipe = session.get(Recipe, row.recipe_id or 0)
        of_folder = select(Order).where(Order.folder_id == row.id).order_by(Order.id.desc()).limit(LATEST)
        states = select(Order.state, func.count()).where(Order.folder_id == row.id).group_by(Order.state)
        own = {name: getattr(row, name) for name in KEPT}
        found.append(
            FolderShown(
                **own,
                recipe=recipe.name if recipe else "",
                waiting=len(there),
                waiting_mm=length_mm(session, there) if there else 0.0,
                states={str(state): count for state, count in session.execute(states).tuples()},
                latest=[_shown(one) for one in session.scalars(of_folder)],
            )
        )
    return found


def order_shown(session: Session, order_id: int) -> OrderShown:
    """Raises NotThere."""
    row = session.get(Order, order_id)
    if row is None:
        raise NotThere("There is no such order.", f"order {order_id}", "Look at the folder again.")
    return _shown(row)


def _shown(row: Order) -> OrderShown:
    own = {name: getattr(row, name) for name in ("id", "file_name", "state", "words", "job_id", "run_id", "newer_of")}
    return OrderShown(**own, at=row.at.replace(tzinfo=UTC))


def recipe_named(session: Session, name: str) -> int:
    """Raises JobError."""
    found = session.scalar(select(Recipe.id).where(Recipe.name == name.strip(), ~Recipe.away))
    if found is None:
        raise JobError(f"There is no recipe {name.strip()}.", "recipe", "Name one that stands on the Shelf.")
    return found
