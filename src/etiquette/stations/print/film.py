"""Film on a printed sheet."""

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations.print.schemas import FilmPutOn, FilmWork
from etiquette.stations.sheets import dry_at
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Run, Sheet, now
from etiquette.store.states import RunState, SheetState
from etiquette.tasks.task import Outcome, Report


def laminate_sheet(shop: Shop, wanted: FilmWork, report: Report) -> Outcome[FilmPutOn]:
    """Task: put the sheet through the laminator."""
    sheet = shop.database.within(lambda session: session.get_one(Sheet, wanted.sheet_id))
    if sheet.state != "printed":
        raise JobError(
            "This sheet cannot go through the laminator now.", sheet.name, "Only a printed sheet without film can."
        )
    wet = shop.database.within(lambda session: dry_at(session, session.get_one(Sheet, sheet.id)))
    if wet and wet > now() and not wanted.anyway:
        minutes = (wet - now()).total_seconds() / 60
        raise JobError(
            f"The ink dries for {minutes:.0f} more minutes.", sheet.name, "Wait, or put the film on all the same."
        )
    report(0.1, "Film on")
    with shop.line("laminator") as line:
        line.ask("laminate", name=sheet.name, seed=wanted.seed)

    def publish(session: Session) -> None:
        row = session.get_one(Sheet, sheet.id)
        row.state, row.film = SheetState.LAMINATED, True
        session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id).state = RunState.CUTTER

    return Outcome(FilmPutOn(sheet_id=sheet.id), publish)
