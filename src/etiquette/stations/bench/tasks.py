"""The tasks of the Bench. All of them move the cutter, and none waits for it."""

from sqlalchemy.orm import Session

from etiquette.stations.bench.schemas import CutWork, MarksRead, MatWork, ReadWork, RollAsked, SheetCut, SheetsCut
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


@task("read marks", machine="cutter", words="the marks of a sheet are being read")
def read_marks(shop: Shop, wanted: ReadWork, report: Report) -> Outcome[MarksRead]:
    from etiquette.stations.bench import mark_reading

    return mark_reading.read_sheet(shop, wanted, report)


def left_off(session: Session, arguments: CutWork, begun: bool) -> None:
    from etiquette.stations.bench import cutting

    cutting.left_off(session, arguments, begun)


@task("cut", machine="cutter", words="a sheet is being cut", broken=left_off)
def cut(shop: Shop, wanted: CutWork, report: Report) -> Outcome[SheetCut]:
    from etiquette.stations.bench import cutting

    return cutting.cut_sheet(shop, wanted, report)


@task("cut roll", machine="cutter", words="a roll is being cut")
def cut_roll(shop: Shop, wanted: RollAsked, report: Report) -> Outcome[SheetsCut]:
    from etiquette.stations.bench import rolls

    return rolls.cut_roll(shop, wanted, report)


@task("cut mat", machine="cutter", words="the sheets on a mat are being cut")
def cut_mat(shop: Shop, wanted: MatWork, report: Report) -> Outcome[SheetsCut]:
    from etiquette.stations.bench import mats

    return mats.cut_mat(shop, wanted, report)
