"""The tasks of Print."""

from sqlalchemy.orm import Session

from etiquette.stations.machines import printer_of_sheet
from etiquette.stations.print.schemas import PlatesMade, PrintWork, SheetPrinted
from etiquette.stations.schemas import OfRun
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


@task("make plate")
def make_plates(shop: Shop, wanted: OfRun, report: Report) -> Outcome[PlatesMade]:
    from etiquette.stations.print import plating

    return plating.make_plates(shop, wanted, report)


def left_unclear(session: Session, arguments: PrintWork, begun: bool) -> None:
    from etiquette.stations.print import following

    following.left_unclear(session, arguments, begun)


def _printer_of(session: Session, arguments: PrintWork) -> str:
    return printer_of_sheet(session, arguments.sheet_id).key


def _asked_about(arguments: PrintWork) -> PrintWork:
    """It reports once the printer has it: nothing is handed over again, only what became of it is asked."""
    return arguments.model_copy(update={"again": True})


@task(
    "print",
    machine=_printer_of,
    words="a sheet is being printed",
    queues=True,
    broken=left_unclear,
    goes_on=_asked_about,
)
def print_sheet(shop: Shop, wanted: PrintWork, report: Report) -> Outcome[SheetPrinted]:
    from etiquette.stations.print import following

    return following.print_plate(shop, wanted, report)
