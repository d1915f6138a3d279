"""Film on a printed sheet: hands put it on, and say so."""

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import drying_of, goes_on, length_of, sheet_there, still_printed
from etiquette.store.models import Plate, Run, Sheet, now


def refuse_early(session: Session, sheet: Sheet, anyway: bool) -> None:
    """Raises JobError when the sheet cannot get film now, or its ink is wet and that was not said to be all the
    same."""
    if sheet.state != "printed":
        raise JobError("This sheet cannot get film now.", sheet.name, "Only a printed sheet without film can.")
    if still_printed(sheet):
        raise JobError(
            f"{sheet.name} hangs together with frames that are still to be printed.",
            sheet.name,
            "Wait for the last of them, or cut it off and say so.",
        )
    wet = drying_of(session, sheet).film_at
    if wet and wet > now() and not anyway:
        minutes = (wet - now()).total_seconds() / 60
        raise JobError(
            f"The ink dries for {minutes:.0f} more minutes.", sheet.name, "Wait, or put the film on all the same."
        )


def film_is_on(session: Session, sheet_id: int, anyway: bool) -> None:
    """Film on a sheet, and on all that hangs together with it. Film that comes too early is noted. Raises NotThere,
    JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True) or sheet_there(session, sheet_id)
    refuse_early(session, sheet, anyway)
    ready = drying_of(session, sheet).film_at
    if ready and ready > now():
        minutes = (ready - now()).total_seconds() / 60
        noted(session, sheet.id, "look", f"{sheet.name} got its film {minutes:.0f} min before it was ready for it.")
    for one in length_of(sheet):
        if one.state == "printed":
            one.film = True
            goes_on(session, one, session.get_one(Run, session.get_one(Plate, one.plate_id).run_id))


def cut_off(session: Session, sheet_id: int) -> None:
    """Hands have cut off what is printed of a length: that is one by itself from now on. Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id, with_for_update=True) or sheet_there(session, sheet_id)
    rest = still_printed(sheet)
    if not rest or sheet in rest:
        raise JobError("Nothing is to be cut off here.", sheet.name, "Look at the list of printed sheets again.")
    for one in rest:
        one.length = f"{sheet.length}, after {sheet.id}"[-80:] if len(rest) > 1 else None
    noted(session, sheet.id, "look", f"{sheet.name} is cut off; {len(rest)} frames behind it are still printed.")
