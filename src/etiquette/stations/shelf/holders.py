"""The drawing of a holder for blanks."""

from sqlalchemy.orm import Session

from etiquette.core.cutting.drawings import DrawingForm
from etiquette.core.cutting.holders import Holder, holder_drawing
from etiquette.core.errors import NotThere
from etiquette.files.documents.runs import Blank
from etiquette.store.models import Holder as HolderRow


def drawing(session: Session, holder_id: int, form: DrawingForm) -> bytes:
    """Raises NotThere."""
    row = session.get(HolderRow, holder_id)
    if row is None:
        raise NotThere("There is no such holder.", f"holder {holder_id}", "Choose one that stands on the Shelf.")
    places = tuple(Blank.model_validate(one).to_place() for one in row.places)
    return holder_drawing(Holder(row.width_mm, row.length_mm, places, row.play_mm), form)
