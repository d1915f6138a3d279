"""What handlers share: the shop, a session, who asks and whether they may, and submitting tasks."""

import secrets
from collections.abc import Callable
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request
from sqlalchemy.orm import Session
from structlog.contextvars import bind_contextvars

from etiquette.people.rights import OPERATOR, Person, Right
from etiquette.stations.shop import Shop
from etiquette.store.models.base import WHO
from etiquette.tasks.local import LocalEngine
from etiquette.tasks.task import A, TaskType
from etiquette.tasks.work import submit

T = TypeVar("T")


def get_shop(request: Request) -> Shop:
    shop: Shop = request.app.state.shop
    return shop


def get_engine(request: Request) -> LocalEngine | None:
    engine: LocalEngine | None = request.app.state.engine
    return engine


def person_of(request: Request) -> Person:
    """Who asks."""
    return OPERATOR


class Needs:
    """What the routes of a router need: to look the right to see, to change anything `right`. Records made meanwhile
    carry the person's name."""

    def __init__(self, right: Right) -> None:
        self.right = right

    async def __call__(self, request: Request) -> None:
        person = person_of(request)
        person.demand(Right.SEE if request.method in ("GET", "HEAD") else self.right)
        WHO.set(person.name)
        bind_contextvars(request=secrets.token_hex(4), path=request.url.path, who=person.name)


def needs(right: Right) -> Any:
    return Depends(Needs(right))


ShopHere = Annotated[Shop, Depends(get_shop)]


class Submitter:
    """Puts a task in the queue and wakes a worker."""

    def __init__(self, shop: ShopHere, engine: Annotated[LocalEngine | None, Depends(get_engine)]) -> None:
        self._shop, self._engine = shop, engine

    def __call__(self, task_type: TaskType[A, Any], arguments: A, key: str | None = None) -> int:
        return self.within(lambda session: submit(session, task_type, arguments, key))

    def within(self, work: Callable[[Session], T]) -> T:
        """A transaction in which `work` submits tasks; a worker is woken after it."""
        made = self._shop.database.within(work)
        if self._engine:
            self._engine.wake()
        return made


TaskSubmitter = Annotated[Submitter, Depends(Submitter)]


def within(shop: Shop, work: Callable[[Session], T]) -> T:
    return shop.database.within(work)
