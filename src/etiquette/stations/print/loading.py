"""In which modes a run can be printed."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.files.documents.runs import RunDocument
from etiquette.store.models import PrintMode


def modes_of(session: Session, document: RunDocument) -> list[PrintMode]:
    """The modes of the run's printer on its stock."""
    of_both = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id, PrintMode.printer_id == document.printer_id
    )
    return list(session.scalars(of_both.order_by(PrintMode.id)))
