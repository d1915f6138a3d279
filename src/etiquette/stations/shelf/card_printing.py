"""Test cards on the printer: printed on the roll that lies there, scanned, and read from the scan."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CARDS, CardName
from etiquette.core.calibrating.printed import PAGE_MM, page_of, read_scan
from etiquette.core.errors import JobError, NotThere
from etiquette.devices.contracts import Document
from etiquette.sandbox.looks import looked_at
from etiquette.stations.ledger import book
from etiquette.stations.machines import PrinterHere, printer_here, printer_of_knife
from etiquette.stations.shelf import own_knife_cards
from etiquette.stations.shelf.card_cutting import named_card
from etiquette.stations.shelf.schemas import CardEntered, CardPrinted, CardRead, PrintedCard, ScanKept
from etiquette.stations.shop import Shop
from etiquette.store.models import Blob, Printer, Roll
from etiquette.tasks.task import Outcome, Report

SCANS = ("PNG", "JPEG", "TIFF")
MOST_SCAN_PIXELS = 200_000_000


def print_card(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardPrinted]:
    """Task: print the card `card` on the roll of `stock_id` that lies on the printer; that of its own knife is cut
    with it. The result names the print, or the tool that hands have to put in first."""
    name = named_card(entered.card)
    printer = shop.database.within(lambda session: printer_for_cards(session, entered))
    documents = [Document("colour", page_of(name, _nozzles(name, entered.readings)))]
    if name == "own knife":
        documents.append(own_knife_cards.cut_of(shop, name, entered, printer))
        if tool := own_knife_cards.tool_awaited(shop, entered, printer):
            return Outcome(CardPrinted(print="", waits_for=tool))
    driver = printer.driver()
    lying = driver.loaded()
    roll_id = shop.database.within(lambda session: _roll_there(session, entered.stock_id, [one.name for one in lying]))
    if roll_id is None:
        raise JobError(
            f"{printer.name} holds {lying[0].name if lying else 'nothing of that stock'}.",
            printer.name,
            "Choose the stock that lies there, or put on a roll of the one you chose.",
        )
    job = own_knife_cards.sent(shop, printer, driver, name, documents, report)
    return Outcome(CardPrinted(print=job), lambda session: _booked(session, roll_id, name, job))


def printer_for_cards(session: Session, entered: CardEntered) -> PrinterHere:
    """The printer that the card names, itself or by its knife, else the first one. Raises NotThere."""
    if with_knife := printer_of_knife(session, entered.cutter_id):
        return with_knife
    row = session.get(Printer, entered.printer_id) if entered.printer_id else None
    row = row or session.scalar(select(Printer).order_by(Printer.id))
    if row is None:
        raise NotThere("There is no printer on the Shelf.", "printer", "Add one first.")
    return printer_here(row)


def _roll_there(session: Session, stock_id: int, lying: list[str]) -> int | None:
    """The roll of a stock that lies on the printer; of a printer that does not say, the first roll of the stock."""
    rolls = session.scalars(select(Roll).where(Roll.stock_id == stock_id).order_by(Roll.id)).all()
    fits = [roll for roll in rolls if not lying or roll.name in lying or roll.stock.name in lying]
    return fits[0].id if fits else None


def _booked(session: Session, roll_id: int, name: CardName, job: str) -> None:
    book(session, roll_id, PAGE_MM[1], f"test card: {CARDS[name].title}", job)


def keep_scan(shop: Shop, content: bytes, mm_per_px: float | None = None) -> ScanKept:
    """Keep the picture of a printed card: of a scanner that says how fine it is, or `mm_per_px`. Raises JobError."""
    look = looked_at(content, "scan", MOST_SCAN_PIXELS, SCANS, pixels=False)
    if mm_per_px is None:
        if not 100 <= look.dpi <= 10_000:
            raise JobError("The scan does not say how fine it is.", "scan", "Save it with its dots an inch.")
        mm_per_px = 25.4 / look.dpi
    sha = shop.database.within(lambda session: shop.blobs.put(session, content, f"image/{look.form.lower()}"))
    return ScanKept(scan=sha, mm_per_px=mm_per_px)


def read_printed_card(shop: Shop, entered: PrintedCard, report: Report) -> Outcome[CardRead]:
    """Task: read the card `card` from its `scan`. The result has its `readings`."""
    name = named_card(entered.card)
    report(0.1, "Looking at the scan")
    content = scan_bytes(shop, entered.scan)
    grey = looked_at(content, "scan", MOST_SCAN_PIXELS, SCANS).grey
    assert grey is not None
    found = read_scan(name, grey, entered.mm_per_px, _nozzles(name, entered.readings))
    return Outcome(CardRead(readings={**entered.readings, **found}))


def scan_bytes(shop: Shop, sha: str) -> bytes:
    """Raises NotThere."""
    if not shop.database.within(lambda session: session.get(Blob, sha)):
        raise NotThere("That scan is not kept any more.", "scan", "Scan the card again.")
    return shop.blobs.read(sha)


def _nozzles(name: CardName, readings: dict[str, float]) -> int:
    return int(readings.get("nozzles", CARDS["nozzles"].questions[0].usual)) if name == "nozzles" else 0
