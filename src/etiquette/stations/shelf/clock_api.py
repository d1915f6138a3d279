"""The time zone that the shop's days are counted in."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, StringConstraints
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import clock
from etiquette.stations.schemas import Asked

router = APIRouter(prefix="/api/clock", tags=["shelf"], dependencies=[needs(Right.KEEP)])


class ClockAsked(Asked):
    zone: Annotated[str, StringConstraints(max_length=60, strip_whitespace=True)]


class ClockShown(BaseModel):
    """`zone`: its name in the tz database; empty: that of the machine that Etiquette runs on. `time`: what the clock
    shows."""

    zone: str
    zones: list[str]
    time: datetime


@router.get("")
def show_clock(shop: ShopHere) -> ClockShown:
    def shown(session: Session) -> ClockShown:
        held = clock.clock_of(session)
        return ClockShown(zone=held.zone.key if held.zone else "", zones=clock.zones(), time=held.time())

    return within(shop, shown)


@router.put("")
def choose_zone(shop: ShopHere, asked: ClockAsked) -> ClockShown:
    """From now on: what was due or made is counted by its days too."""
    within(shop, lambda session: clock.choose(session, asked.zone))
    return show_clock(shop)
