"""Sheets by number."""

from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.store.models import Sheet
from etiquette.store.states import SheetState


def back_on_shelf(sheet: Sheet) -> None:
    """The sheet lies on no machine any more; whether it has film, it keeps."""
    sheet.state, sheet.reading = SheetState.LAMINATED if sheet.film else SheetState.PRINTED, None


def sheet_there(session: Session, sheet_id: int) -> Sheet:
    """Raises NotThere."""
    sheet = session.get(Sheet, sheet_id)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Choose one from the shelf of printed sheets.")
    return sheet
