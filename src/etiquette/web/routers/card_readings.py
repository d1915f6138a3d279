"""Test cards: what they ask, what was read off them."""

from dataclasses import asdict
from datetime import UTC

from fastapi import APIRouter
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CARDS
from etiquette.stations import card_readings
from etiquette.web.bench_schemas import CardEntered, CardsShown, ReadingEntered
from etiquette.web.dependencies import ShopHere, within

router = APIRouter(prefix="/api/test-cards", tags=["test cards"])


@router.get("")
def show_cards(shop: ShopHere) -> CardsShown:
    def shown(session: Session) -> CardsShown:
        held = [
            ReadingEntered(
                id=one.id,
                card=one.card,
                words=one.words,
                cutter_id=one.cutter_id,
                stock_id=one.stock_id,
                at=one.at.replace(tzinfo=UTC),
            )
            for one in card_readings.history(session)
        ]
        return CardsShown(cards=[asdict(card) for card in CARDS.values()], history=held)  # type: ignore[arg-type]

    return within(shop, shown)


@router.post("")
def enter(shop: ShopHere, asked: CardEntered) -> CardsShown:
    within(shop, lambda session: card_readings.enter(session, asked.card, asked.cutter_id, asked.stock_id, asked.kind, asked.readings))  # fmt: skip
    return show_cards(shop)
