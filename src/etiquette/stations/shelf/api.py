"""Shelf: stocks, rolls, cutters, mark sets, colours."""

from fastapi import APIRouter

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations.shelf import keeping
from etiquette.stations.shelf.schemas import PresetAsked, ShelfEdit, ShelfShown
from etiquette.stations.shelf.things import InkColourValues

router = APIRouter(prefix="/api/shelf", tags=["shelf"], dependencies=[needs(Right.KEEP)])


@router.get("")
def show_shelf(shop: ShopHere) -> ShelfShown:
    return within(shop, keeping.everything)


@router.post("/{kind}/{row_id}")
def change_shelf(shop: ShopHere, kind: str, row_id: int, asked: ShelfEdit) -> ShelfShown:
    within(shop, lambda session: keeping.change(session, kind, row_id, asked.version, asked.changes))
    return show_shelf(shop)


@router.post("/colours")
def add_colour(shop: ShopHere, asked: InkColourValues) -> ShelfShown:
    within(shop, lambda session: keeping.add_colour(session, asked))
    return show_shelf(shop)


@router.post("/mark-sets")
def add_mark_set(shop: ShopHere, asked: PresetAsked) -> ShelfShown:
    within(shop, lambda session: keeping.add_mark_set(session, asked.preset))
    return show_shelf(shop)


@router.delete("/colours/{row_id}")
def remove_colour(shop: ShopHere, row_id: int) -> ShelfShown:
    within(shop, lambda session: keeping.remove_colour(session, row_id))
    return show_shelf(shop)
