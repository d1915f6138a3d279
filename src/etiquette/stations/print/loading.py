"""What a run is printed on: in which modes, what the printer calls its stock, and which roll hands put on it."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.core.printing.roll_labels import roll_code
from etiquette.files.documents.runs import RunDocument
from etiquette.stations.machines import printer_of_run
from etiquette.stations.runs import run_there
from etiquette.store.models import Printer, PrintMode, Roll, Stock


def modes_of(session: Session, document: RunDocument) -> list[PrintMode]:
    """The modes of the run's printer on its stock; none that is put away or for braille alone, but for the one it is
    printed in."""
    of_both = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id,
        PrintMode.printer_id == document.printer_id,
        (~PrintMode.away & ~PrintMode.tactile) | (PrintMode.id == document.print_mode_id),
    )
    return list(session.scalars(of_both.order_by(PrintMode.id)))


def call_it(session: Session, run_id: int, name: str) -> None:
    """From now on the printer of a run means the stock of the run by `name`. Raises NotThere, JobError."""
    run = run_there(session, run_id)
    printer = printer_of_run(session, run)
    stock = session.get_one(Stock, run.document.stock_id, with_for_update=True)
    stock.names = {**stock.names, str(printer.id): name}


def lies_there(session: Session, run_id: int, scanned: str) -> None:
    """The roll whose label was scanned lies on the printer of a run. Raises NotThere, JobError."""
    printer = printer_of_run(session, run_there(session, run_id))
    code = roll_code(scanned)
    roll = session.scalar(select(Roll).where(Roll.code == code)) if code else None
    if roll is None:
        raise NotThere(
            f"No roll has the label “{scanned.strip()[:40]}”.",
            "the label",
            "Scan the square code on the label of a roll, or type its six letters; labels are printed on the Shelf.",
        )
    session.get_one(Printer, printer.id, with_for_update=True).roll_id = roll.id


def lies_there_no_more(session: Session, run_id: int) -> None:
    """Raises NotThere, JobError."""
    printer = printer_of_run(session, run_there(session, run_id))
    session.get_one(Printer, printer.id, with_for_update=True).roll_id = None
