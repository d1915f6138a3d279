"""A recipe used for a design that is there."""

from sqlalchemy.orm import Session

from etiquette.stations import recipes
from etiquette.stations.designs import state_of
from etiquette.stations.lines.editing import use
from etiquette.stations.lines.taking_in import ArrangeStep, arrange_art
from etiquette.stations.shop import Shop


def use_recipe(shop: Shop, design_id: int, revision: int, recipe_id: int) -> None:
    """What a recipe chose for lines. Where that is the other surface, the art is mirrored first, in an edit of its own.
    Raises JobError, NotThere, Stale."""

    def chosen(session: Session) -> bool:
        wanted = recipes.recipe_there(session, recipe_id).document.lines.get("second_surface")
        return wanted is not None and wanted != state_of(session, design_id).document.second_surface

    turns = shop.database.within(chosen)
    if turns:
        arrange_art(shop, design_id, revision, ArrangeStep(do="second surface"))
    shop.database.within(lambda session: use(session, design_id, None if turns else revision, recipe_id))
