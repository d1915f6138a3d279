"""What happens to finished work."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import collecting, finished
from etiquette.stations.schemas import Asked

router = APIRouter(prefix="/api", tags=["shelf"], dependencies=[needs(Right.PREPARE, see=Right.BOOKS)])
Days = Annotated[int, Field(ge=finished.LEAST_DAYS, le=finished.MOST_DAYS)]


class FinishedAsked(Asked):
    way: finished.Way
    days: Days


class FinishedShown(BaseModel):
    """The shop's choice, and what it would take as things are now. `collected…`: of what nothing needed when it was
    looked for last, None if it never was."""

    way: finished.Way
    days: int
    jobs: int
    print_files: int
    bytes: int
    collected_at: datetime | None
    collected_files: int
    collected_bytes: int


@router.get("/finished-work")
def show_finished_work(
    shop: ShopHere, way: finished.Way | None = None, days: Annotated[Days | None, Query()] = None
) -> FinishedShown:
    """The choice of the shop, or, to look at it first, another one."""

    def shown(session: Session) -> FinishedShown:
        held = finished.choice_of(session)
        choice = finished.Choice(way or held.way, days or held.days)
        gone = finished.would_go(session, choice)
        last = collecting.last_of(session)
        return FinishedShown(
            way=choice.way,
            days=choice.days,
            **vars(gone),
            collected_at=last.at.replace(tzinfo=UTC) if last else None,
            collected_files=last.files if last else 0,
            collected_bytes=last.bytes if last else 0,
        )

    return within(shop, shown)


@router.put("/finished-work", dependencies=[needs(Right.KEEP)])
def choose_for_finished_work(shop: ShopHere, asked: FinishedAsked) -> FinishedShown:
    """From now on: what it takes goes within the hour."""
    within(shop, lambda session: finished.choose(session, finished.Choice(asked.way, asked.days)))
    return show_finished_work(shop)
