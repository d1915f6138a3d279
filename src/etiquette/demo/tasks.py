"""What hands do in the simulated room and takes time."""

from sqlalchemy.orm import Session

from etiquette.demo.schemas import FilmPutOn, FilmWork
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


def _laminator_of(session: Session, arguments: FilmWork) -> str:
    from etiquette.demo import hands

    return hands.laminator_of_sheet(session, arguments)


@task("laminate", machine=_laminator_of, words="film is being put on a sheet", queues=True)
def put_film_on(shop: Shop, wanted: FilmWork, report: Report) -> Outcome[FilmPutOn]:
    from etiquette.demo import hands

    return hands.put_film_on(shop, wanted, report)
