"""What lies on the printer and in which mode it prints."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.files.documents.runs import RunDocument
from etiquette.stations import runs
from etiquette.stations.shop import Shop
from etiquette.store.models import PrintMode, Roll


def modes_of(session: Session, document: RunDocument) -> list[PrintMode]:
    """The modes of the run's printer on its stock."""
    of_both = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id, PrintMode.printer_id == document.printer_id
    )
    return list(session.scalars(of_both.order_by(PrintMode.id)))


def put_roll_on(shop: Shop, run_id: int) -> None:
    """Tell the printer that the roll of the run lies on it now, as its own panel would. Raises JobError."""

    def roll_of(session: Session) -> tuple[str, float, float]:
        roll = session.get_one(Roll, runs.run_there(session, run_id).document.roll_id)
        return roll.name, roll.stock.width_mm, roll.remaining_mm

    name, width, left = shop.database.within(roll_of)
    with shop.by_hand("printer", f"{name} is being put on") as held, held.line("printer") as line:
        line.ask("load roll", name=name, width_mm=width, left_mm=left)
