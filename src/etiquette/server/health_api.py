"""Whether it lives, whether it is ready, and figures for whoever watches it."""

import os
import shutil

import structlog
from fastapi import APIRouter, Response
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, generate_latest
from pydantic import BaseModel
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError
from starlette.requests import Request

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, for_anybody, needs
from etiquette.server.metrics import RequestTimes, ShopFigures

router = APIRouter(tags=["health"])
LEAST_FREE_BYTES = 200 << 20
"""With less nothing large can be taken in any more."""
log = structlog.stdlib.get_logger(__name__)


class Lives(BaseModel):
    live: bool = True


class Ready(BaseModel):
    """`ready`: it can work; else what it lacks is false."""

    ready: bool
    database: bool
    disk: bool


@router.get("/health/live", dependencies=[for_anybody()])
def show_live() -> Lives:
    """It answers: whoever started it need not start it anew."""
    return Lives()


@router.get("/health/ready", dependencies=[for_anybody()], responses={503: {"model": Ready}})
def show_ready(shop: ShopHere, response: Response) -> Ready:
    """It can work: whoever sends requests may send them here. 503 otherwise."""
    try:
        shop.database.within(lambda session: session.execute(text("SELECT 1")))
        database = True
    except SQLAlchemyError as error:
        log.warning("not ready: the database does not answer", error=type(error).__name__)
        database = False
    disk = shutil.disk_usage(shop.settings.data).free >= LEAST_FREE_BYTES and os.access(shop.settings.files, os.W_OK)
    ready = database and disk
    response.status_code = 200 if ready else 503
    return Ready(ready=ready, database=database, disk=disk)


@router.get("/metrics", dependencies=[needs(Right.SEE)], response_class=Response)
def show_metrics(shop: ShopHere, request: Request) -> Response:
    """Prometheus's text format."""
    times: RequestTimes = request.app.state.times
    lamps = request.app.state.lamps.seen()
    now = CollectorRegistry()
    now.register(ShopFigures(shop, lamps))
    return Response(generate_latest(times.registry) + generate_latest(now), media_type=CONTENT_TYPE_LATEST)
