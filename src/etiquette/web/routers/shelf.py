"""Shelf: stocks, rolls, cutters, mark sets, colours."""

from fastapi import APIRouter

from etiquette.core.marking.marks import PRESETS
from etiquette.stations import shelf
from etiquette.stations.shelf import InkColourValues
from etiquette.web.dependencies import ShopHere, within
from etiquette.web.schemas import PresetAsked, ShelfEdit, ShelfShown

router = APIRouter(prefix="/api/shelf", tags=["shelf"])


@router.get("")
def show_shelf(shop: ShopHere) -> ShelfShown:
    return ShelfShown(**within(shop, shelf.everything), mark_presets=list(PRESETS))


@router.post("/{kind}/{row_id}")
def change_shelf(shop: ShopHere, kind: str, row_id: int, asked: ShelfEdit) -> ShelfShown:
    within(shop, lambda session: shelf.change(session, kind, row_id, asked.version, asked.changes))
    return show_shelf(shop)


@router.post("/colours")
def add_colour(shop: ShopHere, asked: InkColourValues) -> ShelfShown:
    within(shop, lambda session: shelf.add_colour(session, asked))
    return show_shelf(shop)


@router.post("/mark-sets")
def add_mark_set(shop: ShopHere, asked: PresetAsked) -> ShelfShown:
    within(shop, lambda session: shelf.add_mark_set(session, asked.preset))
    return show_shelf(shop)


@router.delete("/colours/{row_id}")
def remove_colour(shop: ShopHere, row_id: int) -> ShelfShown:
    within(shop, lambda session: shelf.remove_colour(session, row_id))
    return show_shelf(shop)
