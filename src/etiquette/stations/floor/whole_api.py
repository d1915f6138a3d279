"""A job, a design or a run as a whole: once more, put away, deleted."""

from fastapi import APIRouter, Response
from pydantic import BaseModel

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import whole
from etiquette.stations.schemas import Asked

router = APIRouter(prefix="/api/whole", tags=["jobs"], dependencies=[needs(Right.PREPARE)])


class WholeShown(BaseModel):
    """`words`: what goes when it is deleted; `held`: why it cannot be, empty when it can."""

    away: bool
    words: str
    held: str


class AwayAsked(Asked):
    away: bool


class MadeAgain(BaseModel):
    id: int


@router.get("/{kind}/{number}")
def show_whole(shop: ShopHere, kind: whole.Whole, number: int) -> WholeShown:
    going = within(shop, lambda session: whole.going(session, kind, number))
    away = within(shop, lambda session: whole.there(session, kind, number).away)
    return WholeShown(away=away, words=going.words, held=going.held)


@router.post("/{kind}/{number}/again")
def make_again(shop: ShopHere, kind: whole.Whole, number: int) -> MadeAgain:
    """The same once more, with all its settings."""
    return MadeAgain(id=within(shop, lambda session: whole.again(session, kind, number)))


@router.put("/{kind}/{number}/away", status_code=204)
def put_away(shop: ShopHere, kind: whole.Whole, number: int, asked: AwayAsked) -> Response:
    within(shop, lambda session: whole.put_away(session, kind, number, asked.away))
    return Response(status_code=204)


@router.delete("/{kind}/{number}", status_code=204)
def take_away(shop: ShopHere, kind: whole.Whole, number: int) -> Response:
    """For good, with what belongs to it alone."""
    within(shop, lambda session: whole.take_away(session, kind, number))
    return Response(status_code=204)
