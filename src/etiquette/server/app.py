"""The web application: routers, guards, the built front end."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from importlib.metadata import version
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from etiquette.demo import api as room
from etiquette.intake import api as intake
from etiquette.intake.watching import FolderWatch
from etiquette.people import api as people
from etiquette.people import guarded, owners_api
from etiquette.server import copying, health_api, remaking, task_api, tidying
from etiquette.server.again import Again
from etiquette.server.aside import Aside, Reader
from etiquette.server.doors import Doors
from etiquette.server.guards import Guards
from etiquette.server.hearing import Hearing
from etiquette.server.lead import Lead, Service
from etiquette.server.metrics import Measured, RequestTimes
from etiquette.server.problems import add_problem_handlers, problem
from etiquette.settings import Network
from etiquette.stations.bench import api as bench
from etiquette.stations.floor import api as floor
from etiquette.stations.floor import jobs_api, money_api, whole_api
from etiquette.stations.floor.lamps import LampWatcher
from etiquette.stations.lines import api as lines
from etiquette.stations.lines import folding_api, looking_api, rows_api, rules_api, signs_api, tiles_api
from etiquette.stations.lines.taking_progress import Takings
from etiquette.stations.print import api as printing
from etiquette.stations.run import api as run
from etiquette.stations.run import webs_api
from etiquette.stations.shelf import api as shelf
from etiquette.stations.shelf import cards_api, care_api, clock_api, copies_api, finished_api, recipes_api
from etiquette.stations.shop import Shop
from etiquette.store.models import now
from etiquette.tasks.engine import Engine
from etiquette.tasks.work import release_all

ROUTES = (
    floor,
    jobs_api,
    whole_api,
    money_api,
    lines,
    looking_api,
    rows_api,
    folding_api,
    signs_api,
    tiles_api,
    rules_api,
    run,
    webs_api,
    printing,
    bench,
    shelf,
    cards_api,
    care_api,
    finished_api,
    copies_api,
    clock_api,
    recipes_api,
    intake,
    people,
    owners_api,
    health_api,
    room,
    task_api,
)


def create_app(shop: Shop | None, front: Path | None = None, engine: Engine | None = None) -> FastAPI:
    """The application on `shop` (None: only to describe itself)."""

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        if shop is None or engine is None:
            yield
            return
        several = shop.settings.broker is not None
        with shop.database.held_with_others() if several else shop.database.held_alone():
            if not several:  # else others are at work: what one of them lost comes back by its silence
                shop.database.within(release_all)
            services = [engine, app.state.lamps, Lead(shop.database, partial(_once, shop, engine))]
            for one in services:
                one.start()
            reader: Reader | None = app.state.reader
            if reader:
                await reader.open()
            try:
                yield
            finally:
                if reader:
                    reader.close()
                for one in reversed(services):
                    one.stop()

    app = FastAPI(
        title="Etiquette",
        version=version("etiquette"),
        lifespan=life,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    guarded.watch()
    app.state.shop, app.state.engine, app.state.reader = shop, engine, None
    app.state.lamps, app.state.takings = LampWatcher(shop) if shop else None, Takings()
    app.state.times = RequestTimes()
    app.state.hearing = Hearing(shop) if shop else None
    add_problem_handlers(app)
    # as they are: include_router makes each of them anew with the first question, a second in all
    app.router.routes.extend(route for module in ROUTES for route in module.router.routes)
    if front and front.exists():
        _serve_front(app, front)
    app.add_middleware(GZipMiddleware, minimum_size=2000)
    app.add_middleware(Doors)
    app.add_middleware(Aside, lamps=app.state.lamps)
    app.add_middleware(Measured, times=app.state.times)
    app.add_middleware(Guards, network=shop.settings.network if shop else Network())
    return app


def _once(shop: Shop, engine: Engine) -> list[Service]:
    """What is done by one server of a shop."""
    night = Again(copying.EVERY_SECONDS, lambda: copying.copy_if_due(shop, now()), "a copy could not be looked after")
    late = Again(remaking.EVERY_SECONDS, lambda: remaking.remake_late(shop, engine.wake), "nothing was made again")
    tidy = Again(tidying.EVERY_SECONDS, lambda: tidying.tidy(shop), "finished work could not be cleared")
    collect = Again(tidying.COLLECT_SECONDS, lambda: tidying.collect(shop), "what nothing needs could not be collected")
    return [FolderWatch(shop, engine.wake), late, tidy, collect, night]


def _serve_front(app: FastAPI, front: Path) -> None:
    app.mount("/assets", StaticFiles(directory=front / "assets"))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> object:
        """Every other address is a station of the one page."""
        if path.startswith("api/"):
            return problem(404, "There is nothing at this address.", path, "Reload the page.")
        return FileResponse(front / "index.html", headers={"Cache-Control": "no-cache"})
