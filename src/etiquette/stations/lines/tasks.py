"""The tasks of Lines."""

from etiquette.stations.lines.looking_schemas import AllLinesFound
from etiquette.stations.lines.rows_schemas import RowsChecked
from etiquette.stations.lines.tiles_schemas import SeamsFound, TilesMade
from etiquette.stations.schemas import LinesFound, OfDesign, OfJob
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


@task("find lines")
def find_lines(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[LinesFound]:
    from etiquette.stations import line_finding

    return line_finding.find_lines(shop, wanted, report)


@task("find lines of a job")
def find_all_lines(shop: Shop, wanted: OfJob, report: Report) -> Outcome[AllLinesFound]:
    from etiquette.stations.lines import looking_over

    return looking_over.find_all(shop, wanted, report)


@task("check rows")
def check_rows(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[RowsChecked]:
    from etiquette.stations.lines import rows

    return rows.check(shop, wanted, report)


@task("find seams")
def find_seams(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[SeamsFound]:
    from etiquette.stations.lines import tiling

    return tiling.find_seams(shop, wanted, report)


@task("make tiles")
def make_tiles(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[TilesMade]:
    from etiquette.stations.lines import tiling

    return tiling.make_tiles(shop, wanted, report)
