"""Copies of the shop that are made by themselves."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field, StringConstraints
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import safekeeping
from etiquette.stations.safekeeping import MOST_KEPT, Copies
from etiquette.stations.schemas import Asked

router = APIRouter(prefix="/api/shop-copies", tags=["shelf"], dependencies=[needs(Right.OWN, see=Right.OWN)])


class CopiesAsked(Asked):
    folder: Annotated[str, StringConstraints(max_length=500, strip_whitespace=True)]
    kept: Annotated[int, Field(ge=1, le=MOST_KEPT)]
    hour: Annotated[int, Field(ge=0, le=23)]


class CopiesShown(BaseModel):
    """`at`, `file`, `bytes`, `problem`: of the last one."""

    folder: str
    kept: int
    hour: int
    at: datetime | None
    file: str
    bytes: int
    problem: str
    under_way: bool


@router.get("")
def show_copies(shop: ShopHere) -> CopiesShown:
    def shown(session: Session) -> CopiesShown:
        copies, last = safekeeping.copies_of(session), safekeeping.last_of(session)
        return CopiesShown(
            **copies.__dict__,
            at=last.at.replace(tzinfo=UTC) if last else None,
            file=last.file if last else "",
            bytes=last.bytes if last else 0,
            problem=last.problem if last else "",
            under_way=safekeeping.is_due(session),
        )

    return within(shop, shown)


@router.put("")
def choose_copies(shop: ShopHere, asked: CopiesAsked) -> CopiesShown:
    copies = Copies(asked.folder, asked.kept, asked.hour)
    within(shop, lambda session: safekeeping.choose(session, copies, shop.settings.files))
    return show_copies(shop)


@router.post("/now")
def copy_now(shop: ShopHere) -> CopiesShown:
    """A copy is made within seconds."""
    within(shop, safekeeping.ask_for_one)
    return show_copies(shop)
