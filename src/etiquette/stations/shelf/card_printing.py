"""Test cards on the printer: printed on the roll that lies there, scanned, and read from the scan."""

import base64
import secrets
import time
from io import BytesIO

import numpy as np
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CARDS, CardName
from etiquette.core.calibrating.printed import PAGE_MM, page_of, read_scan
from etiquette.core.errors import JobError
from etiquette.devices.open_directory import drop_job
from etiquette.stations.ledger import book
from etiquette.stations.shelf.card_cutting import named_card
from etiquette.stations.shelf.schemas import CardEntered, CardPrinted, CardRead, PrintedCard
from etiquette.stations.shop import LOOK_SECONDS, Shop
from etiquette.store.models import Roll, now
from etiquette.tasks.task import Outcome, Report


def print_card(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardPrinted]:
    """Task: print the card `card` on the roll of `stock_id` that lies on the printer. The result names the print."""
    name = named_card(entered.card)
    content = page_of(name, _nozzles(name, entered.readings))
    device = shop.device("printer")
    job = f"CARD-{name}-{secrets.token_hex(4)}"
    with shop.line("printer") as line:
        held = line.ask("state")["roll"]["name"]
        roll = shop.database.within(lambda session: session.scalar(select(Roll).where(Roll.name == held)))
        if roll is None or roll.stock_id != entered.stock_id:
            raise JobError(
                f"{device.name} holds {held}.",
                device.name,
                "Choose the stock that lies there, or put on a roll of the one you chose.",
            )
        ticket = {"plates": ["colour"], "job": job, "title": CARDS[name].title, "scan": True, "sent": now().isoformat()}
        shop.still_mine()
        drop_job(shop.settings.room / "printer", job, {".pdf": content}, ticket)
        while True:  # for as long as the printer answers
            status = line.ask("job", name=job)
            if status.get("state") == "failed":
                raise JobError(
                    f"{device.name} stopped: {status.get('why', 'it does not say why')}",
                    device.name,
                    "Put that right and print the card again.",
                )
            if status.get("state") == "done":
                return Outcome(CardPrinted(print=job), lambda session: _booked(session, roll.id, name, job))
            share = float(status.get("share", 0.0))
            report(share, f"Printing {share * 100:.0f} %")
            time.sleep(LOOK_SECONDS)


def _booked(session: Session, roll_id: int, name: CardName, job: str) -> None:
    book(session, roll_id, PAGE_MM[1], f"test card: {CARDS[name].title}", job)


def read_printed_card(shop: Shop, entered: PrintedCard, report: Report) -> Outcome[CardRead]:
    """Task: read the card `card` from the scan of its `print`. The result has its `readings`."""
    name = named_card(entered.card)
    report(0.1, "Looking at the scan")
    content, mm_per_px = scan(shop, entered.print)
    grey = np.asarray(Image.open(BytesIO(content)).convert("L"), dtype=np.uint8)
    found = read_scan(name, grey, mm_per_px, _nozzles(name, entered.readings))
    return Outcome(CardRead(readings={**entered.readings, **found}))


def scan(shop: Shop, job: str) -> tuple[bytes, float]:
    """The scan of a printed card, PNG, and its scale in mm a pixel. Raises JobError."""
    with shop.line("printer") as line:
        answer = line.ask("scan", name=job)
    return base64.b64decode(answer["png"]), float(answer["mm_per_px"])


def _nozzles(name: CardName, readings: dict[str, float]) -> int:
    return int(readings.get("nozzles", CARDS["nozzles"].questions[0].usual)) if name == "nozzles" else 0
