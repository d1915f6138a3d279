"""What a run is printed on: in which modes, and what the printer calls its stock."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.files.documents.runs import RunDocument
from etiquette.stations.machines import printer_of_run
from etiquette.stations.runs import run_there
from etiquette.store.models import PrintMode, Stock


def modes_of(session: Session, document: RunDocument) -> list[PrintMode]:
    """The modes of the run's printer on its stock."""
    of_both = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id, PrintMode.printer_id == document.printer_id
    )
    return list(session.scalars(of_both.order_by(PrintMode.id)))


def call_it(session: Session, run_id: int, name: str) -> None:
    """From now on the printer of a run means the stock of the run by `name`. Raises NotThere, JobError."""
    run = run_there(session, run_id)
    printer = printer_of_run(session, run)
    stock = session.get_one(Stock, run.document.stock_id, with_for_update=True)
    stock.names = {**stock.names, str(printer.id): name}
