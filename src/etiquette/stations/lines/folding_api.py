"""Folded work: panels about their creases, and flat forms."""

from fastapi import APIRouter

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations.lines import folding
from etiquette.stations.lines.folding_schemas import DesignMade, FoldShown, FormAsked, FormMade, FormShown

router = APIRouter(prefix="/api/folds", tags=["lines"], dependencies=[needs(Right.PREPARE)])


@router.post("/form")
def show_form(asked: FormAsked) -> FormShown:
    """A flat form as it would be drawn."""
    return folding.form_shown(asked)


@router.post("/forms")
def make_form(shop: ShopHere, asked: FormMade) -> DesignMade:
    """A design of it."""
    return DesignMade(design_id=folding.make_form(shop, asked))


@router.get("/{design_id}")
def show_folds(shop: ShopHere, design_id: int) -> FoldShown:
    return within(shop, lambda session: folding.fold_shown(shop, session, design_id))
