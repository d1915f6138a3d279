"""Film on a printed sheet: hands put it on, and say so."""

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations.sheets import dry_at, goes_on, sheet_there
from etiquette.store.models import Plate, Run, Sheet, now


def refuse_early(session: Session, sheet: Sheet, anyway: bool) -> None:
    """Raises JobError when the sheet cannot get film now, or its ink is wet and that was not said to be all the
    same."""
    if sheet.state != "printed":
        raise JobError("This sheet cannot get film now.", sheet.name, "Only a printed sheet without film can.")
    wet = dry_at(session, sheet)
    if wet and wet > now() and not anyway:
        minutes = (wet - now()).total_seconds() / 60
        raise JobError(
            f"The ink dries for {minutes:.0f} more minutes.", sheet.name, "Wait, or put the film on all the same."
        )


def film_is_on(session: Session, sheet_id: int, anyway: bool) -> None:
    """Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True) or sheet_there(session, sheet_id)
    refuse_early(session, sheet, anyway)
    sheet.film = True
    goes_on(session, sheet, session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id))
