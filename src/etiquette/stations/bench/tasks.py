"""The tasks of the Bench. All of them move the cutter, and none waits for it."""

from sqlalchemy.orm import Session

from etiquette.stations.bench.schemas import CutWork, MarksRead, MatAsked, ReadWork, RollAsked, SheetCut, SheetsCut
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


def _cutter_of(session: Session, arguments: ReadWork | CutWork) -> str:
    return cutter_of_sheet(session, arguments.sheet_id).key


def _cutter_of_all(session: Session, arguments: RollAsked | MatAsked) -> str:
    """Of sheets that lie on one cutter."""
    return cutter_of_sheet(session, next(iter(arguments.sheet_ids), None)).key


@task("read marks", machine=_cutter_of, words="the marks of a sheet are being read")
def read_marks(shop: Shop, wanted: ReadWork, report: Report) -> Outcome[MarksRead]:
    from etiquette.stations.bench import mark_reading

    return mark_reading.read_sheet(shop, wanted, report)


def left_off(session: Session, arguments: CutWork, begun: bool) -> None:
    from etiquette.stations.bench import cutting

    cutting.left_off(session, arguments, begun)


@task("cut", machine=_cutter_of, words="a sheet is being cut", broken=left_off)
def cut(shop: Shop, wanted: CutWork, report: Report) -> Outcome[SheetCut]:
    from etiquette.stations.bench import cutting

    return cutting.cut_sheet(shop, wanted, report)


@task("cut roll", machine=_cutter_of_all, words="a roll is being cut")
def cut_roll(shop: Shop, wanted: RollAsked, report: Report) -> Outcome[SheetsCut]:
    from etiquette.stations.bench import rolls

    return rolls.cut_roll(shop, wanted, report)


@task("cut mat", machine=_cutter_of_all, words="the sheets on a mat are being cut")
def cut_mat(shop: Shop, wanted: MatAsked, report: Report) -> Outcome[SheetsCut]:
    from etiquette.stations.bench import mats

    return mats.cut_mat(shop, wanted, report)
