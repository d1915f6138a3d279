"""What handlers share: the shop, a session, who asks and whether they may, and submitting tasks."""

import secrets
import time
from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request
from fastapi.concurrency import run_in_threadpool
from sqlalchemy.orm import Session
from structlog.contextvars import bind_contextvars

from etiquette.people import audit
from etiquette.people.guarded import ASKS
from etiquette.people.rights import NotAllowed, Person, Right
from etiquette.server.doors import SAFE, known, person_of, where_of
from etiquette.stations.shop import Shop
from etiquette.store.models.base import DOING, WHO, Doing
from etiquette.tasks.engine import Engine
from etiquette.tasks.task import A, TaskType
from etiquette.tasks.work import submit

T = TypeVar("T")


# those that wait for nothing are coroutines: anything else is handed to another thread and back, which each request
# would wait for


async def get_shop(request: Request) -> Shop:
    shop: Shop = request.app.state.shop
    return shop


async def get_engine(request: Request) -> Engine | None:
    engine: Engine | None = request.app.state.engine
    return engine


class Needs:
    """What the routes of a router need: to look the right `see`, to change anything `right`; None: nobody need be
    known. Records made meanwhile carry the person's name, and the trail tells of changes."""

    def __init__(self, right: Right | None, see: Right | None) -> None:
        self.right, self.see = right, see

    async def __call__(self, request: Request) -> None:
        looks = request.method in SAFE
        wanted = self.see if looks else self.right
        if wanted is None:
            return
        person = person_of(request)
        await self._demand(request, person, wanted)
        ASKS.set(person)
        WHO.set(person.name)
        bind_contextvars(request=secrets.token_hex(4), path=request.url.path, who=person.name)
        if not looks:
            DOING.set(Doing(doing(request), asked_for(request), person.way, where_of(request).address))

    async def _demand(self, request: Request, person: Person, wanted: Right) -> None:
        """Raises NotAllowed; the trail tells of who would have changed something."""
        try:
            person.demand(wanted)
        except NotAllowed:
            if request.method not in SAFE:
                told = partial(
                    audit.note, did=doing(request), who=person.name, outcome="refused", what=asked_for(request),
                    address=where_of(request).address,
                )  # fmt: skip
                await run_in_threadpool(request.app.state.shop.database.within, told)
            raise


def doing(request: Request) -> str:
    """What a request does, in the words of its route."""
    return str(request.scope["endpoint"].__name__).replace("_", " ")[:80]


def asked_for(request: Request) -> str:
    return request.url.path.removeprefix("/api/")[:200]


def needs(right: Right, see: Right = Right.SEE) -> Any:
    return Depends(Needs(right, see))


def for_anybody() -> Any:
    return Depends(Needs(None, None))


class Still:
    """Whether who opened a stream is signed in yet: asked now and then while it goes on."""

    EVERY_SECONDS = 10.0

    def __init__(self, request: Request) -> None:
        self._request, self._asked = request, time.monotonic()

    async def __call__(self) -> bool:
        if time.monotonic() - self._asked < self.EVERY_SECONDS:
            return True
        self._asked = time.monotonic()
        return await run_in_threadpool(known, self._request) is not None


ShopHere = Annotated[Shop, Depends(get_shop)]


class Submitter:
    """Puts a task in the queue and wakes a worker."""

    def __init__(self, shop: Shop, engine: Engine | None) -> None:
        self._shop, self._engine = shop, engine

    def __call__(self, task_type: TaskType[A, Any], arguments: A, key: str | None = None) -> int:
        return self.within(lambda session: submit(session, task_type, arguments, key))

    def within(self, work: Callable[[Session], T]) -> T:
        """A transaction in which `work` submits tasks; a worker is woken after it."""
        made = self._shop.database.within(work)
        if self._engine:
            self._engine.wake()
        return made


async def get_submitter(shop: ShopHere, engine: Annotated[Engine | None, Depends(get_engine)]) -> Submitter:
    return Submitter(shop, engine)


TaskSubmitter = Annotated[Submitter, Depends(get_submitter)]


def within(shop: Shop, work: Callable[[Session], T]) -> T:
    return shop.database.within(work)
