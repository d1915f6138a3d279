"""The tasks of Run."""

from etiquette.stations.run.schemas import Improved, Nested, NestWork
from etiquette.stations.run.web_schemas import OfWeb, WebMade
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


@task("nest")
def nest(shop: Shop, wanted: NestWork, report: Report) -> Outcome[Nested]:
    from etiquette.stations.run import nesting

    return nesting.nest_run(shop, wanted, report)


@task("improve")
def improve(shop: Shop, wanted: NestWork, report: Report) -> Outcome[Improved]:
    from etiquette.stations.run import nesting

    return nesting.improve_run(shop, wanted, report)


@task("web files")
def make_web_files(shop: Shop, wanted: OfWeb, report: Report) -> Outcome[WebMade]:
    from etiquette.stations.run import web_making

    return web_making.make_files(shop, wanted, report)
