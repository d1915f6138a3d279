"""Figures for whoever watches the server, in Prometheus's text format: requests, tasks, prints, machines, database,
disk."""

import shutil
import time
from collections.abc import Iterator, Sequence

from prometheus_client import CollectorRegistry, Histogram
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session
from sqlalchemy.pool import QueuePool
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from etiquette.stations.shop import Shop
from etiquette.store.models import Sheet, Task, now
from etiquette.store.states import ENDED, SheetState

SECONDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0)
NO_ROUTE = "none"
_S = SheetState
GOING = (_S.HELD, _S.PRINTING, _S.UNCLEAR, _S.PRINTED, _S.LAMINATED, _S.LOADED, _S.READ)
"""Prints that somebody or something still has to do with."""


class RequestTimes:
    """How long requests took, by route."""

    def __init__(self) -> None:
        self.registry = CollectorRegistry()
        self._seconds = Histogram(
            "etiquette_request_seconds",
            "Time from a request's head to the end of its answer",
            ("method", "route", "status"),
            registry=self.registry,
            buckets=SECONDS,
        )

    def note(self, scope: Scope, status: int, seconds: float) -> None:
        self._seconds.labels(scope["method"], path_format(scope), str(status)).observe(seconds)


def path_format(scope: Scope) -> str:
    """Of the route that answered: not the address, numbers in it are without end."""
    return str(getattr(scope.get("route"), "path_format", NO_ROUTE))


class Measured:
    """Takes the time of every request but of streams, which last as long as a page is open."""

    def __init__(self, app: ASGIApp, times: RequestTimes) -> None:
        self._app, self._times = app, times

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].endswith("/events"):
            await self._app(scope, receive, send)
            return
        begun, status = time.perf_counter(), 500

        async def sending(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        try:
            await self._app(scope, receive, sending)
        finally:
            self._times.note(scope, status, time.perf_counter() - begun)


class ShopFigures(Collector):
    """What is there in the moment of asking."""

    def __init__(self, shop: Shop, lamps: Sequence[tuple[str, str, bool]]) -> None:
        self._shop, self._lamps = shop, lamps

    def collect(self) -> Iterator[Metric]:
        begun = time.perf_counter()
        self._shop.database.within(lambda session: session.execute(text("SELECT 1")))
        yield _gauge("etiquette_database_seconds", "Time of the least question", time.perf_counter() - begun)
        yield from self._shop.database.within(_counts)
        answers = GaugeMetricFamily("etiquette_machine_answers", "1: it answered last", labels=("name", "kind"))
        for name, kind, on in self._lamps:
            answers.add_metric((name, kind), float(on))
        yield answers
        pool = self._shop.database.engine.pool
        if isinstance(pool, QueuePool):
            yield _gauge("etiquette_database_connections", "In use by this process", pool.checkedout())
        disk = shutil.disk_usage(self._shop.settings.data)
        yield _gauge("etiquette_disk_free_bytes", "Where the shop keeps its files", disk.free)
        yield _gauge("etiquette_disk_bytes", "Of that disk", disk.total)


def _counts(session: Session) -> list[Metric]:
    tasks = GaugeMetricFamily("etiquette_tasks", "Long work that has not ended", labels=("state",))
    asked = select(Task.state, func.count()).where(Task.state.not_in(ENDED)).group_by(Task.state)
    for state, count in session.execute(asked):
        tasks.add_metric((state.value,), count)
    oldest = session.scalar(select(func.min(Task.created_at)).where(Task.state.not_in(ENDED)))
    prints = GaugeMetricFamily("etiquette_prints", "Prints that are under way", labels=("state",))
    under_way = select(Sheet.state, func.count()).where(Sheet.state.in_(GOING)).group_by(Sheet.state)
    for of_print, count in session.execute(under_way):
        prints.add_metric((of_print.value,), count)
    waits = (now() - oldest).total_seconds() if oldest else 0.0
    return [tasks, prints, _gauge("etiquette_task_oldest_seconds", "Age of the oldest that has not ended", waits)]


def _gauge(name: str, words: str, value: float) -> GaugeMetricFamily:
    return GaugeMetricFamily(name, words, value=value)
