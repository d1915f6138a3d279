"""Test cards: what they ask, what was read off them."""

from datetime import UTC

from fastapi import APIRouter, Response, UploadFile
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CARDS
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.schemas import TaskMade
from etiquette.stations.shelf import card_printing, card_readings, tasks
from etiquette.stations.shelf.schemas import CardEntered, CardsShown, PrintedCard, ReadingEntered, ScanKept

router = APIRouter(prefix="/api/test-cards", tags=["test cards"], dependencies=[needs(Right.CUT)])


@router.get("")
def show_cards(shop: ShopHere) -> CardsShown:
    def shown(session: Session) -> CardsShown:
        held = [
            ReadingEntered(
                id=one.id,
                card=one.card,
                words=one.words,
                cutter_id=one.cutter_id,
                printer_id=one.printer_id,
                stock_id=one.stock_id,
                at=one.at.replace(tzinfo=UTC),
            )
            for one in card_readings.history(session)
        ]
        return CardsShown(cards=list(CARDS.values()), history=held)

    return within(shop, shown)


@router.post("")
def enter(shop: ShopHere, asked: CardEntered) -> CardsShown:
    within(shop, lambda session: card_readings.enter(session, asked))
    return show_cards(shop)


@router.post("/cut")
def cut_card(asked: CardEntered, submit: TaskSubmitter) -> TaskMade:
    """Cut a card on a bare piece of stock. The same key cuts one."""
    return TaskMade(task_id=submit(tasks.cut_card, asked, asked.key and f"card {asked.key}"))


@router.post("/read")
def read_card(asked: CardEntered, submit: TaskSubmitter) -> TaskMade:
    """Read the card that lies on the cutter with its cameras."""
    return TaskMade(task_id=submit(tasks.read_card, asked))


@router.post("/print")
def print_card(asked: CardEntered, submit: TaskSubmitter) -> TaskMade:
    """Print a card on the roll that lies on the printer. The same key prints one."""
    return TaskMade(task_id=submit(tasks.print_card, asked, asked.key and f"card {asked.key}"))


@router.post("/scans")
def keep_scan(shop: ShopHere, file: UploadFile) -> ScanKept:
    """A printed card from the shop's own scanner."""
    return card_printing.keep_scan(shop, file.file.read())


@router.post("/scans/read")
def read_print(asked: PrintedCard, submit: TaskSubmitter) -> TaskMade:
    """Read a printed card from its scan."""
    return TaskMade(task_id=submit(tasks.read_printed_card, asked))


@router.get("/scans/{sha}", response_class=Response)
def scan(shop: ShopHere, sha: str) -> Response:
    content = card_printing.scan_bytes(shop, sha)
    return Response(content, media_type="image/png", headers={"Cache-Control": "private, max-age=3600"})
