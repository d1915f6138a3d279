"""Care of machines: what each wants and how often, and that it was given."""

from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import care
from etiquette.stations.schemas import Asked

router = APIRouter(prefix="/api", tags=["care"], dependencies=[needs(Right.PREPARE)])

Often = Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]


class CareWished(Asked):
    """What is not named stays; null: not for that."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)] | None = None
    every_days: Often | None = None
    every_metres: Often | None = None
    idle_hours: Often | None = None
    before_white: bool | None = None
    away: bool | None = None

    def named(self) -> dict[str, Any]:
        values = self.model_dump(exclude_unset=True)
        return {name: one for name, one in values.items() if one is not None or name.startswith(("every", "idle"))}


class CareAdded(CareWished):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class CareShown(BaseModel):
    id: int
    name: str
    every_days: float | None
    every_metres: float | None
    idle_hours: float | None
    before_white: bool
    last_at: datetime
    last_who: str
    why: str | None
    """Why it is due; null: it is not."""


def _shown(session: Session, kind: care.MachineKind, machine_id: int) -> list[CareShown]:
    return [
        CareShown(
            **{name: getattr(row, name) for name in ("id", "name", "every_days", "every_metres", "idle_hours")},
            before_white=row.before_white,
            last_at=row.last_at.replace(tzinfo=UTC),
            last_who=row.last_who,
            why=why,
        )
        for row, why in care.care_of(session, kind, machine_id)
    ]


@router.get("/machines/{kind}/{machine_id}/care")
def show_care(shop: ShopHere, kind: care.MachineKind, machine_id: int) -> list[CareShown]:
    return within(shop, lambda session: _shown(session, kind, machine_id))


@router.post("/machines/{kind}/{machine_id}/care")
def add_care(shop: ShopHere, kind: care.MachineKind, machine_id: int, asked: CareAdded) -> list[CareShown]:
    within(shop, lambda session: care.add(session, kind, machine_id, asked.named()))
    return show_care(shop, kind, machine_id)


@router.patch("/care/{care_id}", status_code=204)
def change_care(shop: ShopHere, care_id: int, asked: CareWished) -> Response:
    within(shop, lambda session: care.change(session, care_id, asked.named()))
    return Response(status_code=204)


@router.post("/care/{care_id}/done", status_code=204)
def care_is_done(shop: ShopHere, care_id: int) -> Response:
    """Somebody has given a machine this care just now."""
    within(shop, lambda session: care.done(session, care_id))
    return Response(status_code=204)
